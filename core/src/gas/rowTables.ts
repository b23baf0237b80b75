import type { Crew } from '../base/index.ts'
import { baseOf, type RowStore, storeOf, wholeStore } from './sparseRows.ts'

// The rows of a box that the work on its tiles of 8^3 cells goes through, and how they are told to the kernels (kernels/assembly/grid.ts).

export const WORK_TILE = 8
/** Beside what is worked on, so many cells of air that kernels look into. */
const WIDE = 2

type Size = readonly [number, number, number]

export function tilesOf(size: Size): { tiles: readonly [number, number, number]; count: number } {
  const tiles = size.map((n) => Math.ceil(n / WORK_TILE)) as [number, number, number]
  return { tiles, count: tiles[0] * tiles[1] * tiles[2] }
}

/** The parts of a box's rows that the work on its tiles goes through, as two numbers for every array row: the cells from its first tile to its last; those with the faces round them; and, in array columns, with two more round each of these, which hold the air outside. */
export interface TileSpans {
  cells: Int32Array
  faces: Int32Array
  wide: Int32Array
  /** Of every array layer the rows that `wide` has any of. */
  layers: Int32Array
}

const widen = (target: Int32Array, row: number, low: number, high: number): void => {
  const held = (target[2 * row] ?? 0) < (target[2 * row + 1] ?? 0)
  target[2 * row] = held ? Math.min(target[2 * row] ?? 0, low) : low
  target[2 * row + 1] = held ? Math.max(target[2 * row + 1] ?? 0, high) : high
}

/** Widens the spans of all rows round one, up to `above` rows over it, by a span of its columns. */
function widenRound(
  target: Int32Array,
  layers: Int32Array | undefined,
  [, ny, nz]: Size,
  j: number,
  k: number,
  above: number,
  low: number,
  high: number,
): void {
  for (let z = Math.max(0, k - WIDE); z <= Math.min(nz + 1, k + above); z++)
    for (let y = Math.max(0, j - WIDE); y <= Math.min(ny + 1, j + above); y++) {
      widen(target, z * (ny + 2) + y, low, high)
      if (layers) widen(layers, z, y, y + 1)
    }
}

export function spansOf([nx, ny, nz]: Size, active: Uint8Array): TileSpans {
  const { tiles } = tilesOf([nx, ny, nz])
  const count = 2 * (ny + 2) * (nz + 2)
  const [cells, faces, wide, layers] = [
    new Int32Array(count),
    new Int32Array(count),
    new Int32Array(count),
    new Int32Array(2 * (nz + 2)),
  ]
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
      widenRound(
        wide,
        layers,
        [nx, ny, nz],
        j + 1,
        k + 1,
        WIDE + 1,
        Math.max(0, low + 1 - WIDE),
        Math.min(nx + 2, end + 1 + WIDE),
      )
    }
  return { cells, faces, wide, layers }
}

/** The spans of a box's next coarser one: a row of it holds what its four rows hold. */
export function coarserSpans(cells: Int32Array, [nx, ny, nz]: Size, [cx, cy, cz]: Size): Int32Array {
  const coarse = new Int32Array(2 * (cy + 2) * (cz + 2))
  for (let k = 0; k < cz; k++)
    for (let j = 0; j < cy; j++) {
      let [low, high] = [nx, 0]
      for (let n = 0; n < 4; n++) {
        const [y, z] = [2 * j + (n & 1), 2 * k + (n >> 1)]
        const row = 2 * ((z + 1) * (ny + 2) + y + 1)
        if (y >= ny || z >= nz || (cells[row] ?? 0) >= (cells[row + 1] ?? 0)) continue
        low = Math.min(low, cells[row] ?? 0)
        high = Math.max(high, cells[row + 1] ?? 0)
      }
      if (low >= high) continue
      const at = 2 * ((k + 1) * (cy + 2) + j + 1)
      coarse[at] = (low >> 1) & ~3
      coarse[at + 1] = Math.min(cx, (((high + 1) >> 1) + 3) & ~3)
    }
  return coarse
}

/** What is stored for the spans of a row's cells: two columns and rows more on every side. */
export function storeRound(size: Size, cells: Int32Array): RowStore {
  const [nx, ny, nz] = size
  const wide = new Int32Array(2 * (ny + 2) * (nz + 2))
  for (let k = 1; k <= nz; k++)
    for (let j = 1; j <= ny; j++) {
      const at = 2 * (k * (ny + 2) + j)
      const [low, high] = [cells[at] ?? 0, cells[at + 1] ?? 0]
      if (low < high)
        widenRound(wide, undefined, size, j, k, WIDE, Math.max(0, low + 1 - WIDE), Math.min(nx + 2, high + 1 + WIDE))
    }
  return storeOf(size, wide)
}

/** How the fields of a box lie whose tiles are worked on; none: all of it. */
export const storeFor = (size: Size, active?: Uint8Array): RowStore =>
  active ? storeOf(size, spansOf(size, active).wide) : wholeStore(size)

/** Lays a table of spans for the kernels (kernels/assembly/grid.ts) on the heap: of every array row the two numbers and the element of its column 0. after: what else belongs to it. */
export function allocateTable(
  crew: Crew,
  spans: Int32Array,
  store: RowStore,
  after: Int32Array = new Int32Array(0),
): number {
  const [rows, more] = [spans.length / 2, after.length / 2]
  // Kernels reckon where two rows further lie before they know whether there are any.
  const count = rows + more + 2 * (store.size[1] + 2) + 2
  const pointer = crew.heap.alloc(16 * count)
  const table = crew.heap.i32(pointer, 4 * count).fill(0)
  for (let r = 0; r < rows + more; r++) {
    table[4 * r] = (r < rows ? spans[2 * r] : after[2 * (r - rows)]) ?? 0
    table[4 * r + 1] = (r < rows ? spans[2 * r + 1] : after[2 * (r - rows) + 1]) ?? 0
    if (r < rows) table[4 * r + 2] = baseOf(store, r)
  }
  return pointer
}
