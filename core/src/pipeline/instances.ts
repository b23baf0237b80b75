import { isReuse } from '../effects/again.ts'
import type { Effect, EffectInstance } from '../effects/index.ts'
import { itemsInOrder, type SignalInputs } from '../settings/index.ts'
import { effectOf, isBaked, type ShotDocument, type ShotItem, stackMattes } from '../shot/index.ts'
import type { PictureQualityName } from './picture.ts'

type Document = Pick<ShotDocument, 'items' | 'plate' | 'signals'>

/** The effect that an item's picture is of: one that shows another's run again is of that one's. */
const showing = ({ items }: Document, item: ShotItem): Effect | undefined =>
  effectOf(isReuse(item) ? items[item.of] : item)

/** All that the effects show at a frame, in the roster's order. */
export const instancesAt = (document: Document, frame: number, inputs: SignalInputs = {}): EffectInstance[] =>
  itemsInOrder(document).flatMap(([id, item]) =>
    item.shown ? [...(showing(document, item)?.instances(document, id, frame, inputs) ?? [])] : [],
  )

/** The frames of each item's run that instances are made from at a quality, by the item's id. */
export function neededFrames(
  instances: readonly EffectInstance[],
  quality: PictureQualityName = 'look',
): Map<string, Set<number>> {
  const needed = new Map<string, Set<number>>()
  for (const { of, frames } of instances)
    for (const { frame, trail = [] } of frames) {
      const all = needed.get(of) ?? new Set()
      needed.set(of, all)
      for (const one of quality === 'final' ? [...trail, frame] : [frame]) all.add(one)
    }
  return needed
}

/** The items whose runs the shot shows, in order: shown ones, hidden ones that are shown again, and mattes that cut layers. */
export function bakedItems(
  document: Pick<ShotDocument, 'items'> & Partial<Pick<ShotDocument, 'sit'>>,
): [string, ShotItem][] {
  const items = itemsInOrder(document)
  const shownAgain = (id: string): boolean =>
    items.some(([, other]) => other.shown && effectOf(other)?.showsAgain?.(other, id))
  const cuts = document.sit ? stackMattes({ items: document.items, sit: document.sit }) : []
  return items.filter(([id, item]) => isBaked(item) && (item.shown || shownAgain(id) || cuts.includes(id)))
}
