import { z } from 'zod'
import type { PlateReport } from '../../data/index.ts'
import { jsonFile } from '../jsonFile.ts'

const rgb = z.tuple([z.number(), z.number(), z.number()])
const reportSchema = z.object({
  first: z.int(),
  drift: z.array(z.number().nullable()),
  driftFrom: z.enum(['tracks', 'grid']),
  grain: z.object({ floor: rgb, slope: rgb, spread: z.number() }),
  risePx: z.number().nullable(),
  edges: z.int(),
  black: rgb,
  white: rgb,
  shutter: z.number().nullable(),
  sensor: z.object({ knee: z.number(), top: z.number() }).nullable(),
  halo: z.object({ level: z.number(), red: z.number() }).nullable(),
})

const file = jsonFile<PlateReport>(reportSchema, 'report-file', 'A kept plate report', 'Measure the plate again.')
export const writeReport = file.write
/** Throws LanternError 'report-file' on bytes that are none. */
export const readReport = file.read
