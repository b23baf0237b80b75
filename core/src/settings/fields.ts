import { z } from 'zod'

// What the schemas of settings are made from. No kind of item is known here.

export interface SettingMeta {
  label: string
  /** As shown; the value itself is always in this unit too. */
  unit?: string
  /** Hard limits are the schema's; this is what the slider spans. */
  span?: readonly [number, number]
  step?: number
  hint: string
  group: string
  /** What of the results the setting touches, as words for the bench. */
  touches?: string
  /** Shown only where another setting of the same thing has one of these values. */
  when?: Readonly<Record<string, readonly (string | boolean)[]>>
  /** Its value is the id of an item of one of these kinds. */
  itemKinds?: readonly string[]
  /** What it is called where none is chosen, if it may be left so. */
  none?: string
  /** Decided once for a whole run: it can't follow a signal. */
  still?: boolean
}

export const number = (min: number, max: number, initial: number, meta: SettingMeta) =>
  z
    .number()
    .min(min)
    .max(max)
    .default(initial)
    .meta({ ...meta })
export const name = z.string().trim().min(1, 'Give it a name.').max(80, 'At most 80 characters.')
export const corner = z.tuple([z.number(), z.number()])
export const vec3 = z.tuple([z.number(), z.number(), z.number()])
export const colour = z.tuple([z.number().min(0).max(4), z.number().min(0).max(4), z.number().min(0).max(4)])
const order = z.number()
/** Names a thing within a document; never what every object has by itself. */
export const id = z
  .string()
  .regex(/^[a-z0-9-]{1,40}$/)
  .refine((value) => value !== 'constructor', 'Nothing is called that.')

/** The most a signal is multiplied by, or moved by, for a setting that follows it. */
export const MOST_FOLLOWED = 1e6

/** How a setting follows a signal: gain x signal + offset, of the signal averaged over `smoothing` frames and `delay` frames late. */
export const follow = z
  .object({
    signal: id,
    gain: z.number().min(-MOST_FOLLOWED).max(MOST_FOLLOWED).default(1),
    offset: z.number().min(-MOST_FOLLOWED).max(MOST_FOLLOWED).default(0),
    smoothing: z.number().min(0).max(240).default(0),
    delay: z.number().min(-1000).max(1000).default(0),
    /** What a colour takes of a reading: how bright it is, or its colour alone. */
    takes: z.enum(['level', 'colour']).optional(),
  })
  .strict()
/** By the setting's key, or key.0, key.1, key.2 for one part of a place or colour. */
export const follows = z.record(z.string().regex(/^[A-Za-z0-9]{1,40}(\.[A-Za-z0-9-]{1,40}){0,3}$/), follow).optional()

/** Where a thing is on key frames: place in metres, angles in degrees (turn about the upright axis, then tilt, then roll). */
const motionKey = z
  .object({
    frame: z.number().int(),
    position: vec3,
    turn: z.number().default(0),
    tilt: z.number().default(0),
    roll: z.number().default(0),
  })
  .strict()
export const motion = z
  .object({
    keys: z
      .array(motionKey)
      .min(1)
      .max(20000)
      .refine(
        (keys) => keys.every((key, n) => n === 0 || key.frame > (keys[n - 1]?.frame ?? 0)),
        'Keys go forward in frames, one a frame.',
      ),
    curve: z.enum(['smooth', 'straight']).default('smooth'),
    /** The file that it was taken from. */
    file: z.string().max(200).optional(),
  })
  .strict()
  .optional()

export const common = {
  name,
  order,
  shown: z.boolean().default(true),
  locked: z.boolean().default(false),
  /** Items of one group are one layer of the picture. */
  group: id.optional(),
}
export const place = (group: string) => ({
  position: vec3.default([0, 0, 0]).meta({
    label: 'Place',
    unit: 'm',
    step: 0.01,
    hint: 'Where it stands in the world: right, up, towards the camera.',
    group,
  } satisfies SettingMeta),
  turn: number(-360, 360, 0, {
    label: 'Turn',
    unit: '°',
    span: [-180, 180],
    step: 0.5,
    hint: 'About the upright axis.',
    group,
  }),
})
export const roles = z
  .object({
    stops: z.boolean().default(true),
    holdsOut: z.boolean().default(true),
    receives: z.boolean().default(true),
  })
  .strict()
  .default({ stops: true, holdsOut: true, receives: true })
  .meta({
    label: 'Roles',
    hint: 'Stops gas; hides what is behind it; shows the effect’s light and shadow.',
    group: 'Roles',
  } satisfies SettingMeta)

/** One of a list of words. */
export const choice = <const T extends readonly [string, ...string[]]>(
  options: T,
  initial: T[number],
  meta: SettingMeta,
) =>
  z
    .enum(options)
    .default(initial as never)
    .meta({ ...meta })
/** On or off. */
export const toggle = (initial: boolean, meta: SettingMeta) =>
  z
    .boolean()
    .default(initial)
    .meta({ ...meta })
/** The id of another item of one of these kinds; empty where none is chosen. */
export const itemOf = (itemKinds: readonly string[], meta: SettingMeta) =>
  z
    .string()
    .max(40)
    .default('')
    .meta({ ...meta, itemKinds })
