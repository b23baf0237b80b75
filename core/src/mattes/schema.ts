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

/** What a part of a matte does to what comes before it. */
export const MATTE_WAYS = ['add', 'subtract', 'intersect', 'difference'] as const
const way = z.enum(MATTE_WAYS).default('add')
/** An item's id, match.ID of a matched object, track.ID of a track set by hand, or shape.ID of another shape of the matte. */
const holder = z.string().regex(/^((match|track|shape)\.)?[a-z0-9-]{1,40}$/)

/** One curve of a matte. Its keys have the same points. */
export const matteShape = z
  .object({
    name,
    order: z.number(),
    shown: z.boolean().default(true),
    way,
    inverted: z.boolean().default(false),
    /** What it goes with; at this frame it is as it was drawn. */
    rides: z.object({ on: holder, frame: z.number().int() }).strict().optional(),
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

/** Another matte that counts in this one, as it is. */
export const matteTaken = z
  .object({
    of: id,
    order: z.number(),
    shown: z.boolean().default(true),
    way,
    inverted: z.boolean().default(false),
  })
  .strict()

/** A brush stroke on a surface: the way of its middle in the item's own space (m), as wide as a ball of that radius. */
export const paintStroke = z
  .object({
    order: z.number(),
    on: id,
    erase: z.boolean().default(false),
    radius: z.number().min(0.001).max(1000),
    /** Share of the radius over which it fades. */
    soft: z.number().min(0).max(1).default(0.3),
    points: z.array(vec3).min(1).max(2000),
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
    takes: z
      .record(id, matteTaken)
      .refine((all) => Object.keys(all).length <= 50, 'A matte takes 50 others at most.')
      .default({}),
    painted: z
      .record(id, paintStroke)
      .refine((all) => Object.keys(all).length <= 1000, 'A matte has 1,000 brush strokes at most.')
      .default({}),
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
    stands: choice(['foot', 'place', 'distance', 'item', 'surface', 'nowhere'], 'foot', {
      label: 'Stands',
      hint: 'Foot: where its lowest point meets the set; place: in the world; distance: along the view; item: with another; surface: where it is painted; nowhere: it holds nothing out.',
      ...depth,
    }),
    /** What it stands with: an item, match.ID of a matched object, or track.ID of a track set by hand. */
    standsWith: holder.or(z.literal('')).default(''),
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
      when: { stands: ['foot', 'place', 'item', 'surface'] },
      ...depth,
    }),
    softDepth: number(0, 1000, 0, {
      label: 'Soft in depth',
      unit: 'm',
      span: [0, 3],
      step: 0.01,
      hint: 'It begins to hold out half of this before where it stands, and holds all out half of it behind.',
      when: { stands: ['foot', 'place', 'distance', 'item', 'surface'] },
      ...depth,
    }),
    cuts: choice(['all', 'chosen'], 'all', {
      label: 'Cuts',
      hint: 'All that lies behind it, or only what is chosen: that is taken away there, and what is behind it shows.',
      ...depth,
    }),
    /** The items that it cuts, where they are chosen. */
    cut: z.array(id).max(64).default([]),
    keepsOut: toggle(false, {
      label: 'Keeps the match out',
      hint: 'Nothing is tracked inside it.',
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
export type MatteTaken = z.infer<typeof matteTaken>
export type PaintStroke = z.infer<typeof paintStroke>
export type MatteItem = z.infer<typeof matteSchema>
export const MATTE_SETTINGS: readonly Setting[] = settingsOf(matteSchema)
export const isMatte = (item: { kind: string } | undefined): item is MatteItem => item?.kind === 'matte'

/** Brush strokes in the order in which they were drawn. */
export const strokesInOrder = ({ painted }: Pick<MatteItem, 'painted'>): [string, PaintStroke][] =>
  Object.entries(painted).sort(([a, x], [b, y]) => x.order - y.order || (a < b ? -1 : 1))
