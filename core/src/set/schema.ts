import { z } from 'zod'
import {
  ANY,
  choice,
  colour,
  common,
  corner,
  follows,
  motion,
  number,
  place,
  rides,
  roles,
  type SettingMeta,
  toggle,
  vec3,
} from '../settings/index.ts'
import { carrying, surfaced } from './surfaceSettings.ts'

// Pieces of rough geometry. Each kind's schema carries label, unit, range and hint of its settings.

/** How a piece or thing leans, after its turn. */
const leaning = {
  tilt: number(-360, 360, 0, {
    label: 'Tilt',
    unit: '°',
    span: [-90, 90],
    step: 0.5,
    hint: 'Then about its own axis to the right: a ramp, a beam that falls.',
    group: 'Place',
  }),
  roll: number(-360, 360, 0, {
    label: 'Roll',
    unit: '°',
    span: [-90, 90],
    step: 0.5,
    hint: 'Then about its own axis towards the camera.',
    group: 'Place',
  }),
}

export const groundSchema = z
  .object({
    ...common,
    kind: z.literal('ground'),
    ...place('Place'),
    roles,
    size: number(1, 1000, 60, {
      label: 'Size',
      unit: 'm',
      span: [5, 200],
      step: 1,
      hint: 'Edge of the square of ground.',
      group: 'Place',
    }),
  })
  .strict()

export const boxSchema = z
  .object({
    ...common,
    kind: z.literal('box'),
    ...place('Place'),
    roles,
    ...leaning,
    width: number(0.01, 500, 2, {
      label: 'Width',
      unit: 'm',
      span: [0.1, 20],
      step: 0.01,
      hint: 'From side to side.',
      group: 'Size',
    }),
    height: number(0.01, 500, 2, {
      label: 'Height',
      unit: 'm',
      span: [0.1, 20],
      step: 0.01,
      hint: 'From the place upward.',
      group: 'Size',
    }),
    depth: number(0.01, 500, 0.3, {
      label: 'Depth',
      unit: 'm',
      span: [0.1, 20],
      step: 0.01,
      hint: 'From front to back.',
      group: 'Size',
    }),
    ...surfaced,
    motion,
    rides,
    follows,
  })
  .strict()

export const FORM_SHAPES = ['ramp', 'cylinder', 'ball', 'outline', 'lump'] as const
export const formSchema = z
  .object({
    ...common,
    kind: z.literal('form'),
    ...place('Place'),
    roles,
    ...leaning,
    shape: choice(FORM_SHAPES, 'ramp', {
      label: 'Shape',
      hint: 'A ramp, a cylinder, a ball, an outline that is raised, or an irregular lump.',
      group: 'Size',
    }),
    width: number(0.01, 500, 1, {
      label: 'Width',
      unit: 'm',
      span: [0.1, 20],
      step: 0.01,
      hint: 'From side to side.',
      group: 'Size',
      when: { shape: ['ramp', 'cylinder', 'ball', 'lump'] },
    }),
    height: number(0.01, 500, 1, {
      label: 'Height',
      unit: 'm',
      span: [0.1, 20],
      step: 0.01,
      hint: 'From the place upward.',
      group: 'Size',
    }),
    depth: number(0.01, 500, 1, {
      label: 'Depth',
      unit: 'm',
      span: [0.1, 20],
      step: 0.01,
      hint: 'From front to back.',
      group: 'Size',
      when: { shape: ['ramp', 'cylinder', 'ball', 'lump'] },
    }),
    /** Corners of an outline, m to the right and towards the camera from its place, round it one way or the other. */
    corners: z.array(corner).min(3).max(60).optional(),
    variant: number(0, 9999, 1, {
      label: 'Variant',
      unit: '',
      span: [0, 99],
      step: 1,
      hint: 'Another lump.',
      group: 'Size',
      when: { shape: ['lump'] },
    }),
    copies: number(1, 100, 1, {
      label: 'Copies',
      unit: '',
      span: [1, 20],
      step: 1,
      hint: 'A row of them, to the right.',
      group: 'Row',
    }),
    gap: number(0.01, 500, 2, {
      label: 'Apart',
      unit: 'm',
      span: [0.1, 20],
      step: 0.01,
      hint: 'From one of the row to the next.',
      group: 'Row',
    }),
    ...surfaced,
    motion,
    rides,
    follows,
  })
  .strict()

