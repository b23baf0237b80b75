import type { Crew } from '../../core/src/base/index.ts'
import { paddedCells } from '../../core/src/data/index.ts'
import { workedTiles } from '../../core/src/gas/activeTiles.ts'
import { workIn } from '../../core/src/gas/fields.ts'
import { allocateFields, elementOf, layersPerChunk, solvePressure } from '../../core/src/gas/index.ts'
import { WORK_TILE } from '../../core/src/gas/rowTables.ts'
import { sourceCells } from '../../core/src/gas/sources.ts'
import { emptyBudget, stepGas } from '../../core/src/gas/step.ts'
import { smallFire } from '../../core/testing/fires.ts'
import { noiseRhs, pressureCase } from '../../core/testing/grids.ts'
import { type Bench, median, timed } from './bench.ts'

const ball =
  (n: number) =>
  (i: number, j: number, k: number): boolean =>
    (i + 0.5 - n / 2) ** 2 + (j + 0.5 - n / 2) ** 2 + (k + 0.5 - n / 2) ** 2 < (n / 6) ** 2
const ballAndWall =
  (n: number) =>
  (i: number, j: number, k: number): boolean =>
    ball(n)(i, j, k) || (Math.abs(i - n * 0.75) < 2 && j < n * 0.7)

const pressure = (name: string, n: number, solid: (i: number, j: number, k: number) => boolean): Bench => ({
  name,
  size: `${n}^3`,
  runs: 7,
  threads: [1, 2],
  run(crew) {
    const made = pressureCase([n, n, n], solid, crew)
    let iterations = 0
    const solve = (): void =>
      void (iterations = solvePressure(made.crew, made.system, ...made.fields, { relative: 1e-4 }).iterations)
    const ms = timed(3, solve, () => void noiseRhs(made))
    return { ms, figures: { iterations, msPerIteration: ms / iterations } }
  },
})

/** One scalar carried over a solid-body rotation by MacCormack's two passes, and one density by the three sweeps of fluxes. */
const advection = (name: string, n: number, pass: 'mac' | 'flux'): Bench => ({
  name,
  size: `${n}^3`,
  runs: 5,
  threads: [1, 2],
  run(crew) {
    const cells = paddedCells([n, n, n])
    const field = (value: (i: number, k: number) => number): number => {
      const at = crew.heap.alloc(cells * 4)
      const view = crew.heap.f32(at, cells)
      for (let k = 0; k < n + 2; k++)
        for (let j = 0; j < n + 2; j++)
          for (let i = 0; i < n + 2; i++) view[(k * (n + 2) + j) * (n + 2) + i] = value(i, k)
      return at
    }
    const [u, v, w] = [field((_, k) => (0.5 * (n / 2 - k)) / n), field(() => 0), field((i) => (0.5 * (i - n / 2)) / n)]
    const [a, b, c] = [field((i, k) => (i + k) % 17), field(() => 0), field(() => 0)]
    const centred = crew.heap.alloc(cells * 16)
    const chunk = layersPerChunk([n, n, n], crew.threads)
    crew.run('centreVelocity', [centred, u, v, w, n, n, n], n + 2, chunk)
    const once = (): void => {
      if (pass === 'mac') {
        crew.run('advectForward', [centred, n, n, n, 1, a, b], n, chunk)
        crew.run('fillGhosts', [b, n, n, n, 0, 0, 0, 0], n + 2)
        crew.run('advectCorrect', [centred, n, n, n, 1, a, b, c], n, chunk)
        return
      }
      crew.run('advectScalar', [b, a, 0, u, 0, 0, 0, 0, 0, 1, 0, n, n, n], n, chunk)
      crew.run('advectScalar', [c, b, 1, v, u, 0, 0, 0, 0, 1, 0, n, n, n], n, chunk)
      crew.run('advectScalar', [b, c, 2, w, u, 0, v, 1, 1, 1, 0, n, n, n], n, chunk)
    }
    const ms = timed(3, once)
    return { ms, figures: { nsPerCell: (ms * 1e6) / n ** 3 } }
  },
})

