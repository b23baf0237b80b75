import { z } from 'zod'
import { choice, colour, corner, follows, number, type SettingMeta } from '../settings/index.ts'

/** From an upright thing's foot to its top and its shadow's tip, px of the full frame at a frame. */
const sunLine = z.object({ frame: z.number().int(), foot: corner, top: corner, tip: corner }).strict()
export type SunLine = z.infer<typeof sunLine>

export const plateLightSchema = z
  .object({
    illuminance: number(0.1, 200000, 250, {
      label: 'Illuminance',
      unit: 'lx',
      span: [1, 20000],
      step: 1,
      hint: 'Light on the set that makes white 1.0 in the plate: sets how bright a fire is beside it.',
      group: 'Plate light',
      touches: 'picture',
    }),
    sunShare: number(0, 1, 0.15, {
      label: 'Sun share',
      unit: '',
      span: [0, 1],
      step: 0.01,
      hint: 'Share of it that comes from the sun; the rest is sky.',
      group: 'Plate light',
      touches: 'picture',
    }),
    sunFrom: number(0, 360, 250, {
      label: 'Sun from',
      unit: '°',
      span: [0, 360],
      step: 1,
      hint: '0 from behind the set, 90 from the right.',
      group: 'Plate light',
      touches: 'picture',
    }),
    sunHeight: number(1, 90, 25, {
      label: 'Sun height',
      unit: '°',
      span: [1, 90],
      step: 1,
      hint: 'Above the horizon.',
      group: 'Plate light',
      touches: 'picture',
    }),
    sunColour: colour.default([1.25, 1, 0.75]).meta({
      label: 'Sun colour',
      step: 0.01,
      hint: 'Against the plate’s white.',
      group: 'Plate light',
      touches: 'picture',
    } satisfies SettingMeta),
    skyColour: colour.default([0.92, 1, 1.15]).meta({
      label: 'Sky colour',
      step: 0.01,
      hint: 'Against the plate’s white.',
      group: 'Plate light',
      touches: 'picture',
    } satisfies SettingMeta),
    sky: choice(['model', 'even', 'picture'], 'model', {
      label: 'Sky',
      hint: 'What things mirror: a sky made from the sun’s height and share, an even one, or a picture that was taken in.',
      group: 'Surroundings',
      touches: 'picture',
    }),
    skyTurn: number(-360, 360, 0, {
      label: 'Turn',
      unit: '°',
      span: [-180, 180],
      step: 1,
      hint: 'The picture of the surroundings, to the right.',
      group: 'Surroundings',
      touches: 'picture',
      when: { sky: ['picture'] },
    }),
    /** A picture of the surroundings that was taken in: its blob, its file, and where it is brightest, degrees. */
    surroundings: z
      .object({
        blob: z.string().regex(/^[0-9a-f]{64}$/),
        file: z.string().max(200),
        from: z.number(),
        height: z.number(),
      })
      .strict()
      .optional(),
    /** Lines by which the sun's direction was found. */
    sunLines: z.array(sunLine).max(8).default([]),
    follows,
  })
  .strict()

export type PlateLightSettings = z.infer<typeof plateLightSchema>
