import { canonicalJson, LanternError, type Recipe, recipeKey, textKey } from '../../base/index.ts'
import { isThing, meshKeyOf } from '../../set/index.ts'
import type { ItemDocument } from '../../settings/index.ts'
import type { EffectContext, Run } from '../effect.ts'
import { breakBake } from './bake.ts'
import { type BreakingPiece, breakingPiece } from './body.ts'
import { type BreakingItem, isBreaking } from './schema.ts'
import { type BreakSettings, breakSettings } from './settings.ts'

/** Raised whenever the same recipe gives other bits. */
export const BREAKING_VERSIONS = { breaking: 1 } as const
/** Bytes that a piece takes while it is computed. */
const PIECE_BYTES = 60_000
const GIB = 1024 * 1024 * 1024

export function breakingItem(document: ItemDocument, id: string): BreakingItem {
  const item = document.items[id]
  if (isBreaking(item)) return item
  throw new LanternError(
    'no-item',
    `“${id.slice(0, 40)}” is nothing of this shot that breaks.`,
    'Choose one from the roster.',
    { field: 'item' },
  )
}

/** A key per frame that holds all that decides the pieces up to it. What a strike is, is in its frame alone, where it strikes in all: pieces are finer there. */
function chainOf(
  begin: Recipe,
  { poses, blows, movers }: BreakSettings,
  first: number,
  last: number,
): Map<number, string> {
  let key = recipeKey(begin)
  const keys = new Map<number, string>()
  for (let frame = first; frame <= last; frame++) {
    const n = frame - first
    const own = blows
      .filter(({ after }) => Math.max(0, after) === n)
      .map(({ at, direction, radius, energy, spread }) => ({ at, direction, radius, energy, spread }))
    const pose = poses.length > 1 ? poses[n] : undefined
    // What goes its way counts from the first strike on: nothing moves before.
    const begun = blows.some(({ after }) => Math.max(0, after) <= n)
    const going = begun ? movers.map(({ places }) => places[n]) : []
    const told = { blows: own, ...(pose ? { pose } : {}), ...(going.length > 0 ? { going } : {}) }
    const text = own.length > 0 || pose || going.length > 0 ? canonicalJson(told) : ''
    key = textKey(`${key}:${text}`)
    keys.set(frame, key)
  }
  return keys
}

/** What decides the form of what breaks; a mesh is named by its file. */
const bodyKey = (piece: BreakingPiece): object => (isThing(piece) ? {} : { body: meshKeyOf(piece) })

/** The run of something that breaks. Throws LanternError naming what is missing. */
export function resolveBreaking(document: ItemDocument, id: string, { inputs }: EffectContext): readonly Run[] {
  const item = breakingItem(document, id)
  const settings = breakSettings(document, item, inputs)
  if (Object.keys(item.strikes).length === 0)
    throw new LanternError(
      'breaking-strike',
      `Nothing strikes “${item.name}”.`,
      'Add a strike: choose it, then click where it hits.',
      { field: 'strikes' },
    )
  const { first, last } = document.plate
  const { parts: _, poses: __, blows: ___, movers, ...rest } = settings
  const begin: Recipe = {
    kind: 'breaking',
    version: BREAKING_VERSIONS.breaking,
    settings: {
      ...rest,
      ...(movers.length > 0 ? { movers: movers.map(({ solid }) => solid) } : {}),
      ...bodyKey(breakingPiece(document, item)),
      home: settings.poses[0],
      first,
    },
    inputs: [],
  }
  const frameKeys = chainOf(begin, settings, first, last)
  const recipe: Recipe = { ...begin, settings: { ...(begin.settings as object), last: frameKeys.get(last) } }
  const number = item.pattern === 'bricks' ? 2000 : settings.cut.number
  return [
    {
      item: id,
      name: item.name,
      output: 'breaking',
      recipe,
      key: recipeKey(recipe),
      first,
      last,
      preRoll: 0,
      inputs: [],
      needs: () => [],
      frameKeys,
      checkMemory(bytes) {
        if (number * PIECE_BYTES <= bytes) return
        throw new LanternError(
          'memory',
          `“${item.name}” needs ${((number * PIECE_BYTES) / GIB).toFixed(1)} GiB.`,
          'Cut it into fewer pieces.',
          { field: 'number' },
        )
      },
      work: 2 + number / 20,
      bake: breakBake(settings),
    },
  ]
}
