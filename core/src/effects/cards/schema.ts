import { z } from 'zod'
import { matteSchema } from '../../mattes/index.ts'
import {
  common,
  follows,
  type Item,
  id,
  motion,
  place,
  rides,
  type Setting,
  settingsOf,
  vec3,
} from '../../settings/index.ts'
import { clipSettings, matteSettings } from './clipSettings.ts'
import { lookSettings, spreadSettings, standSettings } from './standSettings.ts'

// Cards: filmed elements that stand in the set.

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
    /** How its colours stand to its alpha; none where it has none. */
    alpha: z.enum(['straight', 'premultiplied']).optional(),
    /** Drawn mattes of the shot whose plate it is, as they were when it was taken. */
    mattes: z.record(id, matteSchema).optional(),
  })
  .strict()

/** A flat track by hand that a card goes with: from a frame on as it is seen then. */
export const stuckSchema = z
  .object({
    track: id,
    frame: z.int(),
    /** In place alone; turned and as large too; in perspective too. */
    way: z.enum(['place', 'turn', 'perspective']).default('perspective'),
    /** All of its way, or what it trembles about that. */
    takes: z.enum(['travel', 'jitter']).default('travel'),
  })
  .strict()

const inPlace = { when: { far: ['in the set'] } }
const { position, turn } = place('Stands')
const standing = {
  position: position.meta({ ...position.meta(), ...inPlace }),
  turn: turn.meta({ ...turn.meta(), ...inPlace }),
}

export const cardSchema = z
  .object({
    ...common,
    kind: z.literal('card'),
    ...standing,
    clip: clipSchema.optional(),
    stuck: stuckSchema.optional(),
    /** The matte that cuts it: of this shot, for its own plate; else one of its clip's. */
    cutBy: z.string().max(40).default(''),
    /** Corners of the area over which copies are spread, m in the set. */
    area: z.array(vec3).max(200).optional(),
    ...clipSettings,
    ...matteSettings,
    ...standSettings,
    ...lookSettings,
    ...spreadSettings,
    motion,
    rides,
    follows,
  })
  .strict()

export type CardItem = z.infer<typeof cardSchema>
export type ClipOfCard = z.infer<typeof clipSchema>
export const CARD_SETTINGS: readonly Setting[] = settingsOf(cardSchema)
export const isCard = (item: Item | undefined): item is CardItem => item?.kind === 'card'
