import { z } from 'zod'
import {
  choice,
  common,
  corner,
  follows,
  id,
  motion,
  name,
  number,
  type Setting,
  type SettingMeta,
  settingsOf,
  toggle,
  vec3,
} from '../settings/index.ts'

// Mattes: closed curves with keys that are drawn over the plate, and strokes that are carried.

/** A point of a closed curve, px of the plate: its place, its handles as steps from it (none: a corner), and how far its edge is soft outward. */
export const mattePoint = z
  .object({
    at: corner,
    before: corner.default([0, 0]),
    after: corner.default([0, 0]),
    soft: z.number().min(0).max(4000).default(0),
  })
  .strict()
const matteKey = z.object({ frame: z.number().int(), points: z.array(mattePoint).min(2).max(400) }).strict()

/** One curve of a matte. Its keys have the same points. */
export const matteShape = z
  .object({
    name,
    order: z.number(),
    shown: z.boolean().default(true),
    way: z.enum(['add', 'subtract', 'intersect']).default('add'),
    inverted: z.boolean().default(false),
    curve: z.enum(['smooth', 'straight']).default('smooth'),
    keys: z
      .array(matteKey)
      .min(1)
      .max(5000)
      .refine(
        (keys) => keys.every((key, n) => n === 0 || key.frame > (keys[n - 1]?.frame ?? 0)),
        'Keys go forward in frames, one a frame.',
      )
      .refine(
        (keys) => keys.every(({ points }) => points.length === keys[0]?.points.length),
        'Every key has the same points.',
      ),
  })
  .strict()

/** A stroke of a helped matte, px of the plate: what it lies on is inside, or outside. */
const helpedStroke = z
  .object({
    order: z.number(),
    frame: z.number().int(),
    inside: z.boolean(),
    width: z.number().min(0.5).max(400).default(4),
    points: z.array(corner).min(1).max(4000),
    /** How often the matte had been carried before: strokes of a later round correct what was carried. */
    round: z.number().int().min(0).max(1000).default(0),
  })
  .strict()

/** A matte that strokes on a few frames tell, and that is carried to the others. */
export const helpedMatte = z
  .object({
    from: z.number().int(),
    to: z.number().int(),
    strokes: z
      .record(id, helpedStroke)
      .refine((all) => Object.keys(all).length <= 1000, 'A matte has 1,000 strokes at most.')
      .default({}),
    /** How often it has been carried: strokes of earlier rounds count. */
    carried: z.number().int().min(0).max(1000).default(0),
    /** Frames that are not computed any more, by frame: the kept file that each stays, the key of what decided it, and the round it was accepted in. */
    accepted: z
      .record(
        z.string().regex(/^-?\d{1,7}$/),
        z.object({ round: z.number().int().min(0), blob: z.string().max(100), key: z.string().max(100) }).strict(),
      )
      .default({}),
  })
  .strict()

const edge = { group: 'Edge', touches: 'picture' } as const
const depth = { group: 'In depth', touches: 'picture' } as const

export const matteSchema = z
  .object({
    ...common,
    kind: z.literal('matte'),
    shapes: z.record(id, matteShape).default({}),
    helped: helpedMatte.optional(),
    grow: number(-400, 400, 0, {
      label: 'Grow',
      unit: 'px',
      span: [-20, 20],
      step: 0.1,
      hint: 'Outward on all sides; less than nothing shrinks it.',
      ...edge,
    }),
    soften: number(0, 400, 0, {
      label: 'Soften',
      unit: 'px',
      span: [0, 20],
      step: 0.1,
      hint: 'Blurs its whole edge, inward and outward.',
      ...edge,
    }),
    blurs: toggle(true, {
      label: 'Motion blur',
      hint: 'By its own keys over the open shutter.',
      ...edge,
    }),
    inverted: toggle(false, { label: 'Inverted', hint: 'Covers what lies outside.', ...edge }),
    stands: choice(['foot', 'place', 'distance', 'nowhere'], 'foot', {
      label: 'Stands',
      hint: 'Foot: where its lowest point meets the set; place: at a place of the world; distance: so far along the view; nowhere: it holds nothing out.',
      ...depth,
    }),
    position: vec3.default([0, 0, 0]).meta({
      label: 'Place',
      unit: 'm',
      step: 0.01,
      hint: 'Where what it covers stands in the world.',
      when: { stands: ['place'] },
      ...depth,
    } satisfies SettingMeta),
    distance: number(0.1, 10_000, 6, {
      label: 'Distance',
      unit: 'm',
      span: [0.5, 60],
      step: 0.05,
      hint: 'Along the view.',
      when: { stands: ['distance'] },
      ...depth,
    }),
    nearer: number(-1000, 1000, 0, {
      label: 'Nearer',
      unit: 'm',
      span: [-3, 3],
      step: 0.01,
      hint: 'Moves it towards the camera from where it stands.',
      when: { stands: ['foot', 'place'] },
      ...depth,
    }),
    keepsOut: toggle(false, {
      label: 'Keeps the match out',
      hint: 'Nothing is tracked inside its drawn shapes.',
      group: 'Match',
      touches: 'tracks',
    }),
    motion,
    follows,
  })
  .strict()

export type MattePoint = z.infer<typeof mattePoint>
export type MatteShape = z.infer<typeof matteShape>
export type MatteKey = MatteShape['keys'][number]
export type HelpedMatte = z.infer<typeof helpedMatte>
export type HelpedStroke = HelpedMatte['strokes'][string]
export type MatteItem = z.infer<typeof matteSchema>
export const MATTE_SETTINGS: readonly Setting[] = settingsOf(matteSchema)
export const isMatte = (item: { kind: string } | undefined): item is MatteItem => item?.kind === 'matte'
