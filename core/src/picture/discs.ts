import type { Crew } from '../base/index.ts'

/** Places of the table along one side (kernels/assembly/view.ts). */
const SIDE = 64

/** Where shares of 0 to 1 fall in weights that are added up: number and share within it. */
function inverse(weights: readonly number[], share: number): [number, number] {
  const whole = weights.reduce((sum, weight) => sum + weight, 0)
  let left = share * whole
  for (const [n, weight] of weights.entries()) {
    if (weight > 0 && left < weight) return [n, left / weight]
    left -= weight
  }
  const last = Math.max(
    0,
    weights.findLastIndex((weight) => weight > 0),
  )
  return [last, 1]
}

/**
 * Places on the lens by a square picture of its blur disc: 64 x 64 of x and y, -1 to 1, as many where it is bright (inverse of its summed rows, then of its columns).
 * A light behind what is sharp shows the picture upright. An empty picture is a point.
 */
export function discTable(disc: Uint8Array): Float32Array {
  const side = Math.max(1, Math.floor(Math.sqrt(disc.length)))
  const rows = Array.from({ length: side }, (_, y) => Array.from(disc.subarray(y * side, (y + 1) * side)))
  const sums = rows.map((row) => row.reduce((sum, value) => sum + value, 0))
  const table = new Float32Array(SIDE * SIDE * 2)
  if (!sums.some((value) => value > 0)) return table
  for (let j = 0; j < SIDE; j++) {
    const [y, down] = inverse(sums, (j + 0.5) / SIDE)
    for (let i = 0; i < SIDE; i++) {
      const [x, across] = inverse(rows[y] ?? [], (i + 0.5) / SIDE)
      table[(j * SIDE + i) * 2] = (2 * (x + across)) / side - 1
      table[(j * SIDE + i) * 2 + 1] = 1 - (2 * (y + down)) / side
    }
  }
  return table
}

/** Lays the table on the heap. */
export function uploadDisc(crew: Crew, disc: Uint8Array): number {
  const table = discTable(disc)
  const at = crew.heap.alloc(table.byteLength)
  crew.heap.f32(at, table.length).set(table)
  return at
}
