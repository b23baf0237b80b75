import type { Solid } from '../data/index.ts'
import { type Item, type ItemDocument, itemsInOrder, movedAndSettledAt, type SignalInputs } from '../settings/index.ts'
import { isPieceKind, pieceSettings, solidOf } from './kinds.ts'
import type { PieceItem } from './schema.ts'

/** Whether an item is a piece of the set. */
export const isPiece = (item: Item): item is PieceItem => isPieceKind(item.kind)

/** The shown pieces as they stand at a frame (the plate's first where none is given), in the roster's order. */
export const piecesAt = (
  document: ItemDocument,
  frame = document.plate.first,
  inputs: SignalInputs = {},
): [string, PieceItem][] =>
  itemsInOrder(document).flatMap(([id, item]): [string, PieceItem][] =>
    isPiece(item) && item.shown ? [[id, movedAndSettledAt(document, item, pieceSettings(item), frame, inputs)]] : [],
  )

/** The shapes that gas stops at. */
export const solidsOf = (document: ItemDocument, frame?: number, inputs?: SignalInputs): Solid[] =>
  piecesAt(document, frame, inputs).flatMap(([, item]) => (item.roles.stops ? [solidOf(item)] : []))
