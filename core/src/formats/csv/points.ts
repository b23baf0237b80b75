import { z } from 'zod'
import { LanternError } from '../../base/index.ts'
import { readTable } from './table.ts'

/** Points by frame: x, y, z and radius of each, metres. */
export interface PointTable {
  frames: number
  count: number
  first: number
  last: number
  /** At a frame; empty where it has none. */
  at(frame: number): readonly number[]
}

const MOST_ROWS = 400_000
const RADIUS = 0.05
const rowSchema = z.object({
  frame: z.coerce.number().int(),
  x: z.coerce.number(),
  y: z.coerce.number(),
  z: z.coerce.number(),
  radius: z.coerce.number().min(0).max(100).optional(),
})

/** Reads a table with the columns frame, x, y, z and, if wanted, radius (0.05 m without). Throws LanternError 'points' naming the row. */
export function readPoints(bytes: Uint8Array, file: string): PointTable {
  const wrong = (what: string): LanternError =>
    new LanternError(
      'points',
      `${file} ${what}`,
      'Write a table with the columns frame, x, y, z and radius, in metres.',
      { file },
    )
  const data = readTable(bytes, ['frame', 'x', 'y', 'z'], MOST_ROWS, wrong)
  const frames = new Map<number, number[]>()
  data.forEach((row, n) => {
    const parsed = rowSchema.safeParse(row)
    if (
      !parsed.success ||
      [parsed.data.x, parsed.data.y, parsed.data.z].some((v) => !Number.isFinite(v) || Math.abs(v) > 1e6)
    )
      throw wrong(`has a row ${n + 2} that is no point: ${Object.values(row).join(', ').slice(0, 80)}.`)
    const { frame, x, y, z: near, radius } = parsed.data
    const list = frames.get(frame) ?? []
    list.push(x, y, near, radius ?? RADIUS)
    frames.set(frame, list)
  })
  const numbers = [...frames.keys()]
  return {
    frames: frames.size,
    count: data.length,
    first: numbers.reduce((a, b) => Math.min(a, b)),
    last: numbers.reduce((a, b) => Math.max(a, b)),
    at: (frame) => frames.get(frame) ?? [],
  }
}
