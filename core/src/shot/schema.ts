import { z } from 'zod'
import {
  colour,
  common,
  corner,
  follows,
  motion,
  name,
  number,
  place,
  roles,
  type SettingMeta,
  vec3,
} from './fields.ts'
import { forceSchema, gasSchema, reuseSchema, sourceSchema } from './gasSchema.ts'
import { signalSchema } from './signals.ts'

export type { SettingMeta } from './fields.ts'

// The shot document. Every setting carries its label, unit, sensible range, step and a hint of one line in its schema's meta; forms, checks, defaults and
// docs are made from them. Items are a map by id with an order field, so that merge patches touch one thing.

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
    motion,
    follows,
  })
  .strict()

const layerFields = (initial: { order: number }) => ({
  order: z.number().default(initial.order),
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
})
const layer = (initial: { order: number }) => {
  const schema = z.object(layerFields(initial)).strict()
  return schema.default(schema.parse({}))
}

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
    movieCurve: z
      .enum(['soft', 'plain'])
      .default('soft')
      .meta({
        label: 'Movie curve',
        hint: 'Soft bends all above 0.75, the plate’s highlights too, so that hot colours stay apart; plain leaves the plate as it was and clips.',
        group: 'Hand-off',
      } satisfies SettingMeta),
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
    light: layer({ order: 1 }),
    smoke: layer({ order: 2 }),
    fire: layer({ order: 3 }),
  })
  .strict()

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
    follows,
  })
  .strict()

export const lensSchema = z
  .object({ k1: z.number().min(-1).max(1).default(0), k2: z.number().min(-1).max(1).default(0) })
  .strict()

const quaternion = z.tuple([z.number(), z.number(), z.number(), z.number()])
const keySchema = z.string().regex(/^[0-9a-f]{64}$/)

const worldAxis = z.enum(['x', 'y', 'z'])

/** Typed for a locked-off plate, a path taken in from a file (an asset of the shot), solved from the plate, or lined up by the plate's edges. */
export const cameraSchema = z
  .object({
    kind: z.enum(['none', 'typed', 'path', 'solved', 'lined']).default('none'),
    /** px over the full frame's width. */
    focal: number(0.1, 20, 0.85, {
      label: 'Focal length',
      unit: '× width',
      span: [0.3, 4],
      step: 0.005,
      hint: 'In picture widths: 0.85 is a wide lens, 2 a long one.',
      group: 'Camera',
      touches: 'picture',
    }),
    height: number(-100, 1000, 1.6, {
      label: 'Height',
      unit: 'm',
      span: [0.1, 5],
      step: 0.01,
      hint: 'Of the lens above the ground.',
      group: 'Camera',
      touches: 'picture',
    }),
    tilt: number(-90, 90, 0, {
      label: 'Tilt',
      unit: '°',
      span: [-30, 30],
      step: 0.05,
      hint: 'Up is positive.',
      group: 'Camera',
      touches: 'picture',
    }),
    /** The flat track whose motion a typed or lined-up camera takes as a move in the picture, and the frame at which the camera was set. */
    shake: z
      .object({
        hand: z.string().regex(/^[a-z0-9-]{1,40}$/),
        frame: z.number().int(),
        model: z.enum(['place', 'turn']).default('turn'),
      })
      .strict()
      .optional(),
    roll: number(-180, 180, 0, {
      label: 'Roll',
      unit: '°',
      span: [-10, 10],
      step: 0.05,
      hint: 'About the view axis.',
      group: 'Camera',
      touches: 'picture',
    }),
    shutter: number(0, 360, 180, {
      label: 'Shutter',
      unit: '°',
      span: [0, 360],
      step: 5,
      hint: 'How long it stays open, 360 a whole frame: what is added moves while it does.',
      group: 'Camera',
      touches: 'picture',
    }),
    k1: number(-1, 1, 0, {
      label: 'Lens k1',
      unit: '',
      span: [-0.3, 0.3],
      step: 0.001,
      hint: 'Barrel is negative.',
      group: 'Camera',
      touches: 'picture',
    }),
    k2: number(-1, 1, 0, {
      label: 'Lens k2',
      unit: '',
      span: [-0.1, 0.1],
      step: 0.001,
      hint: 'Second term, for the corners.',
      group: 'Camera',
      touches: 'picture',
    }),
    /** The store's blob of the path, and what it was called. */
    path: z
      .object({
        blob: keySchema,
        file: z.string(),
        scale: number(0.001, 1000, 1, {
          label: 'Scale',
          unit: '×',
          span: [0.01, 100],
          step: 0.01,
          hint: 'Times the file’s own size: 0.01 where it was written in centimetres without saying so.',
          group: 'Taken in',
          touches: 'picture',
        }),
        offset: z
          .number()
          .int()
          .min(-1_000_000)
          .max(1_000_000)
          .default(0)
          .meta({
            label: 'Frames later',
            unit: 'fr',
            span: [-100, 100],
            step: 1,
            hint: 'Added to the file’s frame numbers.',
            group: 'Taken in',
            touches: 'picture',
          } satisfies SettingMeta),
        up: z
          .enum(['y', 'z'])
          .default('y')
          .meta({
            label: 'Up in the file',
            hint: 'Choose z where the file is Z up without saying so and the camera lies on its back.',
            group: 'Taken in',
            touches: 'picture',
          } satisfies SettingMeta),
      })
      .strict()
      .optional(),
    /** Lines drawn along edges that run right (x), up (y) or towards the camera (z), the world's origin, and a length from it along an axis; px of the full frame. focal: in picture widths, where it is known. */
    lineUp: z
      .object({
        lines: z
          .array(
            z.object({ axis: worldAxis, ends: z.tuple([z.number(), z.number(), z.number(), z.number()]) }).strict(),
          )
          .max(60)
          .default([]),
        origin: corner.optional(),
        length: z
          .object({ axis: worldAxis, to: corner, metres: z.number().positive().max(100000) })
          .strict()
          .optional(),
        focal: z.number().min(0.1).max(20).optional(),
      })
      .strict()
      .optional(),
    /** The kept solve (a result's key), that of its tracks, and what takes its world to the shot's: level, placed, in metres. */
    solve: z
      .object({
        key: keySchema,
        tracks: keySchema,
        medianPx: z.number(),
        by: z.object({ scale: z.number().positive(), rotation: quaternion, shift: vec3 }).strict(),
        /** Root mean square distance of the ground's points from it, m, and how many were left out as wrong; none until a ground is given. */
        ground: z.object({ rms: z.number(), left: z.number().int() }).strict().optional(),
      })
      .strict()
      .optional(),
  })
  .strict()

