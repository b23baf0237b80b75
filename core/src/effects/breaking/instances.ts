import { LanternError } from '../../base/index.ts'
import type { FormPlane } from '../../data/index.ts'
import { pow, type Quaternion, type Vec3 } from '../../math/index.ts'
import { AT_HOME } from '../../picture/index.ts'
import { isThing, type MarkLook, markLookAt } from '../../set/index.ts'
import { type ItemDocument, itemsInOrder, type SignalInputs, settledAt } from '../../settings/index.ts'
import { againAt, isReuse, type ReuseItem } from '../again.ts'
import type { EffectInstance, WornSurface } from '../effect.ts'
import {
  axesOf,
  type BreakingPiece,
  breakingPiece,
  hollowOf,
  isOnItsWay,
  partsOf,
  pieceAt,
  poseOf,
  roomsOf,
} from './body.ts'
import type { InnerSurface } from './innerPattern.ts'
import { BREAKING_SETTINGS, type BreakingItem, isBreaking } from './schema.ts'
import { firstBlow } from './strikes.ts'

/** How pieces look. */
export interface BreakingLook {
  /** m. */
  roughness: number
  seed: number
  inside: readonly [number, number, number]
  /** Its made pattern; none where it is even. */
  surface?: InnerSurface
  /** Of its outside, where no plate is on it. */
  outer?: readonly [number, number, number]
  /** Or the taken-in mesh whose materials it has. */
  worn?: WornSurface
  /** Share of the plate's hue in it. */
  tint: number
  /** Edge of rough faces' triangles, m. */
  step: number
  /** Marks that may lie on what broke, and which piece of the set that was. */
  marks?: readonly MarkLook[]
  piece?: string
  /** Where it stands: what is still held stays there. None where it is shown again. */
  home?: {
    turn: Quaternion
    place: Vec3
    /** Out of it towards the front, in its own space. */
    front: Vec3
    holdsOut: boolean
    receives: boolean
    /** Rooms behind it, planes in its own space: an outer wall of the hollow has a side beyond it. */
    hollow: readonly (readonly (FormPlane & { beyond: number })[])[]
    /** Whether its back stays where it was. */
    back: boolean
  }
}

/** How far behind its front the walls of a hollow begin, m. */
const RIM = 0.008

const itemAt = (document: ItemDocument, item: BreakingItem, frame: number, inputs: SignalInputs): BreakingItem =>
  settledAt(document, item, undefined, BREAKING_SETTINGS, frame, inputs)

function lookOf(item: BreakingItem, size: number): BreakingLook {
  const { roughness, seed, insideColour, insideIs, tint } = item
  const surface = insideIs === 'even' ? {} : { surface: insideIs }
  return { roughness: roughness / 1000, seed, inside: insideColour, ...surface, tint: tint / 100, step: size }
}

/** What its outside has on it: a mesh that is no part of the set its own materials, a piece with a surface that one's colour. */
function surfaceOfPieces(piece: BreakingPiece): Pick<BreakingLook, 'outer' | 'worn'> {
  if (isThing(piece)) {
    const { mesh, tint, roughness, carries, way } = piece
    if (carries !== 'nothing' || way === 'set') return {}
    return { worn: { blob: mesh.blob, standIn: mesh.standIn, tint, roughness } }
  }
  return piece.carries === 'surface' ? { outer: piece.surfaceColour } : {}
}

/** Marks that lie on what broke, or may. */
function marksOn(
  document: ItemDocument,
  piece: string,
  frame: number,
  inputs: SignalInputs,
): Pick<BreakingLook, 'marks' | 'piece'> {
  const marks = itemsInOrder(document).flatMap(([id, { shown }]) => {
    const look = shown ? markLookAt(document, id, frame, inputs) : undefined
    return look ? [{ ...look, on: [] }] : []
  })
  return marks.length > 0 ? { marks, piece } : {}
}

/** Edge of rough faces' triangles for what is cut into so many, m: a piece's face is a few across. */
function stepOf(document: ItemDocument, item: BreakingItem): number {
  const volume = partsOf(breakingPiece(document, item)).reduce((sum, { corners }) => {
    const span = (a: 0 | 1 | 2): number => Math.max(...corners.map((c) => c[a])) - Math.min(...corners.map((c) => c[a]))
    return sum + span(0) * span(1) * span(2)
  }, 0)
  const each = item.pattern === 'bricks' ? item.brickLength * item.brickHeight * item.brickHeight : volume / item.number
  return Math.min(0.25, Math.max(0.01, 0.28 * pow(each, 1 / 3)))
}

/** The last frame of a plate and the first at which anything is on its way. */
function ownInstance(
  document: ItemDocument,
  id: string,
  item: BreakingItem,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<BreakingLook>[] {
  const begins = firstBlow(document, item, inputs)
  const { first, last } = document.plate
  if (begins === undefined || frame < begins || begins > last) return []
  const piece = pieceAt(document, breakingPiece(document, item), frame, inputs)
  const { turn, place } = poseOf(piece)
  const moves = isOnItsWay(piece)
  const parts = partsOf(piece)
  const { front } = axesOf(parts, turn)
  const hollow = moves || isThing(piece) || item.behind !== 'hollow' ? [] : roomsOf(parts, hollowOf(item), front, -RIM)
  const shown = Math.min(last, Math.max(first, frame))
  return [
    {
      item: id,
      of: id,
      frames: [
        { frame: first, weight: 0, ahead: 0 },
        { frame: shown, weight: 1, ahead: 0 },
      ],
      place: AT_HOME,
      look: {
        ...lookOf(item, stepOf(document, item)),
        ...surfaceOfPieces(piece),
        ...(isThing(piece) ? {} : marksOn(document, item.piece, frame, inputs)),
        // A mesh is no part of the set: all of its pieces are drawn, held or not.
        ...(isThing(piece)
          ? {}
          : {
              home: {
                turn,
                place,
                front,
                holdsOut: piece.roles.holdsOut,
                receives: piece.roles.receives,
                hollow,
                back: !moves && item.behind === 'back',
              },
            }),
      },
    },
  ]
}

/** A kept break shown again: all of its pieces, where the reuse puts them. */
function reuseInstance(
  document: ItemDocument,
  id: string,
  item: ReuseItem,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<BreakingLook>[] {
  const of = document.items[item.of]
  if (!isBreaking(of)) return []
  const { first, last } = document.plate
  const begins = firstBlow(document, of, inputs)
  if (begins === undefined) return []
  const pivot = poseOf(pieceAt(document, breakingPiece(document, of), begins, inputs)).place
  const shown = againAt(document, item, { first, last, pivot }, frame, inputs)
  if (!shown) return []
  return [
    {
      item: id,
      of: item.of,
      frames: [{ frame: first, weight: 0, ahead: 0 }, ...shown.frames],
      place: shown.place,
      look: { ...lookOf(of, stepOf(document, of)), ...surfaceOfPieces(breakingPiece(document, of)) },
    },
  ]
}

/** What an item shows at a frame: nothing before the first strike. Throws LanternError 'breaking-piece'. */
export function breakingInstances(
  document: ItemDocument,
  id: string,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<BreakingLook>[] {
  const item = document.items[id]
  // Without a piece there is nothing to show; resolve says so.
  try {
    if (isBreaking(item)) return ownInstance(document, id, itemAt(document, item, frame, inputs), frame, inputs)
    return isReuse(item) ? reuseInstance(document, id, item, frame, inputs) : []
  } catch (error) {
    if (error instanceof LanternError) return []
    throw error
  }
}
