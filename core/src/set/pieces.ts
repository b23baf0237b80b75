import type { Solid } from '../data/index.ts'
import {
  type Item,
  type ItemDocument,
  itemsInOrder,
  movedAndSettledAt,
  poseOfPlaced,
  type SignalInputs,
  type WorldPose,
} from '../settings/index.ts'
import { thingBody } from './body.ts'
import { dugsIn } from './crater.ts'
import { isPieceKind, pieceSettings, solidOf, turnOf } from './kinds.ts'
import type { PieceItem, ThingItem } from './schema.ts'
import { thingsAt } from './things.ts'

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

/** A ground with what is dug and heaped in it. */
function withDug(document: ItemDocument, id: string, solid: Solid, frame?: number, inputs?: SignalInputs): Solid {
  if (solid.kind !== 'halfspace') return solid
  const all = dugsIn(document, id, frame ?? document.plate.first, inputs)
  return all.length > 0 ? { ...solid, dug: all.map(({ dug }) => dug) } : solid
}

/** What gas stops at, with the piece or thing that it is: pieces and things of that role, in the roster's order. */
export const stoppingAt = (
  document: ItemDocument,
  frame?: number,
  inputs?: SignalInputs,
): { id: string; solid: Solid }[] => [
  ...piecesAt(document, frame, inputs).flatMap(([id, item]) =>
    item.roles.stops ? [{ id, solid: withDug(document, id, solidOf(item), frame, inputs) }] : [],
  ),
  ...thingsAt(document, frame, inputs).flatMap(([id, item]) => {
    const solid = item.stops ? thingBody(item) : undefined
    return solid ? [{ id, solid }] : []
  }),
]

/** Where a piece or a thing stands and how it is turned: the space that what is painted on it is kept in. */
export const standingPose = (item: PieceItem | ThingItem): WorldPose =>
  isPiece(item) ? { position: item.position, rotation: turnOf(item) } : poseOfPlaced(item)