/** A place in the picture: frame as numbered in the plate, px of the full frame from its top left. */
const picturePlace = z.object({ frame: z.number().int(), x: z.number(), y: z.number() }).strict()

/** A shape over something that nothing may be followed on; its corners at key frames, by frame. */
export const keepOutSchema = z
  .object({
    name,
    shown: z.boolean().default(true),
    keys: z
      .array(z.object({ frame: z.number().int(), points: z.array(corner).min(3).max(200) }).strict())
      .min(1)
      .refine(
        (keys) => keys.every((key) => key.points.length === keys[0]?.points.length),
        'Every key of a shape has as many corners.',
      )
      .refine(
        (keys) => keys.every((key, n) => n === 0 || key.frame > (keys[n - 1]?.frame ?? 0)),
        'Keys go forward in frames, one a frame.',
      ),
  })
  .strict()

/** A thing that moves by itself: the region that its own tracks are found in, by keys, and its rough geometry, a box of the set as it stands over the thing at one frame. */
export const thingSchema = z
  .object({
    name,
    shown: z.boolean().default(true),
    keys: keepOutSchema.shape.keys,
    count: z
      .number()
      .int()
      .min(12)
      .max(1000)
      .default(80)
      .meta({
        label: 'Features',
        unit: '',
        span: [30, 300],
        step: 10,
        hint: 'Wanted on it in every frame.',
        group: 'Thing',
        touches: 'thing',
      } satisfies SettingMeta),
    geometry: z
      .object({ item: z.string().regex(/^[a-z0-9-]{1,40}$/), frame: z.number().int() })
      .strict()
      .optional(),
    distance: number(0.01, 10000, 5, {
      label: 'Distance',
      unit: 'm',
      span: [0.5, 50],
      step: 0.05,
      hint: 'From the camera to its middle on its first frame, where no geometry gives its size.',
      group: 'Thing',
    }),
  })
  .strict()

