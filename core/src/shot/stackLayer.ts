import { z } from 'zod'
import { choice, colour, corner, id, itemOf, name, number, type SettingMeta, toggle } from '../settings/index.ts'

// A layer as it is laid on, and groups of layers.

const stack = (group: string) => ({ group, touches: 'stack' })
const amount = (label: string, group: string, initial: number, most: number, hint: string) =>
  number(0, most, initial, { label, unit: '×', span: [0, Math.min(2, most)], step: 0.01, hint, ...stack(group) })

/** How a layer meets what lies below it; proposed: as its kind is best laid. */
export const BLENDS = ['proposed', 'over', 'add', 'screen', 'multiply', 'lighten', 'soft light'] as const
export type Blend = Exclude<(typeof BLENDS)[number], 'proposed'>

const point = z.tuple([z.number().min(0).max(1), z.number().min(0).max(1)])
export type GradePoint = z.infer<typeof point>
export const STRAIGHT_CURVE: readonly GradePoint[] = [
  [0, 0],
  [1, 1],
]
const curve = z
  .array(point)
  .min(2)
  .max(24)
  .refine(
    (points) => points.every(([x], n) => n === 0 || x > (points[n - 1]?.[0] ?? 1)),
    'A curve’s points go from dark to bright, one at a brightness; this one folds back.',
  )
  .default([
    [0, 0],
    [1, 1],
  ])
/** Curves on display values, 0 to 1: one for all channels, then one each. */
export const curvesSchema = z.object({ all: curve, red: curve, green: curve, blue: curve }).strict().prefault({})
export type GradeCurves = z.infer<typeof curvesSchema>

const gradeFields = {
  exposure: number(-12, 12, 0, {
    label: 'Exposure',
    unit: 'st',
    span: [-4, 4],
    step: 0.05,
    hint: 'Of this layer alone, in stops.',
    ...stack('Grade'),
  }),
  black: number(-1, 2, 0, {
    label: 'Black',
    unit: '',
    span: [0, 0.3],
    step: 0.001,
    hint: 'Plate value that the layer’s black becomes; below 0 its dark parts go deeper and keep their hue.',
    ...stack('Grade'),
  }),
  white: number(0, 8, 1, {
    label: 'White',
    unit: '',
    span: [0, 2],
    step: 0.01,
    hint: 'Plate value that the layer’s white becomes.',
    ...stack('Grade'),
  }),
  gamma: number(0.1, 8, 1, {
    label: 'Gamma',
    unit: '',
    span: [0.4, 2.5],
    step: 0.01,
    hint: 'Over 1 lifts the middle tones, black and white stay.',
    ...stack('Grade'),
  }),
  contrast: number(0.05, 8, 1, {
    label: 'Contrast',
    unit: '×',
    span: [0.5, 2],
    step: 0.01,
    hint: 'Stops between tones, spread about the pivot.',
    ...stack('Grade'),
  }),
  pivot: number(0.001, 4, 0.18, {
    label: 'Pivot',
    unit: '',
    span: [0.01, 1],
    step: 0.01,
    hint: 'Plate value that contrast leaves as it is.',
    ...stack('Grade'),
  }),
  saturation: number(0, 4, 1, {
    label: 'Saturation',
    unit: '×',
    span: [0, 2],
    step: 0.01,
    hint: 'How far its colours stand from grey.',
    ...stack('Grade'),
  }),
  tint: colour.default([1, 1, 1]).meta({
    label: 'Tint',
    hint: 'Multiplies red, green and blue.',
    step: 0.01,
    ...stack('Grade'),
  } satisfies SettingMeta),
  curves: curvesSchema,
}

const edgeFields = {
  softness: number(-2, 40, 0.6, {
    label: 'Softness',
    unit: 'px',
    span: [-1, 4],
    step: 0.05,
    hint: 'Blur to the plate’s own softness; below 0 it is made sharper.',
    ...stack('Edge and lens'),
  }),
  defocus: number(0, 60, 0, {
    label: 'Defocus',
    unit: 'px',
    span: [0, 10],
    step: 0.05,
    hint: 'Radius of the disc that a point becomes out of focus.',
    ...stack('Edge and lens'),
  }),
  wrap: amount('Light wrap', 'Edge and lens', 0, 4, 'Light from around that comes over its edge, inside it only.'),
  wrapRadius: number(0.5, 200, 8, {
    label: 'Wrap radius',
    unit: 'px',
    span: [1, 40],
    step: 0.5,
    hint: 'How far the light around reaches in.',
    ...stack('Edge and lens'),
  }),
  grain: amount('Grain', 'Edge and lens', 1, 4, 'Of the plate’s own grain, on this layer.'),
  calm: number(0, 1, 0, {
    label: 'Own grain out',
    unit: '×',
    span: [0, 1],
    step: 0.01,
    hint: 'Of the grain that it brings itself, how much is taken out; edges stay.',
    ...stack('Edge and lens'),
  }),
  hotAir: amount(
    'Hot air over it',
    'Edge and lens',
    0,
    8,
    'Over its bright parts, for fires that were filmed: the picture behind shimmers. Computed fires bring their own.',
  ),
  glow: amount('Own light', 'Edge and lens', 1, 8, 'What it gives out itself: flames, embers.'),
}

