import { isMatte } from '../mattes/index.ts'
import { AT_HOME } from '../picture/index.ts'
import type { ItemDocument } from '../settings/index.ts'
import type { EffectInstance } from './effect.ts'

/** The kept frames of a matte, and of those that it takes, which an item needs at a frame: as instances that draw nothing. own: the item's id. */
export function keptMattes(
  document: ItemDocument,
  own: string,
  matte: string,
  frame: number,
  around: readonly string[] = [],
): EffectInstance<null>[] {
  const item = document.items[matte]
  if (!isMatte(item) || around.includes(matte)) return []
  const { helped, takes } = item
  const taken = Object.values(takes).flatMap(({ of, shown }) =>
    shown ? keptMattes(document, own, of, frame, [...around, matte]) : [],
  )
  const wanted =
    helped &&
    helped.carried > 0 &&
    frame >= Math.min(helped.from, helped.to) &&
    frame <= Math.max(helped.from, helped.to)
  const there = { item: own, of: matte, frames: [{ frame, weight: 1, ahead: 0 }], place: AT_HOME, look: null }
  return wanted ? [there, ...taken] : taken
}
