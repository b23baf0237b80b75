import { LanternError } from '../../base/index.ts'
import {
  type Item,
  type ItemDocument,
  movedAndSettledAt,
  type PlateFrames,
  type SignalInputs,
} from '../../settings/index.ts'
import { type ForceItem, GAS_SETTINGS, type GasItem, isGas, type SourceItem } from './schema.ts'

/** How finely a gas is computed: a draft for the first look, finer while one watches, full as the item's cell says. */
export type GasQuality = 'draft' | 'finer' | 'full'

/** A gas of the document. Throws LanternError 'no-item'. */
export function gasItem(document: ItemDocument, id: string): GasItem {
  const item = document.items[id]
  if (!isGas(item))
    throw new LanternError(
      'no-item',
      `“${id.slice(0, 40)}” is not a gas of this shot.`,
      'Choose one from the roster.',
      { field: 'item' },
    )
  return item
}

/** One of the effect's items as it is at a frame, which may lie between frames. */
export const itemAt = <I extends GasItem | SourceItem | ForceItem>(
  document: Pick<ItemDocument, 'plate' | 'signals'>,
  item: I,
  frame: number,
  inputs: SignalInputs = {},
): I => movedAndSettledAt<I & Item>(document, item, GAS_SETTINGS[item.kind], frame, inputs)

/** The first and last frame of a gas's kept run: the plate's, a part of them, or those that were taken in. */
export function runOf({ plate }: { plate: PlateFrames }, item: GasItem): { first: number; last: number } {
  if (item.taken) return { first: item.taken.at, last: item.taken.at + item.taken.blobs.length - 1 }
  const [from, to] = item.part?.frames ?? [plate.first, plate.last]
  const first = Math.min(plate.last, Math.max(plate.first, from))
  return { first, last: Math.max(first, Math.min(plate.last, to)) }
}
