import { z } from 'zod'
import type { Effect } from '../effects/effect.ts'
import { EFFECTS } from '../effects/index.ts'
import {
  isSeen,
  LAMP_SETTINGS,
  lampSchema,
  PIECE_KINDS,
  PIECE_SCHEMAS,
  type PieceKindName,
  THING_SETTINGS,
  thingSchema,
} from '../set/index.ts'
import { type Setting, settingsOf } from '../settings/index.ts'

// Every kind of item: set pieces, and what the effects have. All that depends on a kind looks it up here.

/** All of a union's members at once. */
type All<U> = (U extends unknown ? (one: U) => void : never) extends (all: infer I) => void ? I : never
type EffectSchemas = All<(typeof EFFECTS)[number]['itemSchemas']>
const STANDING_SCHEMAS = { thing: thingSchema, lamp: lampSchema } as const
type Schemas = typeof PIECE_SCHEMAS & typeof STANDING_SCHEMAS & EffectSchemas
export type ItemKind = keyof Schemas
export type ShotItem = { [K in ItemKind]: z.infer<Schemas[K]> }[ItemKind]
/** An item of one kind. */
export type ItemOfKind<K extends ItemKind> = Extract<ShotItem, { kind: K }>

/** Schemas by kind. */
export const ITEM_SCHEMAS: Schemas = Object.assign(
  {},
  PIECE_SCHEMAS,
  STANDING_SCHEMAS,
  ...EFFECTS.map(({ itemSchemas }) => itemSchemas),
)

const [firstSchema, ...otherSchemas] = Object.values(ITEM_SCHEMAS)
if (!firstSchema) throw new TypeError('there are no kinds of item')
export const itemSchema = z.discriminatedUnion('kind', [firstSchema, ...otherSchemas])

export interface ItemKindInfo {
  schema: z.ZodObject
  settings: readonly Setting[]
  /** The effect that it belongs to; none: a piece of the set. */
  effect?: Effect
  /** Whether runs are computed of it. */
  baked: boolean
  /** Whether it is seen in the picture, and so has a layer. */
  drawn: boolean
  /** The station that it is worked on at. */
  station: 'Set' | 'Mattes' | 'Effects' | 'Light'
}

const pieceInfo = (kind: PieceKindName): ItemKindInfo => ({
  schema: PIECE_SCHEMAS[kind],
  settings: PIECE_KINDS[kind].settings,
  baked: false,
  drawn: false,
  station: 'Set',
})
const pieceInfos: Readonly<Record<PieceKindName, ItemKindInfo>> = {
  ground: pieceInfo('ground'),
  box: pieceInfo('box'),
  form: pieceInfo('form'),
}

const ALL: readonly Effect[] = EFFECTS
/** What is known of each kind, by kind. */
export const ITEM_KINDS: Readonly<Record<ItemKind, ItemKindInfo>> = Object.assign(
  {},
  pieceInfos,
  {
    thing: { schema: thingSchema, settings: THING_SETTINGS, baked: false, drawn: true, station: 'Set' },
    lamp: { schema: lampSchema, settings: LAMP_SETTINGS, baked: false, drawn: true, station: 'Light' },
  },
  ...ALL.map((effect) =>
    Object.fromEntries(
      Object.entries(effect.itemSchemas).map(([kind, schema]) => [
        kind,
        {
          schema,
          settings: settingsOf(schema),
          effect,
          baked: kind === effect.kind,
          drawn: (effect.drawn as readonly string[]).includes(kind),
          station: effect.station ?? 'Effects',
        },
      ]),
    ),
  ),
)

export const kindInfo = ({ kind }: { kind: ItemKind }): ItemKindInfo => ITEM_KINDS[kind]
/** Whether runs are computed of an item. */
export const isBaked = (item: ShotItem): boolean => {
  const { baked, effect } = kindInfo(item)
  return baked && (effect?.bakes?.(item) ?? true)
}
/** Whether an item is seen in the picture, and so has a layer. */
export const isDrawn = (item: ShotItem): boolean => kindInfo(item).drawn || isSeen(item)
/** The effect whose item it is; undefined for a piece of the set. */
export const effectOf = (item: { kind: ItemKind } | undefined): Effect | undefined =>
  item && ITEM_KINDS[item.kind].effect

/** The outputs of all effects: kinds of result. */
export const OUTPUTS: readonly string[] = [...new Set(ALL.flatMap(({ versions }) => Object.keys(versions)))]
/** Kinds of asset: a plate, and what effects read. */
export const ASSET_KINDS: readonly string[] = ['plate', ...ALL.flatMap(({ assetKinds = [] }) => [...assetKinds])]
