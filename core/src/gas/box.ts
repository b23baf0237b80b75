import { LanternError } from '../base/index.ts'
import type { CellBox } from '../data/index.ts'
import { CLEAR } from './activeTiles.ts'
import type { GasSettings, SceneInputs } from './settings.ts'
import { sourceBounds } from './sourceShapes.ts'

// The box that a gas is worked out in: its sources with air round them, what it holds, and where that may reach in the next frame.

const BOX_STEP = 8
const SHRINK_SLACK = 24
/** Clear cells round a source, and over it besides. */
const SOURCE_PAD = CLEAR + 3
const ABOVE_SOURCE = 8
const MOST_TRAVEL = 12

/** Cells of the lattice, from `low` to `high` and without that. */
export interface CellRange {
  low: readonly number[]
  high: readonly number[]
}

/** Lattice box round a low and a high corner (cells), rounded out and held within the bounds. */
function boxAround({ cell, bounds }: GasSettings, low: readonly number[], high: readonly number[]): CellBox {
  const origin = [0, 0, 0]
  const size = [0, 0, 0]
  for (let axis = 0; axis < 3; axis++) {
    const least = Math.round((bounds.low[axis] ?? 0) / cell)
    const most = Math.max(least + BOX_STEP, Math.round((bounds.high[axis] ?? 0) / cell))
    const from = Math.max(least, Math.floor((low[axis] ?? 0) / BOX_STEP) * BOX_STEP)
    const span = Math.min(most - from, (high[axis] ?? 0) - from)
    origin[axis] = from
    size[axis] = Math.max(BOX_STEP * 2, Math.ceil(span / BOX_STEP) * BOX_STEP)
  }
  return { cell, origin: origin as [number, number, number], size: size as [number, number, number] }
}

export const cellsOf = ({ size }: Pick<CellBox, 'size'>): number => size[0] * size[1] * size[2]

/** Bounds of the sources, m, each with the clear air that is kept round it. */
export function roundSources(settings: GasSettings, now: SceneInputs): { low: number[]; high: number[] }[] {
  return now.sources.flatMap((_, n) => {
    const found = sourceBounds(settings, now, n)
    if (!found?.low.every(Number.isFinite) || !found.high.every(Number.isFinite)) return []
    return [
      {
        low: found.low.map((v) => v - SOURCE_PAD * settings.cell),
        high: found.high.map((v, axis) => v + (SOURCE_PAD + (axis === 1 ? ABOVE_SOURCE : 0)) * settings.cell),
      },
    ]
  })
}

/** The least box at a moment: the sources with some air round them. Throws LanternError 'gas-size' where it is over settings.mostCells. */
export function sourceBox(settings: GasSettings, now: SceneInputs): CellBox {
  const { cell, mostCells } = settings
  const low = [Infinity, Infinity, Infinity]
  const high = [-Infinity, -Infinity, -Infinity]
  now.sources.forEach((_, n) => {
    const bounds = sourceBounds(settings, now, n)
    if (!bounds?.low.every(Number.isFinite) || !bounds.high.every(Number.isFinite)) return
    for (let axis = 0; axis < 3; axis++) {
      low[axis] = Math.min(low[axis] ?? 0, Math.floor((bounds.low[axis] ?? 0) / cell - SOURCE_PAD))
      high[axis] = Math.max(
        high[axis] ?? 0,
        Math.ceil((bounds.high[axis] ?? 0) / cell + SOURCE_PAD + (axis === 1 ? ABOVE_SOURCE : 0)),
      )
    }
  })
  if (!Number.isFinite(low[0])) low.forEach((_, axis) => ((low[axis] = 0), (high[axis] = 16)))
  const box = boxAround(settings, low, high)
  if (cellsOf(box) > mostCells)
    throw new LanternError(
      'gas-size',
      `The source alone needs ${(cellsOf(box) / 1e6).toFixed(1)} million cells of ${(cell * 1000).toFixed(0)} mm; ${(mostCells / 1e6).toFixed(1)} million are allowed.`,
      'Choose a larger cell or a smaller source.',
      { field: 'cell' },
    )
  return box
}

/** The box that a gas goes on in which fills `held` (none: nothing) of `box` and may go `travel` metres in the next frame; undefined where it stays. It grows as soon as it must, and shrinks when that is worth it. */
export function fittedBox(
  settings: GasSettings,
  now: SceneInputs,
  box: CellBox,
  held: CellRange | undefined,
  travel: number,
): CellBox | undefined {
  const first = sourceBox(settings, now)
  const pad = CLEAR + Math.min(MOST_TRAVEL, Math.ceil(travel / settings.cell / 2))
  const low = first.origin.map((o, axis) => Math.min(o, (held?.low[axis] ?? Infinity) - pad))
  const high = first.origin.map((o, axis) =>
    Math.max(o + (first.size[axis] ?? 0), (held?.high[axis] ?? -Infinity) + pad),
  )
  const wanted = boxAround(settings, low, high)
  const over = wanted.origin.map((o, axis) => ({
    below: o - (box.origin[axis] ?? 0),
    above: (box.origin[axis] ?? 0) + (box.size[axis] ?? 0) - o - (wanted.size[axis] ?? 0),
  }))
  const grows = over.some(({ below, above }) => below < 0 || above < 0)
  const slack = over.some(({ below, above }) => below >= SHRINK_SLACK || above >= SHRINK_SLACK)
  return (grows || slack) && cellsOf(wanted) <= settings.mostCells ? wanted : undefined
}
