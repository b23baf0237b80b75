import { z } from 'zod'
import type { ShotCheck } from '../../data/index.ts'
import { jsonFile } from '../jsonFile.ts'

const line = z.object({
  name: z.string(),
  plate: z.number(),
  layer: z.number(),
  difference: z.number(),
  spread: z.number(),
  within: z.boolean(),
  note: z.string().optional(),
  parts: z.array(z.number()).optional(),
})
const layer = z.object({ id: z.string(), name: z.string(), share: z.number(), lines: z.array(line).max(40) })
const checkSchema = z.object({
  frames: z
    .array(
      z.object({
        frame: z.int(),
        quality: z.enum(['look', 'final']),
        layers: z.array(layer).max(400),
        wrong: z.string().optional(),
      }),
    )
    .max(10_000),
})

const file = jsonFile<ShotCheck>(checkSchema, 'check-file', 'A kept sit check', 'Check the shot again.')
export const writeShotCheck = file.write
/** Throws LanternError 'check-file' on bytes that are none. */
export const readShotCheck = file.read