/** A track set by hand: a point, or a flat patch by its four corners, where a person set it on key frames. */
export const handSchema = z
  .object({
    name,
    keys: z
      .array(z.object({ frame: z.number().int(), places: z.array(corner).min(1).max(4) }).strict())
      .min(1)
      .max(2000)
      .refine(
        (keys) =>
          keys.every(
            ({ places }) => places.length === keys[0]?.places.length && (places.length === 1 || places.length === 4),
          ),
        'A track by hand is one place, or the four corners of a flat patch, the same on every key.',
      )
      .refine(
        (keys) => keys.every((key, n) => n === 0 || key.frame > (keys[n - 1]?.frame ?? 0)),
        'Keys go forward in frames, one a frame.',
      ),
    model: z
      .enum(['place', 'turn', 'lean', 'perspective'])
      .default('lean')
      .meta({
        label: 'Moves',
        hint: 'In place alone; turning and growing too; leaning too, as ground that comes nearer; or in perspective too.',
        group: 'Track by hand',
        touches: 'hand',
      } satisfies SettingMeta),
    pattern: number(4, 200, 12, {
      label: 'Pattern',
      unit: 'px',
      span: [6, 60],
      step: 1,
      hint: 'Half the edge of the square that is followed.',
      group: 'Track by hand',
      touches: 'hand',
    }),
    search: number(0, 400, 24, {
      label: 'Search',
      unit: 'px',
      span: [4, 120],
      step: 1,
      hint: 'How far it may go from one frame to the next beyond its own pace.',
      group: 'Track by hand',
      touches: 'hand',
    }),
    trust: number(0, 100, 5, {
      label: 'Trust',
      unit: '×',
      span: [0, 20],
      step: 1,
      hint: 'How much it counts in the solve against a found feature; 0 leaves it out.',
      group: 'Track by hand',
    }),
    /** Frames to which it was trimmed. */
    span: z.tuple([z.number().int(), z.number().int()]).optional(),
  })
  .strict()

/** A simple thing set on a point to prove that the camera holds. */
export const proofSchema = z
  .object({
    name,
    at: picturePlace,
    shape: z
      .enum(['cone', 'chequer', 'figure', 'text'])
      .default('cone')
      .meta({
        label: 'Shape',
        hint: 'A cone, a chequered tile, an upright figure 1.8 m tall, or words that stand.',
        group: 'Test object',
      } satisfies SettingMeta),
    size: number(0.01, 1_000_000, 0.5, {
      label: 'Size',
      unit: 'm',
      span: [0.05, 3],
      step: 0.05,
      hint: 'Height of a cone or of words, edge of a tile; a figure stays 1.8 m.',
      group: 'Test object',
    }),
    turn: number(-360, 360, 0, {
      label: 'Turn',
      unit: '°',
      span: [-180, 180],
      step: 1,
      hint: 'About the upright axis.',
      group: 'Test object',
    }),
    text: z.string().max(40).default('HERE'),
    /** Far away: in the direction of its place, turning with the camera only; m. */
    far: z
      .object({ distance: z.number().min(1).max(10_000_000) })
      .strict()
      .optional(),
  })
  .strict()

const matchFields = z
  .object({
    count: z
      .number()
      .int()
      .min(50)
      .max(2000)
      .default(300)
      .meta({
        label: 'Features',
        unit: '',
        span: [100, 600],
        step: 10,
        hint: 'Wanted in every frame, spread evenly.',
        group: 'Tracks',
        touches: 'match',
      } satisfies SettingMeta),
    even: z
      .boolean()
      .default(true)
      .meta({
        label: 'Even out contrast',
        hint: 'Raises weak local contrast first, so that dim and flat places are followed too.',
        group: 'Tracks',
        touches: 'match',
      } satisfies SettingMeta),
    lens: z
      .enum(['find', 'focal known', 'all known'])
      .default('find')
      .meta({
        label: 'Known of it',
        hint: 'What of the lens is known: nothing, the focal length, or its bend too.',
        group: 'Lens',
        touches: 'match',
      } satisfies SettingMeta),
    focal: number(0.1, 20, 0.85, {
      label: 'Focal length',
      unit: '× width',
      span: [0.3, 4],
      step: 0.001,
      hint: 'In picture widths: focal length over sensor width.',
      group: 'Lens',
      touches: 'match',
    }),
    k1: number(-1, 1, 0, {
      label: 'Lens k1',
      unit: '',
      span: [-0.3, 0.3],
      step: 0.001,
      hint: 'Barrel is negative.',
      group: 'Lens',
      touches: 'match',
    }),
    k2: number(-1, 1, 0, {
      label: 'Lens k2',
      unit: '',
      span: [-0.1, 0.1],
      step: 0.001,
      hint: 'Second term, for the corners.',
      group: 'Lens',
      touches: 'match',
    }),
    /** Frames of a matte, taken in like a plate: where it is white nothing is followed; inverted, where it is black. */
    matte: z
      .object({
        asset: z.string(),
        file: z.string(),
        first: z.number().int(),
        last: z.number().int(),
        inverted: z.boolean().default(false),
      })
      .strict()
      .optional(),
    keepOuts: z.record(z.string().regex(/^[a-z0-9-]{1,40}$/), keepOutSchema).default({}),
    /** Tracks dropped by hand: ids, of the tracks under this key. */
    dropped: z
      .object({ tracks: keySchema, ids: z.array(z.number().int()).max(20000) })
      .strict()
      .optional(),
    /** Of the found tracks under this key: frames to which a track was trimmed (id, first, last), and tracks joined to one (id, and the one that becomes part of it). */
    tidied: z
      .object({
        tracks: keySchema,
        spans: z.array(z.tuple([z.number().int(), z.number().int(), z.number().int()])).max(5000),
        joins: z.array(z.tuple([z.number().int(), z.number().int()])).max(5000),
      })
      .strict()
      .optional(),
    things: z.record(z.string().regex(/^[a-z0-9-]{1,40}$/), thingSchema).default({}),
    hands: z.record(z.string().regex(/^[a-z0-9-]{1,40}$/), handSchema).default({}),
    /** What is said of the ground, all as places in the picture, so that it holds for the next solve too. */
    ground: z
      .object({
        points: z.array(picturePlace).max(400).default([]),
        axis: z.tuple([picturePlace, picturePlace]).optional(),
        origin: picturePlace.optional(),
        distance: z
          .object({ from: picturePlace, to: picturePlace, metres: z.number().positive().max(100000) })
          .strict()
          .optional(),
        cameraHeight: z.number().positive().max(10000).optional(),
      })
      .strict()
      .default({ points: [] }),
    proofs: z.record(z.string().regex(/^[a-z0-9-]{1,40}$/), proofSchema).default({}),
  })
  .strict()
