import type { Crew } from '../base/index.ts'
import { paddedIndex } from '../data/index.ts'
import type { GasFields } from './fields.ts'
import { KEEP_FUEL, KEEP_HEAT, KEEP_SOOT } from './keep.ts'
import { layersPerChunk, type RowSpans } from './pressure.ts'
import type { GasSettings } from './settings.ts'

// Where of a box the work is: tiles of 8^3 cells that hold gas, with air round them into which it may go before they are looked for again.

export const WORK_TILE = 8
const FLUID = 1
const AIR = 2
/** Beside what is worked on, so many cells of air that kernels look into. */
const WIDE = 2
/** A box that is worked on in more than this share is worked on whole. */
const SPARSE = 0.5
/** Clear cells kept round what holds gas, besides what it travels, and the most that is granted for that. */
export const CLEAR = 6
const MOST_TRAVEL = 24

type Size = readonly [number, number, number]

export function tilesOf(size: Size): { tiles: Size; count: number } {
  const tiles = size.map((n) => Math.ceil(n / WORK_TILE)) as [number, number, number]
  return { tiles, count: tiles[0] * tiles[1] * tiles[2] }
}

/** Opens the cells outside the tiles to the air (no pressure), and makes those inside gas again; walls stay. */
export function openOutside(flags: Uint8Array, size: Size, active: Uint8Array | undefined): void {
  const { tiles } = tilesOf(size)
  for (let k = 0; k < size[2]; k++)
    for (let j = 0; j < size[1]; j++) {
      const tile = ((k >> 3) * tiles[1] + (j >> 3)) * tiles[0]
      const row = paddedIndex(size, 0, j, k)
      for (let i = 0; i < size[0]; i++) if (flags[row + i] !== 0) flags[row + i] = !active || active[tile + (i >> 3)] ? FLUID : AIR
    }
}

/** Room for the tables of spans of `rows` rows (ghosts too) in `layers` layers; that of what is seen round the work also says which rows of a layer have any. */
export function spanRoom(crew: Crew, rows: number, layers: number): { cells: number; faces: number; wide: number } {
  return { cells: crew.heap.alloc(8 * rows), faces: crew.heap.alloc(8 * rows), wide: crew.heap.alloc(8 * (rows + layers)) }
}

/** Writes the tables of spans for the tiles: a row's cells from its first tile to its last. */
export function writeSpans(crew: Crew, [nx, ny, nz]: Size, active: Uint8Array, room: RowSpans): void {
  const { tiles } = tilesOf([nx, ny, nz])
  const count = (ny + 2) * (nz + 2)
  const table = (pointer: number): Int32Array => crew.heap.i32(pointer, 2 * count)
  const [cells, faces, wide] = [table(room.cells).fill(0), table(room.faces).fill(0), table(room.wide).fill(0)]
  const layers = crew.heap.i32(room.wide + 8 * count, 2 * (nz + 2)).fill(0)
  const widen = (target: Int32Array, row: number, low: number, high: number): void => {
    const held = (target[2 * row] ?? 0) < (target[2 * row + 1] ?? 0)
    target[2 * row] = held ? Math.min(target[2 * row] ?? 0, low) : low
    target[2 * row + 1] = held ? Math.max(target[2 * row + 1] ?? 0, high) : high
  }
  for (let k = 0; k < nz; k++)
    for (let j = 0; j < ny; j++) {
      const tile = ((k >> 3) * tiles[1] + (j >> 3)) * tiles[0]
      let [first, last] = [-1, -1]
      for (let t = 0; t < tiles[0]; t++)
        if (active[tile + t]) {
          if (first < 0) first = t
          last = t
        }
      if (first < 0) continue
      const [low, high] = [first * WORK_TILE, Math.min(nx, (last + 1) * WORK_TILE)]
      const row = (k + 1) * (ny + 2) + j + 1
      widen(cells, row, low, high)
      // A cell's upper faces are the lower ones of its neighbours.
      const end = high < nx ? Math.min(nx, high + 4) : nx
      for (const beside of [row, row + 1, row + ny + 2]) widen(faces, beside, low, end)
      for (let dk = -WIDE; dk <= WIDE; dk++)
        for (let dj = -WIDE; dj <= WIDE; dj++) {
          const [y, z] = [j + 1 + dj, k + 1 + dk]
          if (y < 0 || y >= ny + 2 || z < 0 || z >= nz + 2) continue
          widen(wide, z * (ny + 2) + y, Math.max(0, low + 1 - WIDE), Math.min(nx + 2, end + 1 + WIDE))
          widen(layers, z, y, y + 1)
        }
    }
}

/** Bounds in metres. */
export interface WorkBounds {
  low: readonly number[]
  high: readonly number[]
}

/**
 * The tiles that hold gas, each with room for where it may go within `span` seconds, and those within the given bounds. Undefined where most of the box is among them.
 */
export function workedTiles(crew: Crew, fields: GasFields, { ambient }: Pick<GasSettings, 'ambient'>, bounds: readonly WorkBounds[], span: number): Uint8Array | undefined {
  const { box, pointers, room } = fields
  const { tiles, count } = tilesOf(box.size)
  const chunk = Math.max(1, Math.ceil(layersPerChunk(box.size, crew.threads) / WORK_TILE))
  crew.run('markTiles', [pointers.density, pointers.fuel, pointers.soot, ambient / (ambient + KEEP_HEAT), KEEP_FUEL, KEEP_SOOT, pointers.u, pointers.v, pointers.w, room.tiles, ...box.size], tiles[2], chunk)
  const marks = crew.heap.f32(room.tiles, 8 * count)
  const active = new Uint8Array(count)
  const take = (low: readonly number[], high: readonly number[]): void => {
    const [a, b] = [low, high].map((corner) => corner.map((c, axis) => Math.min((tiles[axis] ?? 1) - 1, Math.max(0, Math.floor(c / WORK_TILE))))) as [number[], number[]]
    for (let k = a[2] ?? 0; k <= (b[2] ?? 0); k++) for (let j = a[1] ?? 0; j <= (b[1] ?? 0); j++) active.fill(1, (k * tiles[1] + j) * tiles[0] + (a[0] ?? 0), (k * tiles[1] + j) * tiles[0] + (b[0] ?? 0) + 1)
  }
  for (const { low, high } of bounds) take(low.map((v, axis) => v / box.cell - (box.origin[axis] ?? 0)), high.map((v, axis) => v / box.cell - (box.origin[axis] ?? 0)))
  const reach = (speed: number): number => CLEAR + Math.max(0, Math.min(MOST_TRAVEL, (speed * span) / box.cell))
  for (let tile = 0; tile < count; tile++) {
    const at = 8 * tile
    if (!marks[at]) continue
    const corner = [tile % tiles[0], Math.floor(tile / tiles[0]) % tiles[1], Math.floor(tile / (tiles[0] * tiles[1]))].map((t) => t * WORK_TILE)
    take(corner.map((c, axis) => c - reach(marks[at + 1 + 2 * axis] ?? 0)), corner.map((c, axis) => c + WORK_TILE - 1 + reach(marks[at + 2 + 2 * axis] ?? 0)))
  }
  return active.reduce((sum, one) => sum + one, 0) > SPARSE * count ? undefined : active
}
