import { z } from 'zod'
import type { ReadingFrames } from '../../data/index.ts'
import { jsonFile } from '../jsonFile.ts'

const figures = z.tuple([z.number(), z.number(), z.number(), z.number()])
const fireSchema = z.object({
  foot: z.number(),
  tall: z.number(),
  wide: z.number(),
  rise: z.number(),
  over: z.number(),
})
const readingSchema = z.object({
  fire: fireSchema.optional(),
  first: z.int(),
  frames: z.array(z.object({ mean: figures, peak: figures, percentile: figures }).nullable()),
})

const file = jsonFile<ReadingFrames>(readingSchema, 'reading-file', 'A kept reading', 'Take it again.')
export const writeReading = file.write
/** Throws LanternError 'reading-file' on bytes that are none. */
export const readReading = file.read
