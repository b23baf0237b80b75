import { z } from 'zod'
import { LanternError } from '../../base/index.ts'
import type { PlateReport } from '../../data/index.ts'

const rgb = z.tuple([z.number(), z.number(), z.number()])
const reportSchema = z.object({
  first: z.int(), drift: z.array(z.number().nullable()), driftFrom: z.enum(['tracks', 'grid']), grain: z.object({ floor: rgb, slope: rgb, spread: z.number() }),
  risePx: z.number().nullable(), edges: z.int(), black: rgb, white: rgb, shutter: z.number().nullable(),
})

export const writeReport = (report: PlateReport): Uint8Array<ArrayBuffer> => new TextEncoder().encode(JSON.stringify(report))

/** Throws LanternError 'report-file' on bytes that are none. */
export function readReport(bytes: Uint8Array): PlateReport {
  try {
    return reportSchema.parse(JSON.parse(new TextDecoder().decode(bytes)))
  } catch {
    throw new LanternError('report-file', 'A kept plate report is damaged.', 'Measure the plate again.')
  }
}
