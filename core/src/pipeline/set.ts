import { canonicalJson, textKey } from '../base/index.ts'
import { AT_REST, type Pose, type ScenePiece } from '../picture/index.ts'
import { isSeen, meshKeyOf, meshOf, type PieceItem, piecesAt, turnOf } from '../set/index.ts'
import { type SignalInputs, settledAt } from '../settings/index.ts'
import { itemAt, SETTINGS, type ShotDocument, sitAt } from '../shot/index.ts'
import { carvedMesh, type SetChanges, setChanges } from './openings.ts'
import type { ShutterFrames } from './things.ts'

const poseOf = (item: PieceItem): Pose => ({ rotation: turnOf(item), place: item.position, scale: 1 })

type Document = Parameters<typeof setChanges>[0]
/** Pieces that have no plate on them, which are drawn, and that no effect draws. */
const standingPieces = (
  document: Document,
  frame: number,
  { replaced }: SetChanges,
  inputs?: SignalInputs,
): [string, PieceItem][] => piecesAt(document, frame, inputs).filter(([id, item]) => !isSeen(item) && !replaced.has(id))
/** What effects change in the set while the shutter is open: as it is in the middle. */
const changesOf = (document: Document, { opening, closing }: ShutterFrames, inputs?: SignalInputs): SetChanges =>
  setChanges(document, Math.round((opening + closing) / 2), inputs)

/** The pieces that the picture's rays meet, as they stand when the shutter opens and closes. */
export function scenePieces(document: Document, frames: ShutterFrames, inputs?: SignalInputs): ScenePiece[] {
  const closing = new Map(piecesAt(document, frames.closing, inputs))
  const changes = changesOf(document, frames, inputs)
  return standingPieces(document, frames.opening, changes, inputs).map(([id, item]) => {
    const { holdsOut, receives } = item.roles
    const carved = carvedMesh(id, item, changes)
    if (carved) return { ...carved, opening: AT_REST, closing: AT_REST, holdsOut, receives }
    return {
      key: meshKey(item),
      mesh: meshOf(item),
      opening: poseOf(item),
      closing: poseOf(closing.get(id) ?? item),
      holdsOut,
      receives,
    }
  })
}

/** The key of a piece's mesh: of its kind and size, not of its vertices. */
const meshKey = (item: PieceItem): string => textKey(canonicalJson(meshKeyOf(item)))

/** A piece as a picture's recipe names it. */
export interface PieceKey {
  mesh: string
  pose: Pose
  closing?: Pose
  holdsOut: boolean
  receives: boolean
}

/** The pieces of a frame as a picture's recipe names them. meshes: keys that are known, by the piece as it stands; those of still pieces are the same on every frame. */
export function pieceKeys(
  document: Document,
  frames: ShutterFrames,
  inputs?: SignalInputs,
  meshes = new Map<PieceItem, string>(),
): PieceKey[] {
  const closing = new Map(piecesAt(document, frames.closing, inputs))
  const changes = changesOf(document, frames, inputs)
  return standingPieces(document, frames.opening, changes, inputs).map(([id, item]) => {
    const { holdsOut, receives } = item.roles
    const carved = carvedMesh(id, item, changes)
    if (carved) return { mesh: carved.key, pose: AT_REST, holdsOut, receives }
    const mesh = meshes.get(item) ?? meshKey(item)
    meshes.set(item, mesh)
    const after = closing.get(id)
    const moves = after && after !== item ? { closing: poseOf(after) } : {}
    return { mesh, pose: poseOf(item), ...moves, holdsOut, receives }
  })
}

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
        rides: ___,
        ...rest
      } = { motion: undefined, follows: undefined, rides: undefined, ...itemAt(document, item, frame, inputs) }
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
