import { z } from 'zod'
import { colour, follows, id, number, type SettingMeta } from '../settings/index.ts'

const stack = (group: string) => ({ group, touches: 'stack' })
const amount = (label: string, group: string, initial: number, most: number, hint: string) =>
  number(0, most, initial, { label, unit: '×', span: [0, Math.min(2, most)], step: 0.01, hint, ...stack(group) })

const layerFields = {
  /** 0: as the roster has its items. */
  order: z.number().default(0),
  shown: z.boolean().default(true),
  amount: amount('Amount', 'Layer', 1, 2, 'How much of the layer is laid on.'),
  exposure: number(-12, 12, 0, {
    label: 'Exposure',
    unit: 'st',
    span: [-4, 4],
    step: 0.05,
    hint: 'Of this layer alone, in stops.',
    ...stack('Layer'),
  }),
  black: number(-1, 2, 0, {
    label: 'Black',
    unit: '',
    span: [0, 0.3],
    step: 0.001,
    hint: 'Plate value that the layer’s black becomes.',
    ...stack('Layer'),
  }),
  white: number(0, 8, 1, {
    label: 'White',
    unit: '',
    span: [0, 2],
    step: 0.01,
    hint: 'Plate value that the layer’s white becomes.',
    ...stack('Layer'),
  }),
  tint: colour.default([1, 1, 1]).meta({
    label: 'Tint',
    hint: 'Multiplies red, green and blue.',
    step: 0.01,
    ...stack('Layer'),
  } satisfies SettingMeta),
  softness: number(0, 40, 0.6, {
    label: 'Softness',
    unit: 'px',
    span: [0, 4],
    step: 0.05,
    hint: 'Blur to the plate’s own softness.',
    ...stack('Layer'),
  }),
  grain: amount('Grain', 'Layer', 1, 4, 'Of the plate’s own grain, on this layer.'),
  glow: amount('Own light', 'Layer', 1, 8, 'What it gives out itself: flames, embers.'),
  shadow: amount('Shadow', 'On the set', 1, 2, 'How much of the plate’s light it takes away.'),
  contact: amount('Contact', 'On the set', 0, 2, 'Darkens the plate more where it stands close by.'),
  shadowSoftness: number(0, 200, 0, {
    label: 'Shadow softness',
    unit: 'px',
    span: [0, 20],
    step: 0.1,
    hint: 'Blur of its shadow.',
    ...stack('On the set'),
  }),
  light: amount('Light', 'On the set', 1, 8, 'How much its light brightens the set.'),
  lightSoftness: number(0, 200, 0.6, {
    label: 'Light softness',
    unit: 'px',
    span: [0, 20],
    step: 0.1,
    hint: 'Blur of its light on the set.',
    ...stack('On the set'),
  }),
}
/** One layer of the stack. */
export const layerSchema = z.object(layerFields).strict()

/** A layer of which nothing is set. */
export const PLAIN_LAYER = layerSchema.parse({})

export const sitSchema = z
  .object({
    fireExposure: number(-16, 16, 0, {
      label: 'Fire exposure',
      unit: 'st',
      span: [-10, 4],
      step: 0.1,
      hint: 'Flame and the light it throws, together: lower exposes for the fire.',
      group: 'Fire',
      touches: 'stack',
    }),
    curve: z
      .enum(['sensor', 'clip'])
      .default('sensor')
      .meta({
        label: 'Camera curve',
        hint: 'Sensor: light is added to what the plate’s camera saw and goes through it again, so that hot colours run to white; clip adds to the plate and cuts at white.',
        group: 'Fire',
        touches: 'stack',
      } satisfies SettingMeta),
    halation: number(0, 40, 5, {
      label: 'Halation',
      unit: '%',
      span: [0, 20],
      step: 0.5,
      hint: 'Share of the fire’s light that spreads round it in lens and sensor, redder near it.',
      group: 'Fire',
      touches: 'stack',
    }),
    grainAmount: number(0, 4, 1, {
      label: 'Grain',
      unit: '×',
      span: [0, 2],
      step: 0.05,
      hint: 'Of the plate’s own grain, on what is added only.',
      group: 'Grain',
      touches: 'stack',
    }),
    follows,
    /** By the ids of the picture's layers; those of which nothing is set are not here. */
    layers: z.record(id, layerSchema).default({}),
  })
  .strict()

export type SitSettings = z.infer<typeof sitSchema>
export type Layer = z.infer<typeof layerSchema>