export const matchSchema = matchFields.default(matchFields.parse({}))
export const matchSettingsSchema = matchFields

/** An area of the plate that is read frame by frame: a point, a drawn shape, or a ball of the set that is seen wherever the camera goes. */
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

export const plateSchema = z
  .object({
    asset: z.string(),
    file: z.string(),
    width: z.number().int().min(1).max(16384),
    height: z.number().int().min(1).max(16384),
    first: z.number().int(),
    last: z.number().int(),
    /** Frames per second as a fraction. */
    rate: z.tuple([z.number().int().min(1), z.number().int().min(1)]),
    encoding: z.enum(['srgb', 'rec709', 'linear']).default('srgb'),
  })
  .strict()

export const itemSchema = z.discriminatedUnion('kind', [
  groundSchema,
  boxSchema,
  gasSchema,
  sourceSchema,
  forceSchema,
  reuseSchema,
])

/** A shot's name: it becomes part of addresses and of files' names. */
export const shotNameSchema = z
  .string()
  .trim()
  .min(1, 'Give the shot a name.')
  .max(80, 'A name has at most 80 characters.')
  .regex(/^[^/\\\p{Cc}]+$/u, 'A name has no slashes.')

export const shotSchema = z
  .object({
    version: z.literal(1),
    name: shotNameSchema,
    plate: plateSchema,
    camera: cameraSchema,
    match: matchSchema,
    light: plateLightSchema,
    sit: sitSchema,
    signals: z.record(z.string().regex(/^[a-z0-9-]{1,40}$/), signalSchema).default({}),
    readings: z.record(z.string().regex(/^[a-z0-9-]{1,40}$/), readingSchema).default({}),
    items: z.record(z.string().regex(/^[a-z0-9-]{1,40}$/), itemSchema),
  })
  .strict()

export type ShotDocument = z.infer<typeof shotSchema>
export type ShotItem = z.infer<typeof itemSchema>
export type BoxItem = z.infer<typeof boxSchema>
export type GroundItem = z.infer<typeof groundSchema>
export type SitSettings = z.infer<typeof sitSchema>
export type PlateLightSettings = z.infer<typeof plateLightSchema>
export type CameraSettings = z.infer<typeof cameraSchema>
export type LineUpLines = NonNullable<z.infer<typeof cameraSchema>['lineUp']>
export type MatchSettings = z.infer<typeof matchFields>
export type KeepOut = z.infer<typeof keepOutSchema>
export type Reading = z.infer<typeof readingSchema>
export type Thing = z.infer<typeof thingSchema>
export type Hand = z.infer<typeof handSchema>
export type Proof = z.infer<typeof proofSchema>
export type PicturePlace = z.infer<typeof picturePlace>
export type PlateInfo = z.infer<typeof plateSchema>
export type LayerKind = 'light' | 'smoke' | 'fire'

/** A piece of the set. */
export const isPiece = (item: ShotItem): item is GroundItem | BoxItem => item.kind === 'ground' || item.kind === 'box'
