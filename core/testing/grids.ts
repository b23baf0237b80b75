import { type Crew, makeCrew, random } from '../src/base/index.ts'
import { paddedCells, paddedIndex } from '../src/data/index.ts'
import { buildPressure, flagGhosts, type PressureSystem } from '../src/gas/index.ts'

type Size = readonly [number, number, number]

/** Calls visit for every cell of a box. */
export function eachCell([nx, ny, nz]: Size, visit: (i: number, j: number, k: number) => void): void {
  for (let k = 0; k < nz; k++) for (let j = 0; j < ny; j++) for (let i = 0; i < nx; i++) visit(i, j, k)
}

export interface PressureCase {
  crew: Crew
  system: PressureSystem
  flags: Uint8Array
  size: Size
  /** Pointers p, r, d, z, q. */
  fields: [number, number, number, number, number]
}

/** A box, open above, with solid cells by `solid`; r holds seeded noise on fluid cells (or what `rhs` gives). */
export function pressureCase(
  size: Size,
  solid: (i: number, j: number, k: number) => boolean,
  crew: Crew = makeCrew(1),
  closed = 63 - 8,
): PressureCase {
  const { heap } = crew
  const cells = paddedCells(size)
  const pointer = heap.alloc(cells)
  const flags = heap.u8(pointer, cells).fill(0)
  eachCell(size, (i, j, k) => {
    flags[paddedIndex(size, i, j, k)] = solid(i, j, k) ? 0 : 1
  })
  flagGhosts(heap.u8(pointer, cells), size, closed)
  const system = buildPressure(crew, size, pointer, closed)
  const fields = Array.from({ length: 5 }, () => {
    const at = heap.alloc(cells * 4)
    heap.f32(at, cells).fill(0)
    return at
  }) as PressureCase['fields']
  return { crew, system, flags: heap.u8(pointer, cells).slice(), size, fields }
}

/** Fills the right-hand side with seeded noise of mean 0 on fluid cells. */
export function noiseRhs({ crew, flags, size, fields }: PressureCase, seed = 5): Float32Array {
  const stream = random(seed)
  const rhs = crew.heap.f32(fields[1], flags.length).fill(0)
  eachCell(size, (i, j, k) => {
    const e = paddedIndex(size, i, j, k)
    if (flags[e] === 1) rhs[e] = stream.next() - 0.5
  })
  return rhs.slice()
}

/** A x at one cell, written out plainly. */
export function plainApply(flags: Uint8Array, x: Float32Array, [nx, ny]: Size, e: number): number {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  let sum = 0
  for (const o of [-1, 1, -sx, sx, -sxy, sxy]) {
    if (flags[e + o] === 0) continue
    sum += (x[e] ?? 0) - (flags[e + o] === 1 ? (x[e + o] ?? 0) : 0)
  }
  return sum
}
