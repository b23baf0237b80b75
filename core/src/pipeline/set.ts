import { boxMesh, planeMesh, type Solid } from '../data/index.ts'
import { add, panTiltRoll, type Quaternion, radians, rotate, type Vec3 } from '../math/index.ts'
import type { ScenePiece } from '../picture/index.ts'
import {
  type BoxItem,
  type GroundItem,
  isPiece,
  itemAt,
  SETTINGS,
  settledAt,
  type ShotDocument,
  type ShotItem,
  type SignalInputs,
} from '../shot/index.ts'

/** What of a document the set needs. */
export type SetDocument = Pick<ShotDocument, 'items' | 'plate' | 'signals'>

/** How a piece is turned. */
export const turnOf = (item: GroundItem | BoxItem): Quaternion =>
  item.kind === 'ground'
    ? panTiltRoll(radians(item.turn), 0, 0)
    : panTiltRoll(radians(item.turn), radians(item.tilt), radians(item.roll))

/** The middle of a box, which stands on its place. */
export const middleOf = (item: BoxItem): Vec3 => add(item.position, rotate(turnOf(item), [0, item.height / 2, 0]))

/** Items in the roster's order. */
export const itemsInOrder = (document: Pick<ShotDocument, 'items'>): [string, ShotItem][] =>
  Object.entries(document.items).sort(([a, x], [b, y]) => x.order - y.order || (a < b ? -1 : 1))

/** The shown pieces as they stand at a frame (the plate's first where none is given). */
export const piecesAt = (
  document: SetDocument,
  frame = document.plate.first,
  inputs: SignalInputs = {},
): [string, GroundItem | BoxItem][] =>
  itemsInOrder(document).flatMap(([id, item]): [string, GroundItem | BoxItem][] =>
    isPiece(item) && item.shown ? [[id, itemAt(document, item, frame, inputs)]] : [],
  )

/** The shape that a piece is. A ground reaches down without end. */
export const solidOf = (item: GroundItem | BoxItem): Solid =>
  item.kind === 'ground'
    ? { kind: 'halfspace', point: item.position, normal: [0, 1, 0] }
    : {
        kind: 'box',
        centre: middleOf(item),
        half: [item.width / 2, item.height / 2, item.depth / 2],
        rotation: turnOf(item),
      }

/** The shapes that gas stops at. */
export const solidsOf = (document: SetDocument, frame?: number, inputs?: SignalInputs): Solid[] =>
  piecesAt(document, frame, inputs).flatMap(([, item]) => (item.roles.stops ? [solidOf(item)] : []))

/** The pieces that the picture's rays meet. */
export function scenePieces(document: SetDocument, frame?: number, inputs?: SignalInputs): ScenePiece[] {
  return piecesAt(document, frame, inputs).map(([, item]) => {
    const { holdsOut, receives } = item.roles
    const mesh =
      item.kind === 'ground'
        ? planeMesh(item.position, item.size / 2, item.size / 2, turnOf(item))
        : boxMesh(middleOf(item), [item.width / 2, item.height / 2, item.depth / 2], turnOf(item))
    return { mesh, holdsOut, receives }
  })
}

/** The document as it is at one frame, without what made it so: nothing moves or follows any more. */
export function settledShot<D extends SetDocument & Pick<ShotDocument, 'light' | 'sit'>>(
  document: D,
  frame: number,
  inputs: SignalInputs,
): D {
  const items = Object.fromEntries(
    Object.entries(document.items).map(([id, item]) => {
      const {
        motion: _,
        follows: __,
        ...rest
      } = { motion: undefined, follows: undefined, ...itemAt(document, item, frame, inputs) }
      return [id, rest]
    }),
  )
  const { follows: _light, ...light } = settledAt(
    document,
    document.light,
    document.light.follows,
    SETTINGS.plateLight,
    frame,
    inputs,
  )
  const { follows: _sit, ...sit } = settledAt(
    document,
    document.sit,
    document.sit.follows,
    [...SETTINGS.sit, ...SETTINGS.layer],
    frame,
    inputs,
  )
  return { ...document, items, light, sit, signals: {} }
}
