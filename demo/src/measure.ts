// Measures the plates against what photographs show:  node scripts/run-ts.mjs demo/src/measure.ts [--out DIR] [--cache DIR] [--detail D] [--rays N]
import { spawnSync } from 'node:child_process'
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import type { Vec3 } from '@lantern/core/math'
import { corners, edgeSpread, type Luma, lumaOf, ninths, patchCorrelation, spectrumSlope, tones } from './figures.ts'
import { readFloats } from './made.ts'
import { framePath, linearFolder } from './making.ts'
import { momentOf, PLATES, type PlateSpec, project, straightened } from './plates.ts'
import { FULL_LIGHT } from './scene/yardScene.ts'

const { values } = parseArgs({ options: { out: { type: 'string', default: 'demo/plates' }, cache: { type: 'string', default: 'demo/.made' }, detail: { type: 'string', default: '1' }, rays: { type: 'string' } } })

/** Frame n (from 0) of a movie or still as 8-bit r g b. */
function frameOf(path: string, n: number, spec: PlateSpec): Uint8Array {
  const select = spec.frames > 1 ? ['-vf', `select=eq(n\\,${n}),scale=in_color_matrix=bt709:in_range=tv`] : []
  const { stdout, status } = spawnSync('ffmpeg', ['-v', 'error', '-i', path, ...select, '-frames:v', '1', '-f', 'rawvideo', '-pix_fmt', 'rgb24', '-'], { maxBuffer: 1 << 28 })
  if (status !== 0) throw new Error(`ffmpeg could not read frame ${n} of ${path}`)
  return new Uint8Array(stdout)
}

/** Corners of one frame, each put where the exact camera sees it `later` frames on; correlations of those that nothing hides. */
function correlations(spec: PlateSpec, a: Luma, b: Luma, later: number, folder: string): number[] {
  const before = readFloats<object>(`${framePath(folder, spec.first)}-depth`).values
  const after = readFloats<object>(`${framePath(folder, spec.first + later)}-depth`).values
  const [from, to] = [momentOf(spec, 0), momentOf(spec, later / spec.rate)]
  return corners(a).flatMap(({ x, y }) => {
    const depth = before[y * spec.width + x] ?? 0
    if (!(depth < 200)) return []
    const [sx, sy] = straightened(spec, x + 0.5, y + 0.5)
    const p = [0, 1, 2].map((c) => (from.position[c] ?? 0) + depth * (sx * (from.right[c] ?? 0) - sy * (from.up[c] ?? 0) - (from.back[c] ?? 0))) as unknown as Vec3
    const seen = project(spec, to, p)
    if (!seen) return []
    const there = after[Math.floor(seen.y) * spec.width + Math.floor(seen.x)] ?? 0
    if (Math.abs(there - seen.depth) > 0.03 * seen.depth) return []
    const found = patchCorrelation(a, x, y, b, seen.x - 0.5, seen.y - 0.5)
    return found === undefined ? [] : [found]
  })
}

for (const spec of PLATES) {
  const path = join(values.out, `${spec.name}.${spec.frames > 1 ? 'mp4' : 'png'}`)
  if (!existsSync(path)) continue
  const rgb = frameOf(path, 0, spec)
  const luma = lumaOf(rgb, spec.width, spec.height)
  const found = corners(luma)
  const { dark, clipped } = tones(rgb)
  const row: Record<string, string> = { plate: spec.name, 'near black': `${(dark * 100).toFixed(2)} %`, clipped: `${(clipped * 100).toFixed(2)} %`, 'edge px': edgeSpread(luma).toFixed(2), slope: spectrumSlope(luma, spec.width > 2000 ? 1024 : 512).toFixed(2), corners: `${found.length} (${ninths(found, spec.width, spec.height).join(' ')})` }
  const folder = linearFolder({ cache: values.cache, threads: 1, detail: Number(values.detail), light: values.rays ? { ...FULL_LIGHT, rays: Number(values.rays) } : FULL_LIGHT, say: () => undefined }, spec, spec.seed)
  if (spec.frames > 40 && existsSync(`${framePath(folder, spec.first + 40)}-depth`)) {
    const all = correlations(spec, luma, lumaOf(frameOf(path, 40, spec), spec.width, spec.height), 40, folder).sort((p, q) => p - q)
    row['patch after 40'] = `${(all[all.length >> 1] ?? Number.NaN).toFixed(3)} of ${all.length}`
  }
  console.log(Object.entries(row).map(([name, value]) => `${name} ${value}`).join(' | '))
}
