import { smallFire } from '../../core/testing/fires.ts'
import { noiseRhs, pressureCase } from '../../core/testing/grids.ts'
import { layFields, solvePressure } from '../../core/src/gas/index.ts'
import { sourceCells } from '../../core/src/gas/sources.ts'
import { emptyBudget, stepGas } from '../../core/src/gas/step.ts'
import { type Bench, timed } from './bench.ts'

const ball = (n: number) => (i: number, j: number, k: number): boolean => (i + 0.5 - n / 2) ** 2 + (j + 0.5 - n / 2) ** 2 + (k + 0.5 - n / 2) ** 2 < (n / 6) ** 2
const ballAndWall = (n: number) => (i: number, j: number, k: number): boolean => ball(n)(i, j, k) || (Math.abs(i - n * 0.75) < 2 && j < n * 0.7)

const pressure = (name: string, n: number, solid: (i: number, j: number, k: number) => boolean): Bench => ({
  name, size: `${n}^3`, runs: 5, threads: [1, 2],
  run(crew) {
    const made = pressureCase([n, n, n], solid, crew)
    let iterations = 0
    const ms = timed(3, () => {
      noiseRhs(made)
      iterations = solvePressure(made.crew, made.system, ...made.fields, { relative: 1e-4 }).iterations
    })
    return { ms, figures: { iterations, msPerIteration: ms / iterations } }
  },
})

/** Steps of a burning fire in a box of a fixed size, one cell of travel a step. */
const step = (n: number): Bench => ({
  name: `gas/step-${n}`, size: `${n}^3`, runs: 3, threads: [1, 2],
  run(crew) {
    const cell = 4 / n
    const settings = smallFire({ cell, bounds: { low: [-2, 0, -2], high: [2, 4, 2] }, mostCells: n ** 3 })
    const before = crew.heap.used()
    const fields = layFields(crew, crew.heap.mark(), { cell, origin: [-n / 2, 0, -n / 2], size: [n, n, n] }, settings)
    const bytesPerCell = (crew.heap.used() - before) / n ** 3
    const feeds = settings.sources.map((source) => sourceCells(crew, fields, source))
    const budget = emptyBudget()
    const dt = 1 / 96
    let time = 0
    let iterations = 0
    const one = (): void => {
      time += dt
      iterations += stepGas(crew, fields, settings, feeds, budget, dt, time).solve.iterations
    }
    for (let s = 0; s < 6; s++) one()
    iterations = 0
    const steps = 3
    const ms = timed(steps, one)
    return { ms, figures: { nsPerCell: (ms * 1e6) / n ** 3, bytesPerCell, iterations: iterations / (steps + 1) } }
  },
})

export const gasBenches: readonly Bench[] = [pressure('gas/pressure-96-box-sphere', 96, ball(96)), pressure('gas/pressure-96-box-sphere-wall', 96, ballAndWall(96)), step(96), step(160)]