/** What a layer's motion blur goes along. */
export const STREAKS = ['vectors', 'pictures', 'plate'] as const
export type StreakBy = (typeof STREAKS)[number]

const streakFields = {
  streak: number(0, 2, 0, {
    label: 'Shutter open',
    unit: 'frames',
    span: [0, 2],
    step: 0.05,
    hint: 'Blur put back along its motion, for what was made or filmed with a fast shutter.',
    ...stack('Motion blur'),
  }),
  streakBy: choice(STREAKS, 'vectors', {
    label: 'Along',
    hint: 'Its own vectors (from the pictures where it has none), motion found between two pictures, or the plate’s.',
    when: { streak: ['*'] },
    ...stack('Motion blur'),
  }),
  streakSamples: number(0, 128, 0, {
    label: 'Samples',
    unit: '',
    span: [0, 64],
    step: 1,
    hint: 'Along each way; 0 takes one a pixel of its length.',
    when: { streak: ['*'] },
    ...stack('Motion blur'),
  }),
}

const placeFields = {
  nudgeX: number(-8192, 8192, 0, {
    label: 'Move right',
    unit: 'px',
    span: [-50, 50],
    step: 0.1,
    hint: 'Of the full plate; let it follow a signal for keys.',
    ...stack('In the picture'),
  }),
  nudgeY: number(-8192, 8192, 0, {
    label: 'Move down',
    unit: 'px',
    span: [-50, 50],
    step: 0.1,
    hint: 'Of the full plate; let it follow a signal for keys.',
    ...stack('In the picture'),
  }),
  size: number(0.02, 50, 1, {
    label: 'Size',
    unit: '×',
    span: [0.5, 2],
    step: 0.005,
    hint: 'About the middle of the picture.',
    ...stack('In the picture'),
  }),
  turned: number(-360, 360, 0, {
    label: 'Turn',
    unit: '°',
    span: [-45, 45],
    step: 0.1,
    hint: 'About the middle of the picture, clockwise.',
    ...stack('In the picture'),
  }),
}

const setFields = {
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

/** An area of the plate beside the effect, px of the full plate as it is at a frame; it goes with the set under it. */
export const checkAreaSchema = z.object({ frame: z.number().int(), corners: z.array(corner).min(3).max(200) }).strict()
export type CheckArea = z.infer<typeof checkAreaSchema>

/** One layer of the stack. */
export const layerSchema = z
  .object({
    /** The picture's layer that is laid here once more; none: the one of this name. */
    of: id.optional(),
    name: name.optional(),
    /** 0: as the roster has its items. */
    order: z.number().default(0),
    shown: z.boolean().default(true),
    locked: z.boolean().default(false),
    /** The area of the plate that it is checked against; none: the shot's. */
    area: checkAreaSchema.optional(),
    /** The group of layers that it is in. */
    within: z.union([id, z.literal('')]).default(''),
    blend: choice(BLENDS, 'proposed', {
      label: 'Blend',
      hint: 'Proposed: char multiplies, fire and sparks add, smoke and things go over.',
      ...stack('Layer'),
    }),
    amount: amount('Amount', 'Layer', 1, 2, 'How much of the layer is laid on.'),
    matte: itemOf(['matte'], {
      label: 'Inside',
      hint: 'Laid on only where this matte covers.',
      none: 'no matte',
      ...stack('Layer'),
    }),
    outside: toggle(false, {
      label: 'Outside it',
      hint: 'Laid on where the matte does not cover.',
      when: { matte: ['*'] },
      ...stack('Layer'),
    }),
    ...gradeFields,
    ...edgeFields,
    ...streakFields,
    ...placeFields,
    ...setFields,
  })
  .strict()
export type Layer = z.infer<typeof layerSchema>

/** A layer of which nothing is set. */
export const PLAIN_LAYER = layerSchema.parse({})

/** Layers that are faded, cut by a matte and hidden together. */
export const layerGroupSchema = z
  .object({
    name,
    shown: z.boolean().default(true),
    amount: amount('Amount', 'Group', 1, 2, 'How much of all its layers is laid on.'),
    matte: itemOf(['matte'], {
      label: 'Inside',
      hint: 'Its layers are laid on only where this matte covers.',
      none: 'no matte',
      ...stack('Group'),
    }),
    outside: toggle(false, {
      label: 'Outside it',
      hint: 'Laid on where the matte does not cover.',
      when: { matte: ['*'] },
      ...stack('Group'),
    }),
  })
  .strict()
export type LayerGroup = z.infer<typeof layerGroupSchema>
