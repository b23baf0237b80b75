import { z } from 'zod'
import type { Solve } from '../../data/index.ts'
import { jsonFile } from '../jsonFile.ts'

// A kept solve: plain JSON, every number whole.
const vec3 = z.tuple([z.number(), z.number(), z.number()])
const solveSchema = z.object({
  kind: z.enum(['moving', 'turning']),
  width: z.int().positive(),
  height: z.int().positive(),
  first: z.int(),
  focalPx: z.number().positive(),
  k1: z.number(),
  k2: z.number(),
  medianPx: z.number(),
  rmsPx: z.number(),
  framePx: z.array(z.number().nullable()),
  cameras: z
    .array(z.object({ position: vec3, rotation: z.tuple([z.number(), z.number(), z.number(), z.number()]) }).nullable())
    .min(1),
  points: z.array(z.object({ track: z.int(), at: vec3, px: z.number() })),
  tracks: z.int(),
  parallax: z.number(),
  doubts: z.array(z.object({ what: z.string(), remedy: z.string() })),
  lensErrors: z
    .object({ focalPx: z.number().optional(), k1: z.number().optional(), k2: z.number().optional() })
    .optional(),
  held: z
    .array(
      z.object({
        term: z.enum(['focalPx', 'k1', 'k2']),
        found: z.number(),
        error: z.number().nullable(),
        at: z.number(),
      }),
    )
    .optional(),
})

const file = jsonFile<Solve>(solveSchema, 'solve-file', 'A kept solve', 'Solve the camera again.')
export const writeSolve = file.write
/** Throws LanternError 'solve-file' on bytes that are none. */
export const readSolve = file.read
