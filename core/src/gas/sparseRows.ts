import { paddedCells, paddedIndex } from '../data/index.ts'

// Where the fields of a gas lie in memory: whole, as padded fields do, or, where only a part of a box holds gas, only what is near the work of every row, one row after the other.

type Size = readonly [number, number, number]

export interface RowStore {
  readonly size: Size
  /** Elements of a field. */
  readonly cells: number
  /** Of every array row (k * (ny + 2) + j) the first column that is stored, the one after the last, and the element at which its column 0 would lie. Without: all are stored. */
  readonly rows?: Int32Array
}

/** Where rows that nothing is stored of are said to lie, so that kernels which look at one see zeros. */
const EMPTY = 0
/** Room between the rows where the ends of rows are handled four cells at a time. */
const SLACK = 4

export const wholeStore = (size: Size): RowStore => ({ size, cells: paddedCells(size) })

/** Stores the columns [low, high) of every array row: two numbers a row. */
export function storeOf(size: Size, columns: Int32Array): RowStore {
  const count = (size[1] + 2) * (size[2] + 2)
  const rows = new Int32Array(3 * count)
  let next = size[0] + 2 + SLACK
  for (let r = 0; r < count; r++) {
    const [low, high] = [columns[2 * r] ?? 0, columns[2 * r + 1] ?? 0]
    if (low >= high) {
      rows[3 * r + 2] = EMPTY
      continue
    }
    rows[3 * r] = low
    rows[3 * r + 1] = high
    rows[3 * r + 2] = next - low
    next += high - low + (size[0] % 4 === 0 ? 0 : SLACK)
  }
  // Whatever goes through a field in nz + 2 equal parts comes out even.
  return { size, cells: Math.ceil(next / (size[2] + 2)) * (size[2] + 2), rows }
}

/** A row's first stored column, the one after the last, and the element of its column 0. */
export const startOf = ({ rows }: RowStore, row: number): number => (rows ? (rows[3 * row] ?? 0) : 0)
export const stopOf = ({ rows, size }: RowStore, row: number): number => (rows ? (rows[3 * row + 1] ?? 0) : size[0] + 2)
export const baseOf = ({ rows, size }: RowStore, row: number): number =>
  rows ? (rows[3 * row + 2] ?? 0) : row * (size[0] + 2)

/** Array row of the cells (., j, k), each from -1 to n. */
export const rowOf = ({ size }: RowStore, j: number, k: number): number => (k + 1) * (size[1] + 2) + j + 1

/** Element of a padded index (paddedIndex), -1 where it is not stored. */
export function elementAt(store: RowStore, index: number): number {
  if (!store.rows) return index
  const row = Math.floor(index / (store.size[0] + 2))
  const column = index - row * (store.size[0] + 2)
  return column >= startOf(store, row) && column < stopOf(store, row) ? baseOf(store, row) + column : -1
}

/** Element of the cell (i, j, k), each from -1 to n; -1 where it is not stored. */
export const elementOf = (store: RowStore, i: number, j: number, k: number): number =>
  elementAt(store, paddedIndex(store.size, i, j, k))

/** Calls `visit` for every array row of which something is stored: its first column, the one after the last and the element of column 0. */
export function eachRow(
  store: RowStore,
  visit: (row: number, start: number, stop: number, base: number) => void,
): void {
  const count = (store.size[1] + 2) * (store.size[2] + 2)
  for (let row = 0; row < count; row++) {
    const [start, stop] = [startOf(store, row), stopOf(store, row)]
    if (start < stop) visit(row, start, stop, baseOf(store, row))
  }
}
