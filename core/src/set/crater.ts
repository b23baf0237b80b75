import { z } from 'zod'
import type { Dug, HeightGrid } from '../data/index.ts'
import { cbrt, radians } from '../math/index.ts'
import {
  choice,
  colour,
  common,
  follows,
  type Item,
  type ItemDocument,
  itemOf,
  itemsInOrder,
  motion,
  movedAndSettledAt,
  number,
  place,
  type Setting,
  type SettingMeta,
  type SignalInputs,
  settingsOf,
} from '../settings/index.ts'

// A crater or a heap in the ground: its form by a curve or a grey picture, its own ground, and when it opens.

const form = { group: 'Form', touches: 'ground' } as const
const crater = { ...form, when: { form: ['crater'] } } as const
const picture = { ...form, when: { form: ['picture'] } } as const
const look = { group: 'Look', touches: 'picture' } as const

/** Longer side of a grey picture as it is kept, px. */
export const MOST_HEIGHTS = 192
const stop = z.tuple([z.number().min(0).max(1), z.number().min(-0.5).max(1.5)])
/** A bowl: the square of the distance. */
const BOWL: [number, number][] = [
  [0, 0],
  [0.3, 0.09],
  [0.65, 0.42],
  [1, 1],
]

export const craterSchema = z
  .object({
    ...common,
    kind: z.literal('crater'),
    ...place('Place'),
    ground: itemOf(['ground'], {
      label: 'Ground',
      hint: 'The ground that it is in; none: whichever it lies on.',
      group: 'Place',
      touches: 'ground',
      still: true,
    }),
    form: choice(['crater', 'picture'], 'crater', {
      label: 'Form',
      hint: 'A crater by its curve, or a grey picture whose brightness is a height.',
      ...form,
      still: true,
    }),
    width: number(0.05, 500, 2, {
      label: 'Width',
      unit: 'm',
      span: [0.2, 20],
      step: 0.01,
      hint: 'From rim to rim; of a picture, across it.',
      ...form,
    }),
    depth: number(0.001, 200, 0.4, {
      label: 'Depth',
      unit: 'm',
      span: [0.02, 5],
      step: 0.01,
      hint: 'Of the floor below the ground: a fresh crater is a fifth to a sixth as deep as it is wide.',
      ...crater,
    }),
    rim: number(0, 50, 0.07, {
      label: 'Rim',
      unit: 'm',
      span: [0, 1],
      step: 0.005,
      hint: 'Of its crest over the ground: about a twenty-fifth of the width.',
      ...crater,
    }),
    irregular: number(0, 100, 12, {
      label: 'Irregular',
      unit: '%',
      span: [0, 50],
      step: 1,
      hint: 'By how much its outline goes in and out.',
      ...crater,
    }),
    long: number(0.05, 500, 2, {
      label: 'Depth of it',
      unit: 'm',
      span: [0.2, 20],
      step: 0.01,
      hint: 'Of the picture, from far to near.',
      ...picture,
    }),
    way: choice(['dug', 'heaped'], 'dug', {
      label: 'White is',
      hint: 'Dug out, or heaped up.',
      ...picture,
      still: true,
    }),
    reach: number(0.001, 200, 0.4, {
      label: 'Height',
      unit: 'm',
      span: [0.02, 5],
      step: 0.01,
      hint: 'Of white, below or over the ground.',
      ...picture,
    }),
    rough: number(0, 2000, 25, {
      label: 'Rough',
      unit: 'mm',
      span: [0, 200],
      step: 1,
      hint: 'How far its surface goes up and down besides.',
      ...form,
    }),
    grain: number(0.005, 50, 0.12, {
      label: 'Lumps',
      unit: 'm',
      span: [0.02, 2],
      step: 0.01,
      hint: 'Size of what is rough.',
      ...form,
    }),
    seed: number(0, 99_999, 1, {
      label: 'Variant',
      unit: '',
      span: [0, 99],
      step: 1,
      hint: 'Another one of the same form.',
      ...form,
      still: true,
    }),
    opens: number(-1_000_000, 1_000_000, 0, {
      label: 'Opens at',
      unit: 'fr',
      span: [0, 2000],
      step: 1,
      hint: 'The frame at which it is there; 0 is from the first on.',
      group: 'Opening',
      touches: 'ground',
      still: true,
    }),
    grows: number(0, 10_000, 3, {
      label: 'Grows over',
      unit: 'fr',
      span: [0, 48],
      step: 1,
      hint: 'Frames until it is as large as it gets.',
      group: 'Opening',
      touches: 'ground',
      still: true,
    }),
    topColour: colour.default([0.11, 0.07, 0.045]).meta({
      label: 'At the top',
      hint: 'Colour of its ground at the rim and where it meets the plate’s.',
      ...look,
    } satisfies SettingMeta),
    middleColour: colour.default([0.075, 0.047, 0.03]).meta({
      label: 'Half way',
      hint: 'Colour half way down.',
      ...look,
    } satisfies SettingMeta),
    floorColour: colour.default([0.05, 0.032, 0.02]).meta({
      label: 'On the floor',
      hint: 'Colour of the floor.',
      ...look,
    } satisfies SettingMeta),
    speckle: number(0, 100, 45, {
      label: 'Speckle',
      unit: '%',
      span: [0, 100],
      step: 1,
      hint: 'By how much its colour varies from clod to clod.',
      ...look,
    }),
    edge: number(0, 2000, 25, {
      label: 'Edge',
      unit: 'mm',
      span: [0, 200],
      step: 1,
      hint: 'Height over or below the ground at which it covers the plate; broken up by its clods.',
      ...look,
    }),
    stops: z
      .array(stop)
      .min(2)
      .max(12)
      .refine((all) => all.every(([at], n) => n === 0 || at > (all[n - 1]?.[0] ?? 0)), 'Stops go outward.')
      .default(BOWL),
    picture: z
      .object({
        file: z.string().max(200),
        width: z.int().min(1).max(MOST_HEIGHTS),
        height: z.int().min(1).max(MOST_HEIGHTS),
        /** Heights as 16-bit numbers, low byte first, rows from the top, in base64. */
        values: z.string().max(120_000),
      })
      .strict()
      .optional(),
    motion,
    follows,
  })
  .strict()

