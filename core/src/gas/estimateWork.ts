import type { Crew } from '../base/index.ts'
import type { CellBox } from '../data/index.ts'
import { tilesRound } from './activeTiles.ts'
import { type CellRange, cellsOf, fittedBox, roundSources, sourceBox } from './box.ts'
import { KEEP_FUEL, KEEP_HEAT, KEEP_SOOT } from './encodeFrame.ts'
import type { GasFields } from './fields.ts'
import { pacesOf, stepsFor } from './paces.ts'
import { tilesOf, WORK_TILE } from './rowTables.ts'
import { sceneInputsAt } from './sceneInputs.ts'
import type { GasSettings } from './settings.ts'
import { GasSimulation } from './simulate.ts'
import { baseOf, rowOf, startOf, stopOf } from './sparseRows.ts'

// How much work a run will be, from a rough one: where its gas is and how fast it goes is much the same with larger cells, at a small part of the cost.

/** A cell of the rough run that holds gas: its place and its speeds, m and m/s. */
type Visit = (low: readonly number[], high: readonly number[], speed: readonly number[]) => void

function eachHeld(crew: Crew, { box, pointers, store }: GasFields, ambient: number, visit: Visit): void {
  const [density, fuel, soot, u, v, w] = [
    pointers.density,
    pointers.fuel,
    pointers.soot,
    pointers.u,
    pointers.v,
    pointers.w,
  ].map((pointer) => crew.heap.f32(pointer, store.cells)) as [
    Float32Array,
    Float32Array,
    Float32Array,
    Float32Array,
    Float32Array,
    Float32Array,
  ]
  const [nx, ny, nz] = box.size
  const thinner = ambient / (ambient + KEEP_HEAT)
  const [low, high, speed] = [
    [0, 0, 0],
    [0, 0, 0],
    [0, 0, 0],
  ]
  for (let k = 0; k < nz; k++)
    for (let j = 0; j < ny; j++) {
      const row = rowOf(store, j, k)
      const base = baseOf(store, row) + 1
      for (let i = Math.max(0, startOf(store, row) - 1), stop = Math.min(nx, stopOf(store, row) - 1); i < stop; i++) {
        const e = base + i
        if (!((density[e] ?? 1) <= thinner || (fuel[e] ?? 0) >= KEEP_FUEL || (soot[e] ?? 0) >= KEEP_SOOT)) continue
        ;[i, j, k].forEach((c, axis) => {
          low[axis] = (c + (box.origin[axis] ?? 0)) * box.cell
          high[axis] = (low[axis] ?? 0) + box.cell
        })
        speed[0] = u[e] ?? 0
        speed[1] = v[e] ?? 0
        speed[2] = w[e] ?? 0
        visit(low, high, speed)
      }
    }
}

/** Cells of the finer box's lattice that what the rough run holds lies in. */
function heldRange(crew: Crew, rough: GasFields, { ambient, cell }: GasSettings): CellRange | undefined {
  const low = [Infinity, Infinity, Infinity]
  const high = [-Infinity, -Infinity, -Infinity]
  eachHeld(crew, rough, ambient, (from, to) => {
    for (let axis = 0; axis < 3; axis++) {
      low[axis] = Math.min(low[axis] ?? 0, Math.floor((from[axis] ?? 0) / cell + 1e-6))
      high[axis] = Math.max(high[axis] ?? 0, Math.ceil((to[axis] ?? 0) / cell - 1e-6))
    }
  })
  return Number.isFinite(low[0]) ? { low, high } : undefined
}

/** Cells that are worked on in the finer box. */
function workedCells(
  crew: Crew,
  rough: GasFields,
  box: CellBox,
  settings: GasSettings,
  now: GasSettings['sceneInputs'][number],
  span: number,
): number {
  const { tiles, count } = tilesOf(box.size)
  const marks = new Float32Array(8 * count)
  const tileOf = (metres: number, axis: number, up: 0 | 1): number => {
    const at = (metres / box.cell - (box.origin[axis] ?? 0)) / WORK_TILE
    return Math.min((tiles[axis] ?? 1) - 1, Math.max(0, up ? Math.ceil(at - 1e-6) - 1 : Math.floor(at + 1e-6)))
  }
  eachHeld(crew, rough, settings.ambient, (low, high, speed) => {
    const [a, b] = [low.map((v, axis) => tileOf(v, axis, 0)), high.map((v, axis) => tileOf(v, axis, 1))] as [
      number[],
      number[],
    ]
    for (let k = a[2] ?? 0; k <= (b[2] ?? 0); k++)
      for (let j = a[1] ?? 0; j <= (b[1] ?? 0); j++)
        for (let i = a[0] ?? 0; i <= (b[0] ?? 0); i++) {
          const at = 8 * ((k * tiles[1] + j) * tiles[0] + i)
          marks[at] = 1
          for (let axis = 0; axis < 3; axis++) {
            const s = speed[axis] ?? 0
            marks[at + 1 + 2 * axis] = Math.max(marks[at + 1 + 2 * axis] ?? 0, -s)
            marks[at + 2 + 2 * axis] = Math.max(marks[at + 2 + 2 * axis] ?? 0, s)
          }
        }
  })
  const active = tilesRound(box, marks, roundSources(settings, now), span)
  return active ? active.reduce((sum, one) => sum + one, 0) * WORK_TILE ** 3 : cellsOf(box)
}

export interface FrameWork {
  cells: number
  steps: number
}

/**
 * Cells that each of a run's first `frames` frames (run-up counted, `rate` a second) will work on and the steps that it will take, told by the same run with larger cells (`rough`, else the same settings), which is computed for it a frame at a time.
 * The finer run's box and tiles are laid round what the rough one holds, and its steps are those that the rough one's speeds would make it take. Throws what GasSimulation throws.
 */
export function* estimateWork(
  crew: Crew,
  settings: GasSettings,
  rough: GasSettings,
  rate: number,
  frames: number,
): Generator<FrameWork> {
  const mark = crew.heap.mark()
  try {
    const simulation = new GasSimulation(crew, rough, rate)
    const span = 1 / rate
    let box = sourceBox(settings, sceneInputsAt(settings, 0))
    let cells = workedCells(crew, simulation.fields, box, settings, sceneInputsAt(settings, -1), span)
    for (let frame = 0; frame < frames; frame++) {
      const [last, now] = [sceneInputsAt(settings, frame - 1), sceneInputsAt(settings, frame)]
      const { fastest } = simulation.advance()
      const steps = stepsFor(settings, span, fastest, pacesOf(last, now, span))
      yield { cells, steps }
      box = fittedBox(settings, now, box, heldRange(crew, simulation.fields, settings), fastest * span) ?? box
      cells = workedCells(crew, simulation.fields, box, settings, now, span)
    }
  } finally {
    crew.heap.release(mark)
  }
}
