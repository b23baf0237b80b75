import { z } from 'zod'
import {
  choice,
  colour,
  common,
  type Item,
  id,
  itemOf,
  name,
  number,
  type Setting,
  type SettingMeta,
  settingsOf,
  vec3,
} from '../../settings/index.ts'

import { INNER_SURFACES } from './innerPattern.ts'

// Breaking: a piece of the set that comes apart where it is struck.

const cut = { group: 'Cut', touches: 'pieces', still: true } as const
const matter = { group: 'Matter', touches: 'pieces', still: true } as const
const look = { group: 'Look', touches: 'picture', still: true } as const

/** Where and when it is struck. */
export const strikeSchema = z
  .object({
    name,
    frame: number(-1_000_000, 1_000_000, 1, {
      label: 'Frame',
      unit: 'fr',
      span: [0, 2000],
      step: 1,
      hint: 'When it strikes.',
      group: 'Strike',
      touches: 'pieces',
      still: true,
    }),
    at: vec3.default([0, 0, 0]).meta({
      label: 'Where',
      unit: 'm',
      step: 0.01,
      hint: 'Place of the strike; smaller pieces are cut round it.',
      group: 'Strike',
      touches: 'pieces',
      still: true,
    } satisfies SettingMeta),
    direction: vec3.default([0, 0, 1]).meta({
      label: 'Direction',
      unit: '',
      step: 0.05,
      hint: 'Which way it drives them: right, up, towards the camera of a level set.',
      group: 'Strike',
      touches: 'pieces',
      still: true,
    } satisfies SettingMeta),
    radius: number(0.01, 100, 0.5, {
      label: 'Radius',
      unit: 'm',
      span: [0.1, 4],
      step: 0.01,
      hint: 'Pieces within it are let go.',
      group: 'Strike',
      touches: 'pieces',
      still: true,
    }),
    energy: number(0, 1e9, 600, {
      label: 'Energy',
      unit: 'J',
      span: [0, 20_000],
      step: 10,
      hint: 'That they fly off with: 600 J throws 50 kg at 5 m/s.',
      group: 'Strike',
      touches: 'pieces',
      still: true,
    }),
    spread: number(0, 100, 40, {
      label: 'Spread',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: '0 drives all of them one way, 100 straight away from where it struck.',
      group: 'Strike',
      touches: 'pieces',
      still: true,
    }),
    by: itemOf(['box', 'form', 'thing'], {
      label: 'Struck by',
      hint: 'Something on a path that hits it: when, where and how hard follow from its way and its mass.',
      group: 'Strike',
      touches: 'pieces',
      still: true,
    }),
    mass: number(0.01, 1e6, 50, {
      label: 'Its mass',
      unit: 'kg',
      span: [1, 2000],
      step: 1,
      hint: 'Of what strikes.',
      group: 'Strike',
      touches: 'pieces',
      when: { by: ['*'] },
      still: true,
    }),
  })
  .strict()

export const PATTERNS = ['lumps', 'bricks', 'splinters', 'slabs', 'radial'] as const
export const MOST_STRIKES = 200