/** Steps of a burning fire in a box of a fixed size, one cell of travel a step. */
const step = (n: number): Bench => ({
  name: `gas/step-${n}-fire`,
  size: `${n}^3`,
  runs: 7,
  threads: [1, 2],
  run(crew) {
    const cell = 4 / n
    const settings = smallFire({ cell, bounds: { low: [-2, 0, -2], high: [2, 4, 2] }, mostCells: n ** 3 })
    const [still] = settings.sceneInputs
    if (!still) throw new Error('a fire has a moment')
    const before = crew.heap.used()
    const fields = allocateFields(
      crew,
      crew.heap.mark(),
      { cell, origin: [-n / 2, 0, -n / 2], size: [n, n, n] },
      settings,
      still,
    )
    const bytesPerCell = (crew.heap.used() - before) / n ** 3
    const feeds = settings.sources.map((_, index) => sourceCells(crew, fields, settings, index, still))
    const budget = emptyBudget()
    const dt = 1 / 96
    let time = 0
    let iterations = 0
    const one = (): void => {
      time += dt
      iterations += stepGas(crew, fields, settings, { before: still, now: still }, feeds, budget, dt, time).solve
        .iterations
    }
    for (let s = 0; s < 6; s++) one()
    iterations = 0
    const steps = 5
    const ms = timed(steps, one)
    return { ms, figures: { nsPerCell: (ms * 1e6) / n ** 3, bytesPerCell, iterations: iterations / (steps + 1) } }
  },
})

/** Warm smoke in a box, wherever `holds` says: what is worked on, the most bytes of the heap that a cell of it took, and a step. */
export function smokeIn(
  crew: Crew,
  n: number,
  holds: (i: number, j: number, k: number) => boolean,
): { worked: number; bytesPerCell: number; step(): void } {
  const cell = 4 / n
  const settings = smallFire({
    cell,
    source: null,
    confinement: 0,
    bounds: { low: [-2, 0, -2], high: [2, 4, 2] },
    mostCells: n ** 3,
  })
  const [still] = settings.sceneInputs
  if (!still) throw new Error('smoke has a moment')
  const before = crew.heap.peak()
  const cells: [number, number, number][] = []
  const active = new Uint8Array((n / WORK_TILE) ** 3)
  for (let k = 0; k < n; k++)
    for (let j = 0; j < n; j++)
      for (let i = 0; i < n; i++) {
        if (!holds(i, j, k)) continue
        cells.push([i, j, k])
        active[((k >> 3) * (n >> 3) + (j >> 3)) * (n >> 3) + (i >> 3)] = 1
      }
  const whole = active.every((one) => one === 1)
  const fields = allocateFields(
    crew,
    crew.heap.mark(),
    { cell, origin: [-n / 2, 0, -n / 2], size: [n, n, n] },
    settings,
    still,
    undefined,
    whole ? undefined : active,
  )
  const [density, soot] = [fields.pointers.density, fields.pointers.soot].map((pointer) =>
    crew.heap.f32(pointer, fields.store.cells),
  ) as [Float32Array, Float32Array]
  for (const [i, j, k] of cells) {
    const e = elementOf(fields.store, i, j, k)
    density[e] = 0.8 + 0.1 * Math.sin(i + j * j + k)
    soot[e] = 1e-3
  }
  if (!whole) workIn(crew, fields, settings, still, workedTiles(crew, fields, settings, [], 1 / 24))
  const budget = emptyBudget()
  const step = (): void => void stepGas(crew, fields, settings, { before: still, now: still }, [], budget, 1 / 96, 0)
  step()
  const worked = (fields.active?.reduce((sum, one) => sum + one, 0) ?? (n / WORK_TILE) ** 3) * WORK_TILE ** 3
  return { worked, bytesPerCell: (crew.heap.peak() - before) / worked, step }
}

/** A draft warm plume that leans from one edge of a box to the other, worked on in its tiles, against a box full of smoke: what a cell that is worked on costs of each. */
const tiles = (n: number): Bench => ({
  name: 'gas/plume-tiles',
  size: `${n}^3`,
  runs: 3,
  threads: [1, 2],
  run(crew) {
    const draft = smokeIn(crew, n, (i, j, k) => (i - j) ** 2 + (k - n / 2) ** 2 <= 81)
    const full = smokeIn(crew, 96, () => true)
    // In turn, since the machine's own speed changes.
    const turns = Array.from({ length: 12 }, () => [timed(1, draft.step), timed(1, full.step)] as const)
    const [ms, whole] = [0, 1].map((m) => median(turns.map((turn) => turn[m] ?? 0))) as [number, number]
    return {
      ms,
      figures: {
        boxOverWorked: n ** 3 / draft.worked,
        nsPerCell: (ms * 1e6) / draft.worked,
        nsPerCellFull: (whole * 1e6) / full.worked,
        ratio: ms / draft.worked / (whole / full.worked),
        bytesPerCell: draft.bytesPerCell,
        bytesPerCellFull: full.bytesPerCell,
      },
    }
  },
})

export const gasBenches: readonly Bench[] = [
  advection('gas/advect-mac-160', 160, 'mac'),
  advection('gas/carry-flux-160', 160, 'flux'),
  pressure('gas/pressure-160-box-sphere', 160, ball(160)),
  pressure('gas/pressure-160-box-sphere-wall', 160, ballAndWall(160)),
  step(96),
  step(160),
  tiles(160),
]
