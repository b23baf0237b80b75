import { z } from 'zod'
import { corner, id, name, number, type SettingMeta, vec3 } from '../settings/index.ts'

/** What is read frame by frame: an area of the plate (a point, a drawn shape, or a ball of the set that is seen wherever the camera goes), what is there of a card's clip, or a layer of the picture. */
export const readingSchema = z
  .object({
    name,
    shown: z.boolean().default(true),
    area: z.discriminatedUnion('kind', [
      z
        .object({
          kind: z.literal('point'),
          x: z.number(),
          y: z.number(),
          radius: z.number().min(0.6).max(4000).default(2),
        })
        .strict(),
      z.object({ kind: z.literal('shape'), points: z.array(corner).min(3).max(200) }).strict(),
      z.object({ kind: z.literal('pin'), at: vec3, radius: z.number().min(0.001).max(1000).default(0.15) }).strict(),
      z.object({ kind: z.literal('clip'), card: id }).strict(),
      z.object({ kind: z.literal('layer'), layer: id }).strict(),
    ]),
    show: z
      .enum(['mean', 'peak', 'percentile'])
      .default('mean')
      .meta({ label: 'Shows', hint: 'Which of its figures the strip shows.', group: 'Reading' } satisfies SettingMeta),
    channel: z
      .enum(['brightness', 'red', 'green', 'blue'])
      .default('brightness')
      .meta({
        label: 'Of',
        hint: 'Brightness, or one channel of linear light.',
        group: 'Reading',
      } satisfies SettingMeta),
    percentile: number(0, 100, 95, {
      label: 'Percentile',
      unit: '%',
      span: [50, 99],
      step: 1,
      hint: 'The value that so many of its pixels lie below.',
      group: 'Reading',
      touches: 'reading',
    }),
  })
  .strict()

export type Reading = z.infer<typeof readingSchema>
