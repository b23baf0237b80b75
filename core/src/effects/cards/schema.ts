import { z } from 'zod'
import {
  choice,
  colour,
  common,
  follows,
  type Item,
  id,
  motion,
  number,
  place,
  rides,
  type Setting,
  type SettingMeta,
  settingsOf,
  toggle,
} from '../../settings/index.ts'

// Cards: filmed elements that stand in the set.

const clip = { group: 'Clip', touches: 'picture' } as const
const matte = { group: 'What is there', touches: 'picture' } as const
const stands = { group: 'Stands', touches: 'picture' } as const
const look = { group: 'Look', touches: 'picture' } as const

/** The filmed frames: a plate of another shot. */
export const clipSchema = z
  .object({
    shot: z.string().max(200),
    asset: id,
    file: z.string().max(400),
    first: z.int(),
    last: z.int(),
    width: z.int().min(1).max(32_768),
    height: z.int().min(1).max(32_768),
    /** Frames a second as it was delivered. */
    rate: z.number().positive().max(10_000),
    encoding: z.enum(['srgb', 'rec709', 'linear']),
    curve: z.enum(['sensor', 'clip']),
  })
  .strict()

export const cardSchema = z
  .object({
    ...common,
    kind: z.literal('card'),
    ...place('Stands'),
    clip: clipSchema.optional(),
    shotAt: number(0, 10_000, 0, {
      label: 'Shot at',
      unit: 'fr/s',
      span: [0, 240],
      step: 1,
      hint: 'Frames a second that were filmed: its speed is right by itself. 0: as many as it was delivered at.',
      ...clip,
      still: true,
    }),
    pace: number(0.01, 100, 1, {
      label: 'Pace',
      unit: '×',
      span: [0.1, 4],
      step: 0.05,
      hint: 'Faster or slower than it was.',
      ...clip,
      still: true,
    }),
    reversed: toggle(false, { label: 'Backward', hint: 'Runs from its end to its beginning.', ...clip, still: true }),
    begins: number(-1_000_000, 1_000_000, 0, {
      label: 'Begins at',
      unit: 'fr',
      span: [0, 2000],
      step: 1,
      hint: 'The frame at which it begins; 0 is the plate’s first.',
      ...clip,
      still: true,
    }),
    ends: number(-1_000_000, 1_000_000, 0, {
      label: 'Ends at',
      unit: 'fr',
      span: [0, 2000],
      step: 1,
      hint: 'The last frame at which it is seen; 0: none.',
      ...clip,
      still: true,
    }),
    offset: number(0, 1_000_000, 0, {
      label: 'From its frame',
      unit: 'fr',
      span: [0, 200],
      step: 1,
      hint: 'How many of its own frames are passed over.',
      ...clip,
      still: true,
    }),
    after: choice(['hold', 'nothing', 'loop'], 'hold', {
      label: 'After its end',
      hint: 'Its last frame stays, nothing is there, or it begins anew.',
      ...clip,
      still: true,
    }),
    crossFade: number(0, 10_000, 8, {
      label: 'Fades over',
      unit: 'fr',
      span: [0, 60],
      step: 1,
      hint: 'Of its own frames, from its end into its beginning.',
      when: { after: ['loop'] },
      ...clip,
      still: true,
    }),
    between: choice(['blend', 'nearest'], 'blend', {
      label: 'Between frames',
      hint: 'Both of its neighbours by how near they are, or the nearer one.',
      ...clip,
      still: true,
    }),
    there: choice(['on black', 'keyed', 'all of it'], 'on black', {
      label: 'Filmed',
      hint: 'On black: its brightness is the matte. Keyed: before a colour that is taken out. Or the whole frame.',
      ...matte,
      still: true,
    }),
    lift: number(0, 100, 1.5, {
      label: 'Black',
      unit: '%',
      span: [0, 20],
      step: 0.1,
      hint: 'How bright its black is; that much is taken away.',
      when: { there: ['on black'] },
      ...matte,
    }),
    full: number(1, 10_000, 60, {
      label: 'Hides from',
      unit: '%',
      span: [5, 200],
      step: 1,
      hint: 'So bright it hides all that is behind it; brighter than anything: it only adds light.',
      when: { there: ['on black'] },
      ...matte,
    }),
    keyColour: colour.default([0.05, 0.6, 0.1]).meta({
      label: 'Backing',
      hint: 'The colour that is taken out.',
      when: { there: ['keyed'] },
      ...matte,
    } satisfies SettingMeta),
    near: number(0, 100, 5, {
      label: 'Takes out',
      unit: '%',
      span: [0, 60],
      step: 1,
      hint: 'Pixels with at least so much less than all of the backing are partly there.',
      when: { there: ['keyed'] },
      ...matte,
    }),
    far: number(1, 100, 95, {
      label: 'Keeps from',
      unit: '%',
      span: [40, 100],
      step: 1,
      hint: 'Pixels with at least so much less of it are there wholly.',
      when: { there: ['keyed'] },
      ...matte,
    }),
    spill: number(0, 100, 100, {
      label: 'Spill out',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: 'How much of the backing’s light on it is taken away.',
      when: { there: ['keyed'] },
      ...matte,
    }),
    feather: number(0, 50, 4, {
      label: 'Soft border',
      unit: '%',
      span: [0, 30],
      step: 0.5,
      hint: 'Of its shorter side, so that no edge of the filmed frame is seen.',
      ...matte,
    }),
    height: number(0.001, 1000, 2, {
      label: 'Height',
      unit: 'm',
      span: [0.1, 20],
      step: 0.01,
      hint: 'Of the filmed frame, in the set.',
      ...stands,
    }),
    foot: number(-100, 100, 0, {
      label: 'Foot',
      unit: '%',
      span: [0, 50],
      step: 0.5,
      hint: 'How far up in the frame what stands on the ground is.',
      ...stands,
    }),
    faces: choice(['upright', 'camera', 'fixed'], 'upright', {
      label: 'Faces the camera',
      hint: 'Turns about its upright, wholly, or not at all: then by its turn.',
      ...stands,
      still: true,
    }),
    mirror: toggle(false, { label: 'Mirrored', hint: 'Right is left.', ...stands, still: true }),
    exposure: number(-20, 20, 0, {
      label: 'Exposure',
      unit: 'st',
      span: [-4, 4],
      step: 0.05,
      hint: 'Against how it was filmed.',
      ...look,
    }),
    tint: colour.default([1, 1, 1]).meta({
      label: 'Tint',
      hint: 'Multiplied with it.',
      ...look,
    } satisfies SettingMeta),
    motion,
    rides,
    follows,
  })
  .strict()

export type CardItem = z.infer<typeof cardSchema>
export type ClipOfCard = z.infer<typeof clipSchema>
export const CARD_SETTINGS: readonly Setting[] = settingsOf(cardSchema)
export const isCard = (item: Item | undefined): item is CardItem => item?.kind === 'card'
