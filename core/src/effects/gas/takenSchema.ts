import { z } from 'zod'
import { number, type SettingMeta } from '../../settings/index.ts'

/** Of a gas that was computed elsewhere: its frames of OpenVDB. */
export const takenSchema = z
  .object({
    /** What the first file was called, its frame's number there, and the store's blobs of all, one a frame. */
    file: z.string().max(200),
    first: z.number().int(),
    blobs: z
      .array(z.string().regex(/^[0-9a-f]{64}$/))
      .min(1)
      .max(100000),
    /** Frame of the plate at which its first one is shown. */
    at: z
      .number()
      .int()
      .min(-1000000)
      .max(1000000)
      .default(0)
      .meta({
        label: 'Begins at',
        unit: 'fr',
        span: [0, 2000],
        step: 1,
        hint: 'Frame of the plate at which its first frame is shown.',
        group: 'Taken in',
        touches: 'picture',
      } satisfies SettingMeta),
    density: number(1e-6, 1e6, 1, {
      label: 'Density of 1',
      unit: 'g/m³',
      span: [0.01, 20],
      step: 0.1,
      hint: 'Grams of soot, dust or water that a density of 1 in the files stands for.',
      group: 'Taken in',
      touches: 'gas',
    }),
    kelvin: number(1e-3, 1e5, 1, {
      label: 'Temperature of 1',
      unit: 'K',
      span: [1, 3000],
      step: 1,
      hint: 'Kelvin that a temperature of 1 in the files stands for.',
      group: 'Taken in',
      touches: 'gas',
    }),
    kelvinAt0: number(-1000, 3000, 0, {
      label: 'Temperature of 0',
      unit: 'K',
      span: [0, 300],
      step: 1,
      hint: 'Kelvin at a temperature of 0: 273 where the files are in degrees Celsius.',
      group: 'Taken in',
      touches: 'gas',
    }),
    scale: number(1e-3, 1000, 1, {
      label: 'Metres in a unit',
      unit: 'm',
      span: [0.01, 1],
      step: 0.01,
      hint: 'Length of a unit of the files: 0.01 where they were written in centimetres.',
      group: 'Taken in',
      touches: 'gas',
    }),
  })
  .strict()