export type CraterItem = z.infer<typeof craterSchema>
export const CRATER_SETTINGS: readonly Setting[] = settingsOf(craterSchema)
export const isCrater = (item: Item | undefined): item is CraterItem => item?.kind === 'crater'

export const craterAt = (
  document: ItemDocument,
  item: CraterItem,
  frame: number,
  inputs: SignalInputs = {},
): CraterItem => movedAndSettledAt(document, item, CRATER_SETTINGS, frame, inputs)

/** How far on it is at a frame, 0 to 1. */
export function openedShare({ opens, grows }: CraterItem, frame: number): number {
  if (opens === 0) return 1
  if (frame < opens) return 0
  return Math.min(1, (frame - opens + 1) / Math.max(1, grows))
}

const grids = new WeakMap<object, HeightGrid>()
/** The same grid each time, so that its heights are read once. */
function gridOf(picture: NonNullable<CraterItem['picture']>): HeightGrid {
  const known = grids.get(picture)
  if (known) return known
  const { width, height, values } = picture
  const made = { width, height, values }
  grids.set(picture, made)
  return made
}

/** Past the rim to where the ground is flat again, in radii; as data/dug has it, with room for what is irregular. */
const OUTWARD = 2.2

/** The hole or heap as it is at a frame; undefined before it opens. */
export function dugOf(item: CraterItem, frame: number): Dug | undefined {
  const share = openedShare(item, frame)
  if (share <= 0) return undefined
  const [x, , z] = item.position
  const common = {
    x,
    z,
    turn: radians(item.turn),
    rough: (share * item.rough) / 1000,
    grain: item.grain,
    seed: Math.round(item.seed),
  }
  if (item.form === 'picture') {
    if (!item.picture) return undefined
    return {
      ...common,
      half: [item.width / 2, item.long / 2],
      irregular: 0,
      shape: {
        kind: 'picture',
        grid: gridOf(item.picture),
        height: share * (item.way === 'dug' ? -1 : 1) * item.reach,
      },
    }
  }
  // It grows outward as it deepens.
  const radius = (item.width / 2) * cbrt(share)
  const irregular = item.irregular / 100
  const outer = radius * (1 + irregular) * OUTWARD
  const { depth, rim, stops } = item
  return {
    ...common,
    half: [outer, outer],
    irregular,
    shape: { kind: 'crater', radius, depth: share * depth, rim: share * rim, stops },
  }
}

/** Holes and heaps in a ground at a frame. */
export const dugsIn = (
  document: ItemDocument,
  ground: string,
  frame: number,
  inputs: SignalInputs = {},
): { id: string; dug: Dug }[] =>
  itemsInOrder(document).flatMap(([id, item]) => {
    if (!isCrater(item) || !item.shown || groundOf(document, item) !== ground) return []
    const dug = dugOf(craterAt(document, item, frame, inputs), frame)
    return dug ? [{ id, dug }] : []
  })

/** The ground that it is in: the one that it names, or the first. */
export const groundOf = (document: ItemDocument, { ground }: CraterItem): string | undefined =>
  ground || itemsInOrder(document).find(([, item]) => item.kind === 'ground')?.[0]
