import { canonicalJson, textKey } from '../base/index.ts'
import { AT_REST, type ScenePiece } from '../picture/index.ts'
import { meshOf, type PieceItem, piecesAt, sizeOf, turnOf } from '../set/index.ts'
import { type ItemDocument, type SignalInputs, settledAt } from '../settings/index.ts'
import { itemAt, SETTINGS, type ShotDocument, sitAt } from '../shot/index.ts'

/** The pieces that the picture's rays meet, as they stand at a frame. */
export const scenePieces = (document: ItemDocument, frame?: number, inputs?: SignalInputs): ScenePiece[] =>
  piecesAt(document, frame, inputs).map(([, item]) => ({
    key: meshKey(item),
    mesh: meshOf(item),
    opening: AT_REST,
    closing: AT_REST,
    holdsOut: item.roles.holdsOut,
    receives: item.roles.receives,
  }))

/** The key of a piece's mesh as it stands: of its kind, place, turn and size, not of its vertices. */
const meshKey = (item: PieceItem): string =>
  textKey(canonicalJson({ kind: item.kind, position: item.position, turn: turnOf(item), size: sizeOf(item) }))

/** A piece as a picture's recipe names it. */
export interface PieceKey {
  mesh: string
  holdsOut: boolean
  receives: boolean
}

/** The pieces of a frame as a picture's recipe names them. meshes: keys that are known, by the piece as it stands; those of still pieces are the same on every frame. */
export const pieceKeys = (
  document: ItemDocument,
  frame?: number,
  inputs?: SignalInputs,
  meshes = new Map<PieceItem, string>(),
): PieceKey[] =>
  piecesAt(document, frame, inputs).map(([, item]) => {
    const mesh = meshes.get(item) ?? meshKey(item)
    meshes.set(item, mesh)
    return { mesh, holdsOut: item.roles.holdsOut, receives: item.roles.receives }
  })

/** The document as it is at one frame, without what made it so: nothing moves or follows any more. */
export function settledShot<D extends Pick<ShotDocument, 'items' | 'plate' | 'signals' | 'light' | 'sit'>>(
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
  const { follows: _sit, ...sit } = sitAt(document, frame, inputs)
  return { ...document, items, light, sit, signals: {} }
}
