import { z } from 'zod'
import {
  choice,
  colour,
  common,
  follows,
  type Item,
  number,
  type Setting,
  type SettingMeta,
  settingsOf,
  vec3,
} from '../../settings/index.ts'

// Marks: what is stamped on the set through the camera, and stays on it.

const where = { group: 'Where', touches: 'picture' } as const
const look = { group: 'Look', touches: 'picture' } as const
const grows = { group: 'Growing', touches: 'picture', still: true } as const

/** Longer side of a stamped picture as it is kept, px. */
export const MOST_STAMP = 128
const quaternion = z.tuple([z.number(), z.number(), z.number(), z.number()])
/** The camera that it is stamped through. */
const cameraSchema = z
  .object({
    position: vec3,
    rotation: quaternion,
    focalPx: z.number().positive(),
    centre: z.tuple([z.number(), z.number()]),
    k1: z.number(),
    k2: z.number(),
    width: z.int().min(1).max(100_000),
    height: z.int().min(1).max(100_000),
  })
  .strict()

/** A small picture that is kept in the document. */
export const smallPicture = z
  .object({
    file: z.string().max(200),
    width: z.int().min(1).max(MOST_STAMP),
    height: z.int().min(1).max(MOST_STAMP),
    /** r g b a as bytes, sRGB, rows from the top, in base64. */
    values: z.string().max(100_000),
  })
  .strict()
export type SmallPicture = z.infer<typeof smallPicture>

export const MARKS = ['scorch', 'cracks', 'wet', 'dirt', 'picture'] as const
export const marksSchema = z
  .object({
    ...common,
    kind: z.literal('marks'),
    position: vec3.default([0, 0, 0]).meta({
      label: 'Place',
      unit: 'm',
      step: 0.01,
      hint: 'Middle of it on the set; it is stamped there through the camera of its frame.',
      ...where,
    } satisfies SettingMeta),
    mark: choice(MARKS, 'scorch', {
      label: 'Is',
      hint: 'Scorch, cracks that branch, wet, dirt, or a picture.',
      ...look,
      still: true,
    }),
    width: number(0.02, 200, 1.4, {
      label: 'Width',
      unit: 'm',
      span: [0.1, 10],
      step: 0.01,
      hint: 'Across, as the camera sees it.',
      ...where,
    }),
    height: number(0.02, 200, 1.4, {
      label: 'Height',
      unit: 'm',
      span: [0.1, 10],
      step: 0.01,
      hint: 'Up and down, as the camera sees it.',
      ...where,
    }),
    turn: number(-360, 360, 0, {
      label: 'Turn',
      unit: '°',
      span: [-180, 180],
      step: 1,
      hint: 'In the picture, clockwise.',
      ...where,
    }),
    laid: choice(['multiply', 'over'], 'multiply', {
      label: 'Laid',
      hint: 'Multiply darkens what is under it; over covers it with its own colour.',
      ...look,
      still: true,
    }),
    amount: number(0, 100, 85, {
      label: 'Amount',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: 'How much of it there is.',
      ...look,
    }),
    blur: number(0, 100, 25, {
      label: 'Soft',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: 'How soft its edges are.',
      ...look,
    }),
    ragged: number(0, 100, 55, {
      label: 'Ragged',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: 'How broken up it is.',
      when: { mark: ['scorch', 'wet', 'dirt'] },
      ...look,
    }),
    branches: number(1, 40, 7, {
      label: 'Cracks',
      unit: '',
      span: [2, 16],
      step: 1,
      hint: 'How many run out from its middle; each branches.',
      when: { mark: ['cracks'] },
      ...look,
      still: true,
    }),
    thick: number(0.5, 200, 6, {
      label: 'Width of a crack',
      unit: 'mm',
      span: [1, 40],
      step: 0.5,
      hint: 'In the middle; they thin out.',
      when: { mark: ['cracks'] },
      ...look,
    }),
    colour: colour.default([0.02, 0.018, 0.016]).meta({
      label: 'Colour',
      hint: 'Of what covers; of what multiplies how dark it gets.',
      ...look,
    } satisfies SettingMeta),
    gloss: number(0, 100, 0, {
      label: 'Gloss',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: 'How much it shines as wet things do.',
      ...look,
    }),
    seed: number(0, 99_999, 1, {
      label: 'Variant',
      unit: '',
      span: [0, 99],
      step: 1,
      hint: 'Another one of the same kind.',
      ...look,
      still: true,
    }),
    begins: number(-1_000_000, 1_000_000, 0, {
      label: 'Begins at',
      unit: 'fr',
      span: [0, 2000],
      step: 1,
      hint: 'The frame at which it comes; 0 is from the first on.',
      ...grows,
    }),
    grows: number(0, 100_000, 12, {
      label: 'Grows over',
      unit: 'fr',
      span: [0, 120],
      step: 1,
      hint: 'Frames until all of it is there.',
      ...grows,
    }),
    camera: cameraSchema.optional(),
    /** The frame at which it was stamped: what it lies on stood so then. */
    stamped: z.int().optional(),
    picture: smallPicture.optional(),
    follows,
  })
  .strict()

export type MarksItem = z.infer<typeof marksSchema>
export const MARKS_SETTINGS: readonly Setting[] = settingsOf(marksSchema)
export const isMarks = (item: Item | undefined): item is MarksItem => item?.kind === 'marks'
