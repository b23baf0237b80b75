import { z } from 'zod'
import { LanternError } from '../../base/index.ts'
import type { ReadingFrames } from '../../data/index.ts'

const figures = z.tuple([z.number(), z.number(), z.number(), z.number()])
const readingSchema = z.object({ first: z.int(), frames: z.array(z.object({ mean: figures, peak: figures, percentile: figures }).nullable()) })

export const writeReading = (reading: ReadingFrames): Uint8Array<ArrayBuffer> => new TextEncoder().encode(JSON.stringify(reading))

/** Throws LanternError 'reading-file' on bytes that are none. */
export function readReading(bytes: Uint8Array): ReadingFrames {
  try {
    return readingSchema.parse(JSON.parse(new TextDecoder().decode(bytes)))
  } catch {
    throw new LanternError('reading-file', 'A kept reading is damaged.', 'Take it again.')
  }
}
