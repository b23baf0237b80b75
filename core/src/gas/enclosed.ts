import { baseOf, eachRow, type RowStore, startOf, stopOf } from './sparseRows.ts'

const FLUID = 1
const AIR = 2

/** Runs of gas cells along rows that are open to one another, those of a row from `firsts[row]` on. */
interface Runs {
  /** Of each: its row, its first column and its last. */
  row: number[]
  low: number[]
  high: number[]
  firsts: Int32Array
  /** The run that it hangs on; itself where it is the first of its part. */
  parents: number[]
}

function rootOf(parents: number[], run: number): number {
  let at = run
  while (parents[at] !== at) {
    parents[at] = parents[parents[at] ?? at] ?? at
    at = parents[at] ?? at
  }
  return at
}

function join(parents: number[], a: number, b: number): void {
  const [one, other] = [rootOf(parents, a), rootOf(parents, b)]
  parents[Math.max(one, other)] = Math.min(one, other)
}

/** Finds the runs, hung on those of the rows below and before that they are open to. */
function findRuns(store: RowStore, flags: Uint8Array, shares: readonly Uint8Array[] | undefined): Runs {
  const tall = store.size[1] + 2
  const rows = tall * (store.size[2] + 2)
  const runs: Runs = { row: [], low: [], high: [], firsts: new Int32Array(rows + 1), parents: [] }
  const { firsts, parents } = runs
  let seen = 0
  eachRow(store, (row, start, stop, base) => {
    for (; seen <= row; seen++) firsts[seen] = parents.length
    for (let i = start; i < stop; i++) {
      if (flags[base + i] !== FLUID) continue
      const low = i
      while (i + 1 < stop && flags[base + i + 1] === FLUID && shares?.[0]?.[base + i + 1] !== 0) i++
      runs.row.push(row)
      runs.low.push(low)
      runs.high.push(i)
      parents.push(parents.length)
    }
    for (const [axis, other] of [
      [1, row - 1],
      [2, row - tall],
    ] as const)
      for (let a = firsts[row] ?? 0; a < parents.length; a++)
        for (let b = firsts[other] ?? 0; b < (firsts[other + 1] ?? 0); b++) {
          const last = Math.min(runs.high[a] ?? 0, runs.high[b] ?? 0)
          for (let i = Math.max(runs.low[a] ?? 0, runs.low[b] ?? 0); i <= last; i++)
            if (shares?.[axis]?.[base + i] !== 0) {
              join(parents, a, b)
              break
            }
        }
  })
  for (; seen <= rows; seen++) firsts[seen] = parents.length
  return runs
}

/** Whether open air, or what is not stored, is past an open face of a run. */
function breathes(
  store: RowStore,
  flags: Uint8Array,
  shares: readonly Uint8Array[] | undefined,
  row: number,
  low: number,
  high: number,
): boolean {
  const tall = store.size[1] + 2
  const base = baseOf(store, row)
  if (low === startOf(store, row) || high === stopOf(store, row) - 1) return true
  if (flags[base + low - 1] === AIR && shares?.[0]?.[base + low] !== 0) return true
  if (flags[base + high + 1] === AIR && shares?.[0]?.[base + high + 1] !== 0) return true
  for (const [axis, other, after] of [
    [1, row - 1, false],
    [1, row + 1, true],
    [2, row - tall, false],
    [2, row + tall, true],
  ] as const) {
    const past = baseOf(store, other)
    const [start, stop] = [startOf(store, other), stopOf(store, other)]
    for (let i = low; i <= high; i++) {
      if (i < start || i >= stop) return true
      if (flags[past + i] === AIR && shares?.[axis]?.[(after ? past : base) + i] !== 0) return true
    }
  }
  return false
}

/**
 * The parts of the gas that walls shut off from the open air, as the elements of their cells: a closed room, a gap too narrow for the air. There the pressure is known but for a number, and what the air grows by has nowhere to go.
 * flags: 0 wall, 1 gas, 2 air, ghosts written; shares: of the faces of each axis that are open, in 1/255, where walls cut cells. Stored fields.
 */
export function enclosedRegions(
  store: RowStore,
  flags: Uint8Array,
  shares: readonly Uint8Array[] | undefined,
): Int32Array[] {
  const { row, low, high, parents } = findRuns(store, flags, shares)
  const open = new Set<number>()
  for (let run = 0; run < parents.length; run++) {
    const root = rootOf(parents, run)
    if (!open.has(root) && breathes(store, flags, shares, row[run] ?? 0, low[run] ?? 0, high[run] ?? 0)) open.add(root)
  }
  const parts = new Map<number, number[]>()
  for (let run = 0; run < parents.length; run++) {
    const root = rootOf(parents, run)
    if (open.has(root)) continue
    const part = parts.get(root) ?? []
    parts.set(root, part)
    for (let i = low[run] ?? 0; i <= (high[run] ?? 0); i++) part.push(baseOf(store, row[run] ?? 0) + i)
  }
  return [...parts.values()].map((part) => Int32Array.from(part))
}
