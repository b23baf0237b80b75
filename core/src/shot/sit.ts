import { z } from 'zod'
import { colour, follows, id, number, type Setting, type SettingMeta, settingsOf } from '../settings/index.ts'

/** What a picture gives to lay over the plate, in the order in which it is laid where nothing else is said. */
export const LAYER_KINDS = ['light', 'smoke', 'fire'] as const
export type LayerKind = (typeof LAYER_KINDS)[number]

const layerFields = {
  kind: z.enum(LAYER_KINDS),
  order: z.number(),
  shown: z.boolean().default(true),
  amount: number(0, 2, 1, {
    label: 'Amount',
    unit: '×',
    span: [0, 2],
    step: 0.01,
    hint: 'How much of the layer is laid on.',
    group: 'Layer',
    touches: 'stack',
  }),
  exposure: number(-12, 12, 0, {
    label: 'Exposure',
    unit: 'st',
    span: [-4, 4],
    step: 0.05,
    hint: 'Of this layer alone, in stops.',
    group: 'Layer',
    touches: 'stack',
  }),
  black: number(-1, 2, 0, {
    label: 'Black',
    unit: '',
    span: [0, 0.3],
    step: 0.001,
    hint: 'Plate value that the layer’s black becomes.',
    group: 'Layer',
    touches: 'stack',
  }),
  white: number(0, 8, 1, {
    label: 'White',
    unit: '',
    span: [0, 2],
    step: 0.01,
    hint: 'Plate value that the layer’s white becomes.',
    group: 'Layer',
    touches: 'stack',
  }),
  tint: colour.default([1, 1, 1]).meta({
    label: 'Tint',
    hint: 'Multiplies red, green and blue.',
    step: 0.01,
    group: 'Layer',
    touches: 'stack',
  } satisfies SettingMeta),
  softness: number(0, 40, 0.6, {
    label: 'Softness',
    unit: 'px',
    span: [0, 4],
    step: 0.05,
    hint: 'Blur to the plate’s own softness.',
    group: 'Layer',
    touches: 'stack',
  }),
}
/** One layer of the stack. */
export const layerSchema = z.object(layerFields).strict()

const initialLayers = Object.fromEntries(
  LAYER_KINDS.map((kind, n) => [kind, layerSchema.parse({ kind, order: n + 1 })]),
)

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
    layers: z
      .record(id, layerSchema)
      .default(initialLayers)
      .refine(
        (layers) => LAYER_KINDS.every((kind) => Object.values(layers).some((layer) => layer.kind === kind)),
        'Fire light, smoke and fire each have a layer: hide one instead of removing it.',
      ),
  })
  .strict()

export type SitSettings = z.infer<typeof sitSchema>
export type Layer = z.infer<typeof layerSchema>

const LAYER_SETTINGS = settingsOf(layerSchema)
/** Layers that only add light have no black and white of their own: those would change nothing. */
const ADDS: Readonly<Record<LayerKind, boolean>> = { light: true, smoke: false, fire: true }

/** The settings that change something of a layer of this kind. */
export const layerSettings = (kind: LayerKind): readonly Setting[] =>
  ADDS[kind] ? LAYER_SETTINGS.filter(({ key }) => key !== 'black' && key !== 'white') : LAYER_SETTINGS

/** Layers by id in the order in which they are laid. */
export const layersInOrder = ({ layers }: Pick<SitSettings, 'layers'>): [string, Layer][] =>
  Object.entries(layers).sort(([a, x], [b, y]) => x.order - y.order || (a < b ? -1 : 1))
