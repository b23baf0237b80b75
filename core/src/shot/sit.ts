import { z } from 'zod'
import { colour, follows, id, itemOf, number, type SettingMeta, toggle } from '../settings/index.ts'
import { checkAreaSchema, layerGroupSchema, layerSchema } from './stackLayer.ts'

const stack = (group: string) => ({ group, touches: 'stack' })
/** One radius of the glow in lit air. */
const glowRadius = (n: number, initial: number) =>
  number(0, 60, initial, {
    label: `Radius ${n}`,
    unit: '%',
    span: [0, 60],
    step: 0.1,
    hint: 'Of the picture’s width; 0 leaves it out. The glow is shared evenly among the radii.',
    when: { airGlow: ['*'] },
    ...stack('Glow in lit air'),
  })

const fireFields = {
  fireExposure: number(-16, 16, 0, {
    label: 'Fire exposure',
    unit: 'st',
    span: [-10, 4],
    step: 0.1,
    hint: 'Flame and the light it throws, together: lower exposes for the fire.',
    ...stack('Exposure'),
  }),
  drift: toggle(false, {
    label: 'Follow the plate’s drift',
    hint: 'What is added gets brighter and darker as the plate’s own exposure does.',
    ...stack('Exposure'),
  }),
  curve: z
    .enum(['sensor', 'clip'])
    .default('sensor')
    .meta({
      label: 'Camera curve',
      hint: 'Sensor: light is added to what the plate’s camera saw and goes through it again, so that hot colours run to white; clip adds to the plate and cuts at white.',
      ...stack('Exposure'),
    } satisfies SettingMeta),
  knee: number(0.3, 0.95, 0.7, {
    label: 'Knee',
    unit: '',
    span: [0.4, 0.95],
    step: 0.01,
    hint: 'Plate value from which the camera bends its highlights.',
    when: { curve: ['sensor'] },
    ...stack('Exposure'),
  }),
  shoulder: number(1.5, 64, 8, {
    label: 'Shoulder',
    unit: '×',
    span: [2, 16],
    step: 0.1,
    hint: 'Light, times white, that the camera clips at.',
    when: { curve: ['sensor'] },
    ...stack('Exposure'),
  }),
}

const glowFields = {
  halation: number(0, 40, 5, {
    label: 'Halation',
    unit: '%',
    span: [0, 20],
    step: 0.5,
    hint: 'Share of the fire’s light that spreads round it in lens and sensor.',
    ...stack('Halation'),
  }),
  halationRadius: number(0.1, 8, 1.2, {
    label: 'Radius',
    unit: '%',
    span: [0.2, 4],
    step: 0.05,
    hint: 'Of the near part of it, of the picture’s width; the far part is four times as wide.',
    ...stack('Halation'),
  }),
  halationRed: number(0, 1, 1, {
    label: 'Redness',
    unit: '×',
    span: [0, 1],
    step: 0.05,
    hint: 'How red its near part is.',
    ...stack('Halation'),
  }),
  halationHeld: toggle(false, {
    label: 'Never more than the plate',
    hint: 'Holds halation at the most that was found for the plate’s own highlights.',
    ...stack('Halation'),
  }),
  halationMost: number(0, 40, 40, {
    label: 'The plate’s most',
    unit: '%',
    span: [0, 20],
    step: 0.1,
    hint: 'Halation that makes the halo of the plate’s own highlights: the check finds it.',
    when: { halationHeld: [true] },
    ...stack('Halation'),
  }),
  airGlow: number(0, 60, 0, {
    label: 'Glow',
    unit: '%',
    span: [0, 30],
    step: 0.5,
    hint: 'Share of the fire’s light that mist or smoke in the air spreads about; the fire loses as much.',
    ...stack('Glow in lit air'),
  }),
  glow1: glowRadius(1, 2),
  glow2: glowRadius(2, 6),
  glow3: glowRadius(3, 18),
  glow4: glowRadius(4, 0),
}

const airFields = {
  shimmer: number(0, 8, 1, {
    label: 'Heat shimmer',
    unit: '×',
    span: [0, 4],
    step: 0.05,
    hint: 'How much hot air bends what is seen through it; 1 is as air does.',
    ...stack('Hot air'),
  }),
  shimmerFine: number(0, 4, 1, {
    label: 'Fine shimmer',
    unit: '×',
    span: [0, 2],
    step: 0.05,
    hint: 'Of the small eddies that are finer than the gas was computed.',
    ...stack('Hot air'),
  }),
  shimmerOver: itemOf(['matte'], {
    label: 'Hot air over',
    hint: 'Air rises hot from what this matte covers: a fire that is in the plate.',
    none: 'no matte',
    ...stack('Hot air'),
  }),
  shimmerOverHeat: number(0, 10, 0.3, {
    label: 'Hot air there',
    unit: 'm',
    span: [0, 2],
    step: 0.01,
    hint: 'How much flame is looked through there: as deep as the fire is wide.',
    when: { shimmerOver: ['*'] },
    ...stack('Hot air'),
  }),
  haze: number(0, 8, 0, {
    label: 'Haze',
    unit: '×',
    span: [0, 2],
    step: 0.01,
    hint: 'How much of the haze below is laid between the camera and what was added.',
    ...stack('Haze'),
  }),
  hazeOnSet: toggle(false, {
    label: 'On the set too',
    hint: 'Off where the plate has its own haze already.',
    when: { haze: ['*'] },
    ...stack('Haze'),
  }),
  hazeColour: colour.default([0.6, 0.65, 0.7]).meta({
    label: 'Colour',
    step: 0.01,
    hint: 'What very far things look like.',
    ...stack('Haze'),
  } satisfies SettingMeta),
  thicknessColour: colour.default([0.4, 0.45, 0.5]).meta({
    label: 'Thickness',
    step: 0.01,
    hint: 'Optical depth of 100 m, for red, green and blue: 0.7 hides half.',
    ...stack('Haze'),
  } satisfies SettingMeta),
}

const plateFields = {
  plateStreak: number(0, 2, 0, {
    label: 'Shutter open',
    unit: 'frames',
    span: [0, 2],
    step: 0.05,
    hint: 'Blur put back into a plate that was filmed with a fast shutter.',
    ...stack('Motion blur of the plate'),
  }),
  plateStreakMatte: itemOf(['matte'], {
    label: 'Stops at',
    hint: 'Nothing is drawn out over this matte’s edge.',
    none: 'no matte',
    when: { plateStreak: ['*'] },
    ...stack('Motion blur of the plate'),
  }),
  plateStreakSamples: number(0, 128, 0, {
    label: 'Samples',
    unit: '',
    span: [0, 64],
    step: 1,
    hint: 'Along each way; 0 takes one a pixel of its length.',
    when: { plateStreak: ['*'] },
    ...stack('Motion blur of the plate'),
  }),
}

export const sitSchema = z
  .object({
    ...fireFields,
    ...glowFields,
    ...airFields,
    grainAmount: number(0, 4, 1, {
      label: 'Grain',
      unit: '×',
      span: [0, 2],
      step: 0.05,
      hint: 'Of the plate’s own grain, on what is added only.',
      ...stack('Grain'),
    }),
    ...plateFields,
    follows,
    /** The area that layers without their own are checked against; none: the plate round each of them. */
    area: checkAreaSchema.optional(),
    groups: z.record(id, layerGroupSchema).default({}),
    /** By the ids of the picture's layers, and of further lays of them; those of which nothing is set are not here. */
    layers: z.record(id, layerSchema).default({}),
  })
  .strict()

export type SitSettings = z.infer<typeof sitSchema>
