import { z } from 'zod'
import { choice, colour, number, type SettingMeta } from '../settings/index.ts'

// What a piece or thing is seen with: the plate, or a surface of its own.

const carried = {
  label: 'Seen with',
  hint: 'Nothing: the plate shows it. Else it is drawn: with a frame of the plate that it takes along, with the frame that is shown, with another shot’s plate, or with a surface of its own.',
  group: 'Look',
  touches: 'picture',
} as const
const id = z.string().regex(/^[0-9a-f-]{1,64}$/)
const finite = z.number().finite()
const vec = z.tuple([finite, finite, finite])
/** Another shot's plate at a frame, with that shot's camera as it was when it was taken: both shots have the same world. */
export const stillPlate = z
  .object({
    shot: z.string().max(200),
    asset: id,
    frame: z.number().int(),
    encoding: z.enum(['srgb', 'rec709', 'linear']),
    curve: z.enum(['sensor', 'clip']),
    camera: z
      .object({
        position: vec,
        rotation: z.tuple([finite, finite, finite, finite]),
        focalPx: z.number().positive(),
        centre: z.tuple([finite, finite]),
        k1: finite,
        k2: finite,
        width: z.number().int().min(1).max(32768),
        height: z.number().int().min(1).max(32768),
      })
      .strict(),
  })
  .strict()
export type StillPlate = z.infer<typeof stillPlate>

/** The plate on a piece or thing. */
export const carrying = {
  still: stillPlate.optional(),
  carries: choice(['nothing', 'frozen', 'moving', 'still'], 'nothing', carried),
  frozen: number(-1e6, 1e7, 0, {
    label: 'Frame',
    unit: '',
    span: [0, 2000],
    step: 1,
    hint: 'The frame of the plate that is kept on it; 0: the first.',
    group: 'Look',
    touches: 'picture',
    still: true,
    when: { carries: ['frozen'] },
  }),
}

/** Pictures of a surface, kept as a GLB of one material. */
export const surfacePictures = z
  .object({
    blob: z.string().regex(/^[0-9a-f]{64}$/),
    file: z.string().max(200),
    /** Height over width. */
    aspect: z.number().min(0.01).max(100),
    /** Whether its slopes come from a picture of heights. */
    raised: z.boolean().default(false),
    notes: z.array(z.string().max(400)).max(50).default([]),
  })
  .strict()

export type SurfacePictures = z.infer<typeof surfacePictures>

export const PATTERNS = ['plain', 'brick', 'tile', 'cells', 'noise', 'pictures'] as const
const made = ['brick', 'tile', 'cells', 'noise'] as const

/** A surface of its own, for pieces that are drawn. */
const surface = { group: 'Look', touches: 'picture', when: { carries: ['surface'] } } as const
export const surfaced = {
  ...carrying,
  carries: choice(['nothing', 'frozen', 'moving', 'still', 'surface'], 'nothing', carried),
  surfaceColour: colour.default([0.18, 0.18, 0.18]).meta({
    label: 'Colour',
    hint: 'Share of the light that it sends back: 0.18 is middle grey.',
    step: 0.01,
    ...surface,
  } satisfies SettingMeta),
  roughness: number(0, 1, 0.8, {
    label: 'Roughness',
    unit: '',
    span: [0, 1],
    step: 0.01,
    hint: 'Less is glossier.',
    ...surface,
  }),
  metal: number(0, 1, 0, {
    label: 'Metal',
    unit: '',
    span: [0, 1],
    step: 0.01,
    hint: '1 mirrors in its own colour.',
    ...surface,
  }),
  pattern: choice(PATTERNS, 'plain', {
    label: 'Pattern',
    hint: 'One colour, a made pattern, or pictures that are taken in beside.',
    ...surface,
  }),
  patternSize: number(0.005, 100, 0.25, {
    label: 'Pattern size',
    unit: 'm',
    span: [0.02, 3],
    step: 0.005,
    hint: 'Length of a brick, tile or cell, breadth of the largest lumps, or width of the pictures.',
    ...surface,
    when: { ...surface.when, pattern: [...made, 'pictures'] },
  }),
  secondColour: colour.default([0.1, 0.1, 0.1]).meta({
    label: 'Second colour',
    hint: 'Each brick, tile or cell lies between the two.',
    step: 0.01,
    ...surface,
    when: { ...surface.when, pattern: [...made] },
  } satisfies SettingMeta),
  jointColour: colour.default([0.3, 0.29, 0.27]).meta({
    label: 'Joint colour',
    hint: 'Mortar, or what lies between cells; of noise, the third colour.',
    step: 0.01,
    ...surface,
    when: { ...surface.when, pattern: [...made] },
  } satisfies SettingMeta),
  relief: number(0, 200, 6, {
    label: 'Relief',
    unit: 'mm',
    span: [0, 30],
    step: 0.5,
    hint: 'How far it stands out of its joints.',
    ...surface,
    when: { ...surface.when, pattern: [...made, 'pictures'] },
  }),
  patternVariant: number(0, 9999, 1, {
    label: 'Pattern variant',
    unit: '',
    span: [0, 99],
    step: 1,
    hint: 'Another of its kind.',
    ...surface,
    when: { ...surface.when, pattern: [...made] },
  }),
  surfacePictures: surfacePictures.optional(),
}
