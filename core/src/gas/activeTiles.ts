import type { Crew } from '../base/index.ts'
import type { CellBox } from '../data/index.ts'
import { KEEP_FUEL, KEEP_HEAT, KEEP_SOOT } from './encodeFrame.ts'
import type { GasFields } from './fields.ts'
import { layersPerChunk } from './multigrid.ts'
import { tilesOf, WORK_TILE } from './rowTables.ts'
import type { GasSettings } from './settings.ts'

// Where of a box the work is: tiles of 8^3 cells that hold gas, with air round them into which it may go before they are looked for again.

/** A box that is worked on in more than this share is worked on whole. */
const SPARSE = 0.5
/** Clear cells kept round what holds gas, besides what it travels, and the most that is granted for that. */
export const CLEAR = 6
const MOST_TRAVEL = 24

/** Bounds in metres. */
export interface WorkBounds {
  low: readonly number[]
  high: readonly number[]
}

/**
 * The tiles that hold gas, each with room for where it may go within `span` seconds, and those within the given bounds. Undefined where most of the box is among them.
 */
export function workedTiles(
  crew: Crew,
  fields: GasFields,
  { ambient }: Pick<GasSettings, 'ambient'>,
  bounds: readonly WorkBounds[],
  span: number,
): Uint8Array | undefined {
  const { box, pointers, marks: room, spans } = fields
  const { tiles, count } = tilesOf(box.size)
  const chunk = Math.max(1, Math.ceil(layersPerChunk(box.size, crew.threads) / WORK_TILE))
  crew.run(
    'markTiles',
    [
      pointers.density,
      pointers.fuel,
      pointers.soot,
      ambient / (ambient + KEEP_HEAT),
      KEEP_FUEL,
      KEEP_SOOT,
      pointers.u,
      pointers.v,
      pointers.w,
      room,
      spans.cells,
      ...box.size,
    ],
    tiles[2],
    chunk,
  )
  return tilesRound(box, crew.heap.f32(room, 8 * count), bounds, span)
}

/**
 * The tiles of a box that are marked and those round them where their gas may go within `span` seconds, and those within the given bounds; undefined where most of the box is among them.
 * marks: eight numbers a tile: whether it holds gas, and its least and greatest speed along each axis, m/s.
 */
export function tilesRound(
  box: CellBox,
  marks: ArrayLike<number>,
  bounds: readonly WorkBounds[],
  span: number,
): Uint8Array | undefined {
  const { tiles, count } = tilesOf(box.size)
  const active = new Uint8Array(count)
  const take = (low: readonly number[], high: readonly number[]): void => {
    const [a, b] = [low, high].map((corner) =>
      corner.map((c, axis) => Math.min((tiles[axis] ?? 1) - 1, Math.max(0, Math.floor(c / WORK_TILE)))),
    ) as [number[], number[]]
    for (let k = a[2] ?? 0; k <= (b[2] ?? 0); k++)
      for (let j = a[1] ?? 0; j <= (b[1] ?? 0); j++)
        active.fill(1, (k * tiles[1] + j) * tiles[0] + (a[0] ?? 0), (k * tiles[1] + j) * tiles[0] + (b[0] ?? 0) + 1)
  }
  for (const { low, high } of bounds)
    take(
      low.map((v, axis) => v / box.cell - (box.origin[axis] ?? 0)),
      high.map((v, axis) => v / box.cell - (box.origin[axis] ?? 0)),
    )
  const reach = (speed: number): number => CLEAR + Math.max(0, Math.min(MOST_TRAVEL, (speed * span) / box.cell))
  for (let tile = 0; tile < count; tile++) {
    const at = 8 * tile
    if (!marks[at]) continue
    const corner = [
      tile % tiles[0],
      Math.floor(tile / tiles[0]) % tiles[1],
      Math.floor(tile / (tiles[0] * tiles[1])),
    ].map((t) => t * WORK_TILE)
    take(
      corner.map((c, axis) => c - reach(marks[at + 1 + 2 * axis] ?? 0)),
      corner.map((c, axis) => c + WORK_TILE - 1 + reach(marks[at + 2 + 2 * axis] ?? 0)),
    )
  }
  return active.reduce((sum, one) => sum + one, 0) > SPARSE * count ? undefined : active
}

/** The tiles of another box on the same lattice that hold all that is worked on in this one; undefined where most of it is among them, or all of this one is worked on. */
export function tilesIn({ box, active }: Pick<GasFields, 'box' | 'active'>, other: CellBox): Uint8Array | undefined {
  if (!active) return undefined
  const { tiles } = tilesOf(box.size)
  const to = tilesOf(other.size)
  const held = new Uint8Array(to.count)
  const shift = box.origin.map((o, axis) => o - (other.origin[axis] ?? 0)) as [number, number, number]
  const range = (axis: 0 | 1 | 2, first: number, last: number): readonly [number, number] => {
    const low = Math.floor((first * WORK_TILE + shift[axis]) / WORK_TILE)
    const high = Math.floor((Math.min(box.size[axis], (last + 1) * WORK_TILE) - 1 + shift[axis]) / WORK_TILE)
    return [Math.max(0, low), Math.min(to.tiles[axis] - 1, high)]
  }
  for (let k = 0; k < tiles[2]; k++)
    for (let j = 0; j < tiles[1]; j++) {
      const row = active.subarray((k * tiles[1] + j) * tiles[0], (k * tiles[1] + j + 1) * tiles[0])
      const [first, last] = [row.indexOf(1), row.lastIndexOf(1)]
      if (first < 0) continue
      const [x, y, z] = [range(0, first, last), range(1, j, j), range(2, k, k)]
      for (let c = z[0]; c <= z[1]; c++)
        for (let b = y[0]; b <= y[1]; b++)
          if (x[0] <= x[1])
            held.fill(1, (c * to.tiles[1] + b) * to.tiles[0] + x[0], (c * to.tiles[1] + b) * to.tiles[0] + x[1] + 1)
    }
  return held.reduce((sum, one) => sum + one, 0) > SPARSE * to.count ? undefined : held
}
