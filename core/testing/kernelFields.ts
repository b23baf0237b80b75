import { expect } from 'vitest'
import { type Crew, makeCrew, random } from '../src/base/index.ts'
import { paddedCells, paddedIndex } from '../src/data/index.ts'
import { flagGhosts } from '../src/gas/multigrid.ts'

// For tests of kernels against plain twins: seeded fields, with nothing shared but the layout.
export const SIZE = [9, 7, 8] as const
export const CELLS = paddedCells(SIZE)
export const [SX, SXY] = [SIZE[0] + 2, (SIZE[0] + 2) * (SIZE[1] + 2)]

export interface Fields {
  crew: Crew
  /** Pointer of a field of seeded numbers between low and high. */
  noise(low: number, high: number): number
  zero(): number
  view(pointer: number): Float32Array
  flags: number
}

/** Seeded fields of a small box with a wall in it. */
export function fields(seed: number): Fields {
  const crew = makeCrew(1)
  const stream = random(seed)
  const zero = (): number => {
    const at = crew.heap.alloc(CELLS * 4)
    crew.heap.f32(at, CELLS).fill(0)
    return at
  }
  const flags = crew.heap.alloc(CELLS)
  const marks = crew.heap.u8(flags, CELLS).fill(0)
  eachCell((e, i, j, k) => (marks[e] = i === 4 && j < 5 && k > 2 ? 0 : 1))
  flagGhosts(crew.heap.u8(flags, CELLS), SIZE, 4)
  return {
    crew,
    zero,
    flags,
    view: (at) => crew.heap.f32(at, CELLS),
    noise(low, high) {
      const at = zero()
      crew.heap.f32(at, CELLS).forEach((_, n, all) => (all[n] = low + (high - low) * stream.next()))
      return at
    },
  }
}

export function eachCell(visit: (element: number, i: number, j: number, k: number) => void): void {
  for (let k = 0; k < SIZE[2]; k++)
    for (let j = 0; j < SIZE[1]; j++) for (let i = 0; i < SIZE[0]; i++) visit(paddedIndex(SIZE, i, j, k), i, j, k)
}
export const at = (field: Float32Array, e: number): number => field[e] ?? 0
/** Within five or six digits. */
export const close = (measured: number, expected: number): void =>
  expect(Math.abs(measured - expected)).toBeLessThanOrEqual(1e-5 * Math.max(1, Math.abs(expected)))
