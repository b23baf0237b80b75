import { z } from 'zod'
import { LanternError } from '../../base/index.ts'
import { readTable } from './table.ts'

export interface MotionKey {
  frame: number
  position: [number, number, number]
  turn: number
  tilt: number
  roll: number
}

const angle = z.coerce.number().min(-1e6).max(1e6).default(0)
const row = z.object({
  frame: z.coerce.number().int(),
  x: z.coerce.number().min(-1e6).max(1e6),
  y: z.coerce.number().min(-1e6).max(1e6),
  z: z.coerce.number().min(-1e6).max(1e6),
  turn: angle,
  tilt: angle,
  roll: angle,
})
const MOST_ROWS = 20000

/** Reads a motion as a table: frame, x, y, z in metres and, if wanted, turn, tilt and roll in degrees. Throws LanternError 'motion' naming the row. */
export function readMotionCsv(bytes: Uint8Array, file: string): MotionKey[] {
  const wrong = (what: string): LanternError =>
    new LanternError(
      'motion',
      `${file} ${what}`,
      'Write a table with the columns frame, x, y, z and, if wanted, turn, tilt, roll.',
      { file },
    )
  const data = readTable(bytes, ['frame', 'x', 'y', 'z'], MOST_ROWS, wrong)
  const keys = data
    .map((one, n): MotionKey => {
      const parsed = row.safeParse(Object.fromEntries(Object.entries(one).filter(([, value]) => value !== '')))
      if (!parsed.success)
        throw wrong(`has a row ${n + 2} that is no place: ${Object.values(one).join(', ').slice(0, 80)}.`)
      const { frame, x, y, z: near, turn, tilt, roll } = parsed.data
      return { frame, position: [x, y, near], turn, tilt, roll }
    })
    .sort((a, b) => a.frame - b.frame)
  const twice = keys.find((key, n) => n > 0 && key.frame === keys[n - 1]?.frame)
  if (twice) throw wrong(`has frame ${twice.frame} twice.`)
  return keys
}
