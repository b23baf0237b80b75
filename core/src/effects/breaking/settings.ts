import {
  type Axes,
  type CutPattern,
  type CutSettings,
  carvedSolid,
  cutBody,
  type Hole,
  type Piece,
  roomsBehind,
} from '../../breaking/index.ts'
import type { Convex, FormPlane, MeshAsset, Solid, SurfaceMesh } from '../../data/index.ts'
import { conjugate, rotate, subtract, type Vec3 } from '../../math/index.ts'
import type { Mover } from '../../rigid/index.ts'
import { isThing, surfaceOf, type ThingItem, type TrimPlane, trimmedMesh, trimPlanes } from '../../set/index.ts'
import { frameRate, type ItemDocument, type SignalInputs } from '../../settings/index.ts'
import {
  aroundAt,
  axesOf,
  type BodyPose,
  breakingPiece,
  type HeldBy,
  holeOf,
  moversAround,
  partsOf,
  pieceAt,
  poseOf,
} from './body.ts'
import type { BreakingItem } from './schema.ts'
import { type Blow, blowsOf } from './strikes.ts'

/** All that decides how something breaks, in SI. Frames are counted from the run's first. */
export interface BreakSettings {
  parts: readonly Convex[]
  /** Of a taken-in mesh: its file, how large it is, and along what it is trimmed. */
  mesh?: BreakMesh
  cut: CutSettings
  /** Where it stands: at one frame or at each. */
  poses: readonly BodyPose[]
  /** What stands around it as it is struck, with the hole that it leaves; and without, for what holds it. */
  solids: readonly Solid[]
  around: readonly Solid[]
  /** What goes its way among them. */
  movers: readonly Mover[]
  blows: readonly (Blow & { after: number })[]
  density: number
  friction: number
  restitution: number
  /** Pa; 0: joints hold whatever hangs on them. */
  strength: number
  held: HeldBy
  gravity: number
  rate: number
  substeps: number
  /** Times the dust that is usual. */
  dust: number
}

/** Where the triangles of what breaks come from. */
export interface BreakMesh {
  blob: string
  scale: number
  planes: readonly TrimPlane[]
}
/** draft: of its lighter stand-in. */
const breakMesh = (thing: ThingItem, draft: boolean): BreakMesh => ({
  blob: draft ? thing.mesh.standIn : thing.mesh.blob,
  scale: thing.scale,
  planes: trimPlanes(thing),
})
/** The triangles of what breaks, in its own space, m. */
export function meshOfBreak(asset: MeshAsset, { scale, planes }: BreakMesh): SurfaceMesh {
  const mesh = trimmedMesh(surfaceOf(asset), planes)
  return { ...mesh, positions: mesh.positions.map((value) => value * scale) }
}

const SUBSTEPS = 4
/** Pieces of a draft at most. */
export const DRAFT_PIECES = 120
const GRAIN = { across: 0, upward: 1, deep: 2 } as const

function patternOf(item: BreakingItem, axes: Axes, first: Vec3): CutPattern {
  switch (item.pattern) {
    case 'bricks':
      return {
        way: 'bricks',
        axes,
        bond: { length: item.brickLength, height: item.brickHeight, shift: item.bond / 100 },
      }
    case 'splinters':
      return { way: 'splinters', axis: axes[GRAIN[item.grain]] as 0 | 1 | 2, times: item.stretch }
    case 'radial':
      return { way: 'radial', centre: first }
    default:
      return { way: item.pattern }
  }
}

/** A plane with a normal of length 1. */
function unitPlane(normal: Vec3, offset: number): FormPlane {
  const length = Math.sqrt(normal[0] ** 2 + normal[1] ** 2 + normal[2] ** 2) || 1
  return { normal: [normal[0] / length, normal[1] / length, normal[2] / length], offset: offset / length }
}

/** A place of the world in the space of what breaks. */
export const inBody = ({ turn, place }: BodyPose, at: Vec3): Vec3 => rotate(conjugate(turn), subtract(at, place))

/** An item's settings in SI. Throws LanternError 'breaking-piece'. draft: with fewer pieces. */
export function breakSettings(
  document: ItemDocument,
  own: BreakingItem,
  inputs: SignalInputs = {},
  draft = false,
): BreakSettings {
  const item = draft ? { ...own, number: Math.min(own.number, DRAFT_PIECES) } : own
  const piece = breakingPiece(document, item)
  const { first, last } = document.plate
  const blows = blowsOf(document, item, inputs)
  const begin = Math.min(last, Math.max(first, blows[0]?.frame ?? first))
  const at = (frame: number): ReturnType<typeof pieceAt> => pieceAt(document, piece, frame, inputs)
  const poses = Array.from({ length: last - first + 1 }, (_, n) => poseOf(at(first + n)))
  const [home] = poses
  const still = poses.every((pose) => home && JSON.stringify(pose) === JSON.stringify(home))
  const parts = partsOf(piece)
  const fine = blows.map((blow) => ({
    at: inBody(poseOf(at(blow.frame)), blow.at),
    radius: blow.radius * (1.5 - item.finer / 100),
  }))
  const movers = moversAround(document, item.piece, begin, inputs)
  const around = aroundAt(document, item.piece, begin, inputs, new Set(movers.map(({ id }) => id)))
  const hole: Hole = holeOf(item, at(begin))
  return {
    parts,
    ...(isThing(piece) ? { mesh: breakMesh(piece, draft) } : {}),
    cut: {
      pattern: patternOf(item, axesOf(parts, poseOf(at(begin)).turn).axes, fine[0]?.at ?? [0, 0, 0]),
      number: Math.round(item.number),
      seed: Math.round(item.seed),
      fine: item.finer > 0 && item.pattern !== 'radial' ? fine : [],
      planes: item.cuts.map(({ normal, offset }) => unitPlane(normal, offset)),
      ...(item.outlines.length > 0
        ? { regions: item.outlines.map(({ eye, corners, whole }) => ({ rooms: roomsBehind(eye, corners), whole })) }
        : {}),
    },
    poses: still && home ? [home] : poses,
    solids: around.map((solid) => carvedSolid(solid, [hole])),
    around,
    movers: movers.map(({ solid, places }) => ({ solid, places })),
    blows: blows.map((blow) => ({ ...blow, after: blow.frame - first })),
    density: item.density,
    friction: item.friction,
    restitution: item.bounce / 100,
    strength: item.strength * 1000,
    held: item.held,
    gravity: item.gravity,
    rate: frameRate(document.plate),
    substeps: SUBSTEPS,
    dust: item.dust / 100,
  }
}

/** The pieces that it is cut into. Throws LanternError 'cut-empty', 'cut-many'. */
export const cutPieces = ({ parts, cut }: Pick<BreakSettings, 'parts' | 'cut'>): Piece[] => cutBody(parts, cut)