export const breakingSchema = z
  .object({
    ...common,
    kind: z.literal('breaking'),
    piece: itemOf(['box', 'form', 'thing'], {
      label: 'Breaks',
      hint: 'The piece of the set that comes apart.',
      ...cut,
    }),
    /** Where it is taken and named in the picture: the first strike’s place as it was made. */
    position: vec3.default([0, 0, 0]),
    pattern: choice(PATTERNS, 'lumps', {
      label: 'Pattern',
      hint: 'Lumps as stone breaks; bricks in a bond; splinters along a grain; slabs through the whole thickness; rings and rays from the first strike.',
      ...cut,
    }),
    number: number(1, 2000, 150, {
      label: 'Pieces',
      unit: '',
      span: [20, 800],
      step: 10,
      hint: 'How many it is cut into.',
      when: { pattern: ['lumps', 'splinters', 'slabs', 'radial'] },
      ...cut,
    }),
    brickLength: number(0.02, 5, 0.225, {
      label: 'Brick',
      unit: 'm',
      span: [0.1, 0.6],
      step: 0.005,
      hint: 'Length of a brick with its joint.',
      when: { pattern: ['bricks'] },
      ...cut,
    }),
    brickHeight: number(0.02, 5, 0.075, {
      label: 'Course',
      unit: 'm',
      span: [0.05, 0.4],
      step: 0.005,
      hint: 'Height of a course with its joint.',
      when: { pattern: ['bricks'] },
      ...cut,
    }),
    bond: number(0, 100, 50, {
      label: 'Bond',
      unit: '%',
      span: [0, 50],
      step: 1,
      hint: 'By how much of a brick every other course is moved along.',
      when: { pattern: ['bricks'] },
      ...cut,
    }),
    grain: choice(['across', 'upward', 'deep'], 'upward', {
      label: 'Grain',
      hint: 'Which way splinters are long.',
      when: { pattern: ['splinters'] },
      ...cut,
    }),
    stretch: number(1, 40, 8, {
      label: 'Drawn out',
      unit: '×',
      span: [2, 20],
      step: 0.5,
      hint: 'How many times longer than thick splinters are.',
      when: { pattern: ['splinters'] },
      ...cut,
    }),
    finer: number(0, 100, 70, {
      label: 'Finer at strikes',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: 'How much smaller pieces are where it is struck; 0 cuts it evenly.',
      when: { pattern: ['lumps', 'splinters', 'slabs', 'bricks'] },
      ...cut,
    }),
    seed: number(0, 1_000_000, 1, {
      label: 'Variant',
      unit: '',
      span: [0, 99],
      step: 1,
      hint: 'Another cut of the same kind.',
      ...cut,
    }),
    density: number(10, 20_000, 1900, {
      label: 'Density',
      unit: 'kg/m³',
      span: [300, 8000],
      step: 10,
      hint: 'Brick 1,900, concrete 2,400, timber 600, iron 7,800.',
      ...matter,
    }),
    friction: number(0, 2, 0.6, {
      label: 'Friction',
      unit: '',
      span: [0, 1],
      step: 0.01,
      hint: 'Brick on stone 0.6, wood 0.4, ice 0.05.',
      ...matter,
    }),
    bounce: number(0, 100, 8, {
      label: 'Bounce',
      unit: '%',
      span: [0, 60],
      step: 1,
      hint: 'Of its speed that comes back from a hit.',
      ...matter,
    }),
    strength: number(0, 100_000, 100, {
      label: 'Holds',
      unit: 'kPa',
      span: [0, 2000],
      step: 10,
      hint: 'Pull at which joints part: old mortar 50, mortar 200, concrete 2,000, timber along its grain 10,000. 0: what was struck alone falls, and what hung on it.',
      ...matter,
    }),
    held: choice(['all round', 'sides and foot', 'foot'], 'all round', {
      label: 'Held',
      hint: 'By what it touches all round; at its sides and foot, with nothing behind it; or by its foot alone.',
      ...matter,
    }),
    gravity: number(-100, 100, 9.81, {
      label: 'Gravity',
      unit: 'm/s²',
      span: [0, 20],
      step: 0.1,
      hint: '9.81 on the ground.',
      ...matter,
    }),
    dust: number(0, 1000, 100, {
      label: 'Dust',
      unit: '%',
      span: [0, 300],
      step: 5,
      hint: 'Of what faces that part and hits give off, for gas and particles that come from it.',
      ...matter,
    }),
    roughness: number(0, 200, 12, {
      label: 'Rough inside',
      unit: 'mm',
      span: [0, 60],
      step: 1,
      hint: 'How far faces of the break go in and out.',
      ...look,
    }),
    insideColour: colour.default([0.2, 0.08, 0.045]).meta({
      label: 'Inside',
      hint: 'Colour of what the break lays open.',
      ...look,
    } satisfies SettingMeta),
    insideIs: choice(INNER_SURFACES, 'even', {
      label: 'Inside is',
      hint: 'How what the break lays open looks: even, burnt clay, concrete with its stones, wood, or rust.',
      ...look,
    }),
    tint: number(0, 100, 50, {
      label: 'From the plate',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: 'How much of its hue the inside has from the plate’s own surface.',
      ...look,
    }),
    frozen: number(0, 1_000_000, 0, {
      label: 'Plate of frame',
      unit: 'fr',
      span: [0, 2000],
      step: 1,
      hint: 'The frame that stays on the outside of pieces; 0 takes the last one before the first strike.',
      ...look,
    }),
    behind: choice(['hollow', 'back', 'plate'], 'hollow', {
      label: 'Behind it',
      hint: 'What is seen through the gap: a hollow; the back of it, broken too; or the plate as it is.',
      ...look,
    }),
    hollow: number(0, 50, 0.6, {
      label: 'Hollow',
      unit: 'm',
      span: [0, 4],
      step: 0.05,
      hint: 'How far the room behind it goes on.',
      when: { behind: ['hollow'] },
      ...look,
    }),
    /** Planes along which it is cut by hand, in its own space: normal · p = offset, m. */
    cuts: z
      .array(z.object({ normal: vec3, offset: z.number() }).strict())
      .max(40)
      .default([]),
    /** Outlines drawn over it: an eye and places on their corners' rays, in its own space, m. Cut along, or what is within stays whole. */
    outlines: z
      .array(z.object({ eye: vec3, corners: z.array(vec3).min(3).max(40), whole: z.boolean() }).strict())
      .max(20)
      .default([]),
    strikes: z
      .record(id, strikeSchema)
      .refine((all) => Object.keys(all).length <= MOST_STRIKES, `At most ${MOST_STRIKES} strikes.`)
      .default({}),
  })
  .strict()

export type BreakingItem = z.infer<typeof breakingSchema>
export type Strike = z.infer<typeof strikeSchema>
export const BREAKING_SETTINGS: readonly Setting[] = settingsOf(breakingSchema)
export const STRIKE_SETTINGS: readonly Setting[] = settingsOf(strikeSchema)
export const isBreaking = (item: Item | undefined): item is BreakingItem => item?.kind === 'breaking'
