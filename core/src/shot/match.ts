import { z } from 'zod'
import { corner, id, name, number, type SettingMeta } from '../settings/index.ts'
import { keySchema } from './camera.ts'

/** A place in the picture: frame as numbered in the plate, px of the full frame from its top left. */
const picturePlace = z.object({ frame: z.number().int(), x: z.number(), y: z.number() }).strict()

/** A shape over something that nothing may be followed on; its corners at key frames, by frame. */
export const exclusionMaskSchema = z
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
export const movingObjectSchema = z
  .object({
    name,
    shown: z.boolean().default(true),
    keys: exclusionMaskSchema.shape.keys,
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
        group: 'MovingObject',
        touches: 'thing',
      } satisfies SettingMeta),
    geometry: z.object({ item: id, frame: z.number().int() }).strict().optional(),
    distance: number(0.01, 10000, 5, {
      label: 'Distance',
      unit: 'm',
      span: [0.5, 50],
      step: 0.05,
      hint: 'From the camera to its middle on its first frame, where no geometry gives its size.',
      group: 'MovingObject',
    }),
  })
  .strict()

/** A track set by hand: a point, or a flat patch by its four corners, where a person set it on key frames. */
export const manualTrackSchema = z
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
    keepOuts: z.record(id, exclusionMaskSchema).default({}),
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
    things: z.record(id, movingObjectSchema).default({}),
    hands: z.record(id, manualTrackSchema).default({}),
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
    proofs: z.record(id, proofSchema).default({}),
  })
  .strict()
export const matchSchema = matchFields.default(matchFields.parse({}))
export const matchSettingsSchema = matchFields

export type MatchSettings = z.infer<typeof matchFields>
export type ExclusionMask = z.infer<typeof exclusionMaskSchema>
export type MovingObject = z.infer<typeof movingObjectSchema>
export type ManualTrack = z.infer<typeof manualTrackSchema>
export type Proof = z.infer<typeof proofSchema>
export type PicturePlace = z.infer<typeof picturePlace>