export type FormItem = z.infer<typeof formSchema>
export type GroundItem = z.infer<typeof groundSchema>
export type BoxItem = z.infer<typeof boxSchema>
/** A piece of the set. */
export type PieceItem = GroundItem | BoxItem | FormItem

const step = z.number().int().min(0).max(64)

/** A mesh that was taken in: the blob of its GLB, a lighter one for the browser, what it holds. Bounds are in the file's units. */
export const takenMesh = z
  .object({
    blob: z.string().regex(/^[0-9a-f]{64}$/),
    standIn: z.string().regex(/^[0-9a-f]{64}$/),
    file: z.string().max(200),
    triangles: z.number().int().min(1),
    low: vec3,
    high: vec3,
    animations: z.array(z.object({ name: z.string().max(200), seconds: z.number().min(0) }).strict()).max(200),
    notes: z.array(z.string().max(400)).max(50).default([]),
    /** Boxes that fill it, in steps of its bounds: what gas stops at. */
    body: z
      .object({
        steps: z.tuple([step, step, step]),
        boxes: z.array(z.tuple([step, step, step, step, step, step])).max(500),
      })
      .strict()
      .optional(),
  })
  .strict()

const share = z.number().min(0).max(1)
const shares = z.tuple([share, share, share])

export const thingSchema = z
  .object({
    ...common,
    kind: z.literal('thing'),
    mesh: takenMesh,
    ...place('Place'),
    ...leaning,
    scale: number(1e-4, 1e4, 1, {
      label: 'Scale',
      unit: '×',
      span: [0.01, 10],
      step: 0.01,
      hint: 'Of the file’s own units, taken as metres.',
      group: 'Size',
    }),
    way: choice(['solid', 'set'], 'solid', {
      label: 'Shown as',
      hint: 'Solid: it is seen, and throws its shadow; set: it hides what is behind it and catches shadows, as the plate’s own things do.',
      group: 'Look',
      touches: 'picture',
    }),
    shadow: toggle(true, {
      label: 'Throws shadows',
      hint: 'On the set and on other things.',
      group: 'Look',
      touches: 'picture',
      when: { way: ['solid'] },
    }),
    stops: toggle(false, {
      label: 'Stops gas',
      hint: 'Smoke and fire go round it, as a body of small boxes that fills it.',
      group: 'Look',
      touches: 'gas',
    }),
    tint: colour.default([1, 1, 1]).meta({
      label: 'Tint',
      hint: 'Multiplies its own colours.',
      step: 0.01,
      group: 'Look',
      touches: 'picture',
      when: { way: ['solid'] },
    } satisfies SettingMeta),
    roughness: number(0, 4, 1, {
      label: 'Roughness',
      unit: '×',
      span: [0, 2],
      step: 0.01,
      hint: 'Of its own surfaces: less is glossier.',
      group: 'Look',
      touches: 'picture',
      when: { way: ['solid'] },
    }),
    /** What is left between its sides, as shares of its bounds; without it all of it. */
    trim: z
      .object({ low: shares, high: shares })
      .strict()
      .refine(
        ({ low, high }) => low.every((from, axis) => (high[axis] ?? 1) - from >= 0.005),
        'Something must be left.',
      )
      .optional(),
    /** Planes that it is cut along, in the mesh's units: what is left has dot(normal, p) not above the offset. */
    cuts: z
      .array(z.object({ normal: vec3, offset: z.number() }).strict())
      .max(20)
      .optional(),
    /** Which of the file's animations plays; empty: none. */
    animation: z.string().max(200).default(''),
    starts: number(-1e6, 1e6, 0, {
      label: 'Starts',
      unit: 's',
      span: [-10, 10],
      step: 0.01,
      hint: 'When its animation begins, after the plate’s first frame.',
      group: 'Animation',
      when: { animation: [ANY] },
    }),
    pace: number(-100, 100, 1, {
      label: 'Pace',
      unit: '×',
      span: [0, 4],
      step: 0.01,
      hint: 'How fast its animation plays; less than nothing: backwards.',
      group: 'Animation',
      when: { animation: [ANY] },
    }),
    loops: toggle(true, {
      label: 'Loops',
      hint: 'Begins again when it ends.',
      group: 'Animation',
      when: { animation: [ANY] },
    }),
    ...carrying,
    motion,
    rides,
    follows,
  })
  .strict()

export type ThingItem = z.infer<typeof thingSchema>
export type TakenMesh = z.infer<typeof takenMesh>
