import { type ItemDocument, movedAndSettledAt, type SignalInputs } from '../settings/index.ts'
import { ITEM_KINDS, type ShotItem } from './itemKinds.ts'

/** An item as it is at a frame, which may lie between frames: what follows a signal has its value, what moves is where it is. */
export const itemAt = <I extends ShotItem>(
  document: Pick<ItemDocument, 'plate' | 'signals'> & Partial<Pick<ItemDocument, 'items'>>,
  item: I,
  frame: number,
  inputs: SignalInputs = {},
): I => movedAndSettledAt(document, item, ITEM_KINDS[item.kind].settings, frame, inputs)
