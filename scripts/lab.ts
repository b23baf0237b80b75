import { nodeCrew } from '../farm/src/crew/nodeCrew.ts'
import { smallFire } from '../core/testing/fires.ts'
import { layFields } from '../core/src/gas/index.ts'
import { sourceCells } from '../core/src/gas/sources.ts'
import { emptyBudget, stepGas } from '../core/src/gas/step.ts'
const n = Number(process.argv[2] ?? 96)
for (const threads of (process.argv[3] ?? "1,2").split(",").map(Number)) {
  const base = nodeCrew(threads)
  const times = new Map<string, number>()
  let on = false
  const crew = { ...base, run(name: string, args: readonly number[], items: number, chunk?: number) { const t = performance.now(); base.run(name, args, items, chunk); if (on) times.set(name, (times.get(name) ?? 0) + performance.now() - t) } }
  const cell = 4 / n
  const settings = smallFire({ cell, bounds: { low: [-2, 0, -2], high: [2, 4, 2] }, mostCells: n ** 3 })
  const still = settings.moments[0]!
  const fields = layFields(crew, crew.heap.mark(), { cell, origin: [-n / 2, 0, -n / 2], size: [n, n, n] }, settings, still)
  const feeds = settings.sources.map((_, index) => sourceCells(crew, fields, settings, index, still))
  const budget = emptyBudget()
  let time = 0
  const one = () => { time += 1 / 96; return stepGas(crew, fields, settings, { before: still, now: still }, feeds, budget, 1 / 96, time).solve.iterations }
  for (let s = 0; s < 6; s++) one()
  on = true
  const t = performance.now()
  let its = 0
  const STEPS = Number(process.argv[4] ?? 4)
  for (let s = 0; s < STEPS; s++) its += one()
  const all = (performance.now() - t) / STEPS
  console.log(threads, 'threads', all.toFixed(1), 'ms', its / STEPS)
  let sum = 0
  for (const [k, v] of [...times].sort((a, b) => b[1] - a[1])) { sum += v / STEPS; console.log('  ', k, (v / STEPS).toFixed(2)) }
  console.log('  outside kernels', (all - sum).toFixed(2))
  base.end()
}
