import { writeFileSync } from 'node:fs'
import { nodeCrew } from '../farm/src/crew/nodeCrew.ts'
import { GasSimulation } from '../core/src/gas/index.ts'
import { paddedCells } from '../core/src/data/index.ts'
import { gasSettings } from '../core/src/pipeline/index.ts'
import { makeItem, makeShot } from '../core/src/shot/index.ts'
const RATE = 24
const [D, Q, across, periods, threads] = process.argv.slice(2).map(Number) as [number, number, number, number, number]
const over = JSON.parse(process.argv[7] ?? '{}')
const name = process.argv[8] ?? `/tmp/fire-${D}-${across}.json`
const document = makeShot('v', { asset: 'none', file: 'none', width: 64, height: 36, first: 1, last: 48, rate: [RATE, 1], encoding: 'srgb' })
document.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
const L = 0.235 * Q ** 0.4 - 1.02 * D
const item = makeItem('gas', { name: 'Fire', order: 3, position: [0, 0, 0], diameter: D, heat: Q, cell: (1000 * D) / across, reach: Math.max(1.6 * L, 3 * D), ...over.item }) as any
document.items.fire = item
const settings = { ...gasSettings(document, item, 'full'), ...over.settings }
const crew = nodeCrew(threads)
const sim = new GasSimulation(crew, settings, RATE)
const f = 1.5 / Math.sqrt(D)
const seconds = periods / f
const frames = Math.ceil((seconds + 4 / f) * RATE)
const rows: any[] = []
const t0 = performance.now()
let steps = 0
for (let n = 0; n < frames; n++) {
  const fig = sim.advance()
  steps += fig.steps
  const { box, pointers } = sim.fields
  const [nx, ny, nz] = box.size
  const cells = paddedCells(box.size)
  const sx = nx + 2, sxy = sx * (ny + 2)
  const t = crew.heap.f32(pointers.density, cells).map((r) => settings.ambient / r), v = crew.heap.f32(pointers.v, cells)
  if (process.env.FAST && n > 40 && n % 10 === 0) { const u = crew.heap.f32(pointers.u, cells), w = crew.heap.f32(pointers.w, cells), d = crew.heap.f32(pointers.density, cells), ex = crew.heap.f32(sim.fields.expansion, cells); const top: any[] = []; for (const [name, f] of [['u', u], ['v', v], ['w', w]] as const) for (let k = 0; k < nz; k++) for (let j = 0; j < ny; j++) for (let i = 0; i < nx; i++) { const e = (k + 1) * sxy + (j + 1) * sx + i + 1; if (Math.abs(f[e]!) > 0.6 * fig.fastest) top.push([name, i, j, k, f[e]!.toFixed(1), d[e]!.toFixed(2), ex[e]!.toFixed(1)].join(' ')) } console.log(n, 'box', nx, ny, nz, 'fastest', fig.fastest.toFixed(1), top.length, top.slice(0, 6).join(' | ')) }
  const counts: number[] = []; const maxT: number[] = []
  for (let j = 0; j < ny; j++) { let c = 0, m = 0; for (let k = 0; k < nz; k++) { const row = (k + 1) * sxy + (j + 1) * sx + 1; for (let i = 0; i < nx; i++) { const x = t[row + i]!; if (x > 798) c++; if (x > m) m = x } } counts.push(c); maxT.push(Math.round(m)) }
  // axial velocity at half a diameter and centre line speeds
  const ci = -box.origin[0], ck = -box.origin[2]
  const axis = Array.from({ length: ny }, (_, j) => (v[(ck + 1) * sxy + (j + 1) * sx + ci + 1]! + v[(ck) * sxy + (j + 1) * sx + ci]!) / 2)
  rows.push({ counts, maxT, axis, heat: fig.heatKw, rad: fig.radiatedKw, box: box.size, steps: fig.steps, it: fig.iterations, origin: box.origin, div: fig.divergence, fastest: fig.fastest })
}
crew.end()
console.log('budget', sim.budget, 'in', Q * frames / RATE / 44.6e3 )
const cell = settings.cell
const tail = rows.slice(Math.ceil(4 / f * RATE))
// flame height: highest layer flaming at least half of the frames
let h50 = 0
const maxJ = Math.max(...tail.map((r) => r.counts.length))
for (let j = 0; j < maxJ; j++) { const s = tail.filter((r) => (r.counts[j] ?? 0) > 0).length / tail.length; if (s >= 0.5) h50 = (j + 1) * cell }
const spectrum = (series: number[]) => { const m = series.reduce((a, b) => a + b, 0) / series.length; let best = [0, 0]; const out: [number, number][] = []; for (let fr = 0.3 * f; fr < 3 * f; fr += 0.02 * f) { let c = 0, s = 0; series.forEach((x, n) => { const w = 0.5 - 0.5 * Math.cos((2 * Math.PI * (n + .5)) / series.length); c += w * (x - m) * Math.cos(2 * Math.PI * fr * n / RATE); s += w * (x - m) * Math.sin(2 * Math.PI * fr * n / RATE) }); const p = c * c + s * s; out.push([fr, p]); if (p > best[1]!) best = [fr, p] } const total = out.reduce((a, b) => a + b[1], 0); return { peak: best[0]!, share: best[1]! / total } }
const height = tail.map((r) => { let h = 0; r.counts.forEach((c: number, j: number) => { if (c > 0) h = (j + 1) * cell }); return h })
const jh = Math.max(1, Math.round(0.5 * D / cell))
const S = { height: spectrum(height), axis: spectrum(tail.map((r) => r.axis[jh])), low: spectrum(tail.map((r) => r.counts.slice(Math.round(.3 * D / cell), Math.round(1.2 * D / cell)).reduce((a: number, b: number) => a + b, 0))), total: spectrum(tail.map((r) => r.counts.reduce((a: number, b: number) => a + b, 0))), heat: spectrum(tail.map((r) => r.heat)) }
console.log(`D ${D} Q ${Q} across ${across}: expect f ${f.toFixed(2)} Hz, L ${L.toFixed(2)} m. h50 ${h50.toFixed(2)} (${(h50 / L).toFixed(2)}) meanH ${(height.reduce((a, b) => a + b, 0) / height.length).toFixed(2)} heat ${(tail.reduce((a, r) => a + r.heat, 0) / tail.length).toFixed(0)} rad ${(tail.reduce((a, r) => a + r.rad, 0) / tail.length).toFixed(0)} fastest ${Math.max(...tail.map((r) => r.fastest)).toFixed(1)} maxT ${Math.max(...tail.map((r) => Math.max(...r.maxT)))} steps/fr ${(steps / frames).toFixed(1)} box ${rows.at(-1).box} ${((performance.now() - t0) / 1000).toFixed(0)} s`)
console.log(Object.entries(S).map(([k, v]) => `${k} ${(v.peak / f).toFixed(2)} (${(v.share * 100).toFixed(0)}%)`).join('  '))
writeFileSync(name, JSON.stringify(rows))
