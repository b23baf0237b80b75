import { LanternError } from '../../base/index.ts'
import { type Axes, boundsOfBodies, type Hole, planeInWorld, thinAxis } from '../../breaking/index.ts'
import {
  bodiesOfParts,
  boxBody,
  type Convex,
  distanceTo,
  type FormPlane,
  planesOf,
  type Solid,
} from '../../data/index.ts'
import { add, dot, type Quaternion, rotate, type Vec3 } from '../../math/index.ts'
import {
  type BoxItem,
  type FormItem,
  formParts,
  isBox,
  isForm,
  isThing,
  pieceSettings,
  solidOf,
  stoppingAt,
  THING_SETTINGS,
  type ThingItem,
  thingBody,
  thingBounds,
  thingPose,
  trimmedBounds,
  turnOf,
} from '../../set/index.ts'
import { type Item, type ItemDocument, movedAndSettledAt, type SignalInputs } from '../../settings/index.ts'
import type { BreakingItem } from './schema.ts'

// What breaks, as it stands in the set.

/** Where the space of what breaks lies: world = turn (local) + place. */
export interface BodyPose {
  turn: Quaternion
  place: Vec3
}
/** What can break: pieces of the set of some depth, and taken-in meshes. */
export type BreakingPiece = BoxItem | FormItem | ThingItem

/** How far in front of it room is made, m: its own face may lie a little behind another one. */
const IN_FRONT = 0.05
/** Faces within this of straight back or forward count as its back or front: cosine. */
const FACING = 0.5

const missing = (item: Pick<BreakingItem, 'name'>, what: string, remedy: string): LanternError =>
  new LanternError('breaking-piece', `“${item.name}” ${what}.`, remedy, { field: 'piece' })

/** Whether an item has a body that can be cut. */
export const isBreakable = (item: Item | undefined): item is BreakingPiece =>
  isThing(item) || isBox(item) || isForm(item)

/** The piece that breaks. Throws LanternError 'breaking-piece' where none is chosen, or it can't break. */
export function breakingPiece(document: ItemDocument, item: BreakingItem): BreakingPiece {
  const piece: Item | undefined = document.items[item.piece]
  if (!item.piece)
    throw missing(
      item,
      'breaks a piece of the set, and none is chosen',
      'Choose a box, a form or a mesh that is to break.',
    )
  if (!piece) throw missing(item, 'breaks a piece that is gone', 'Choose another one.')
  if (isBreakable(piece)) return piece
  throw missing(item, 'breaks something that can’t be cut', 'Choose a box, a form or a taken-in mesh.')
}

export const pieceAt = (
  document: ItemDocument,
  piece: BreakingPiece,
  frame: number,
  inputs: SignalInputs = {},
): BreakingPiece =>
  movedAndSettledAt(document, piece, isThing(piece) ? THING_SETTINGS : pieceSettings(piece), frame, inputs)

/** Of a mesh its space is the file's in metres: its size lies in its corners, not in where it stands. */
export function poseOf(piece: BreakingPiece): BodyPose {
  if (!isThing(piece)) return { turn: turnOf(piece), place: piece.position }
  const { rotation, place } = thingPose(piece)
  return { turn: rotation, place }
}

/** What is in the way where it stands. */
export const standingBody = (piece: BreakingPiece): Solid =>
  isThing(piece) ? (thingBody(piece) ?? thingBounds(piece)) : solidOf(piece)

/** Its convex parts in its own space, outer faces told apart from those that parts share; of a mesh the box that it fills. */
export function partsOf(piece: BreakingPiece): Convex[] {
  if (isThing(piece)) {
    const { low, high } = trimmedBounds(piece)
    const sized = ([x, y, z]: Vec3): Vec3 => [x * piece.scale, y * piece.scale, z * piece.scale]
    return [boxBody(sized(low), sized(high))]
  }
  if (isBox(piece)) {
    const { width, height, depth } = piece
    return [boxBody([-width / 2, 0, -depth / 2], [width / 2, height, depth / 2])]
  }
  return bodiesOfParts(formParts(piece))
}

/** Which axes of its space are which: along and up as it stands, and deep. front: out of the wall towards the camera's side, unit. */
export function axesOf(parts: readonly Convex[], turn: Quaternion): { axes: Axes; front: Vec3 } {
  const { low, high } = boundsOfBodies(parts)
  const inWorld = (a: 0 | 1 | 2): Vec3 => rotate(turn, [a === 0 ? 1 : 0, a === 1 ? 1 : 0, a === 2 ? 1 : 0])
  const rise = ([0, 1, 2] as const).map((a) => Math.abs(inWorld(a)[1]))
  const up = rise.indexOf(Math.max(...rise)) as 0 | 1 | 2
  const size = (a: 0 | 1 | 2): number => high[a] - low[a]
  const others = ([0, 1, 2] as const).filter((a) => a !== up)
  const [one, other] = others as [0 | 1 | 2, 0 | 1 | 2]
  const [along, deep] = size(one) >= size(other) ? [one, other] : [other, one]
  const { thin } = thinAxis(low, high)
  const out = inWorld(thin)
  // A set's camera looks along -z as a rule.
  const sign = out[2] + 0.3 * out[1] + 0.1 * out[0] >= 0 ? 1 : -1
  const front: Vec3 = [thin === 0 ? sign : 0, thin === 1 ? sign : 0, thin === 2 ? sign : 0]
  return { axes: [along, up, deep], front }
}

/** Rooms that are taken out of what it stands in, planes in its own space: its own, and the hollow behind it. behind, before: by how much they go on there, m. */
export function roomsOf(
  parts: readonly Convex[],
  behind: number,
  front: Vec3,
  before = IN_FRONT,
): (FormPlane & { beyond: number })[][] {
  return parts.map((part) =>
    planesOf(part).map(({ normal, offset, beyond }) => {
      const facing = dot(normal, front)
      const more = facing > FACING ? before : facing < -FACING ? behind : 0
      return { normal, offset: offset + more, beyond }
    }),
  )
}

export const hollowOf = ({ behind, hollow }: Pick<BreakingItem, 'behind' | 'hollow'>): number =>
  behind === 'hollow' ? hollow : 0

/** Whether a piece is on its way through the shot. */
export const isOnItsWay = (piece: BreakingPiece): boolean =>
  'motion' in piece && Boolean(piece.motion || piece.rides?.length)

/** Holes of pieces that stand still are the same on every frame. */
const holes = new WeakMap<BreakingPiece, { behind: number; hole: Hole }>()
/** The hole that it leaves in what it stands in, in the world; none of a mesh, which stands by itself, or of what is on its way. */
export function holeOf(item: BreakingItem, piece: BreakingPiece): Hole {
  if (isThing(piece) || isOnItsWay(piece)) return []
  const known = holes.get(piece)
  const behind = hollowOf(item)
  if (known?.behind === behind) return known.hole
  const { turn, place } = poseOf(piece)
  const parts = partsOf(piece)
  const hole = roomsOf(parts, behind, axesOf(parts, turn).front).map((room) =>
    room.map((plane) => planeInWorld(plane, turn, place)),
  )
  holes.set(piece, { behind, hole })
  return hole
}

/** What around it is on its way through the shot: as it is at a frame, and where from the plate's first frame to its last. */
export function moversAround(
  document: ItemDocument,
  own: string,
  begin: number,
  inputs: SignalInputs = {},
): { id: string; solid: MovingSolid; places: { place: Vec3; rotation: Quaternion }[] }[] {
  const goes = Object.values(document.items).some(
    (item) => ('motion' in item && item.motion) || ('rides' in item && item.rides?.length) || item.follows,
  )
  if (!goes) return []
  const { first, last } = document.plate
  const frames = Array.from({ length: last - first + 1 }, (_, n) => new Map(standing(document, own, first + n, inputs)))
  return standing(document, own, begin, inputs).flatMap(([id, solid]) => {
    if (solid.kind === 'halfspace') return []
    const places = frames.map((one) => {
      const now = one.get(id)
      const at = now && now.kind !== 'halfspace' ? now : solid
      return { place: at.centre, rotation: at.kind === 'ball' ? NO_TURN : at.rotation }
    })
    const [home] = places
    const still = places.every(
      ({ place, rotation }) =>
        home && place.every((v, a) => v === home.place[a]) && rotation.every((v, a) => v === home.rotation[a]),
    )
    // Its shape alone: where it is lies in its places.
    const shape: MovingSolid =
      solid.kind === 'ball' ? { ...solid, centre: [0, 0, 0] } : { ...solid, centre: [0, 0, 0], rotation: NO_TURN }
    return still ? [] : [{ id, solid: shape, places }]
  })
}
type MovingSolid = Exclude<Solid, { kind: 'halfspace' }>
const NO_TURN: Quaternion = [0, 0, 0, 1]

/** What stands around it at a frame, without itself, by item. */
const standing = (
  document: ItemDocument,
  own: string,
  frame: number,
  inputs: SignalInputs,
): (readonly [string, Solid])[] =>
  stoppingAt(document, frame, inputs).flatMap(({ id, solid }) => (id === own ? [] : [[id, solid] as const]))

/** What stands around it at a frame, without itself and without some others. */
export const aroundAt = (
  document: ItemDocument,
  own: string,
  frame: number,
  inputs: SignalInputs = {},
  without: ReadonlySet<string> = new Set(),
): Solid[] => standing(document, own, frame, inputs).flatMap(([id, solid]) => (without.has(id) ? [] : [solid]))

/** By which sides something holds: all, all but front and back, or the foot alone. */
export type HeldBy = BreakingItem['held']

/** How far beyond a face something must be that holds it, m. */
const TOUCH = 0.006
/** Places of a face that are asked: its middle, and half way to each corner. */
function* placesOf(ring: readonly Vec3[]): Generator<Vec3> {
  const middle: Vec3 = [0, 1, 2].map(
    (a) => ring.reduce((sum, at) => sum + (at[a] as number), 0) / ring.length,
  ) as unknown as Vec3
  yield middle
  for (const at of ring) yield [(at[0] + middle[0]) / 2, (at[1] + middle[1]) / 2, (at[2] + middle[2]) / 2]
}

/** The pieces that are held by what stands around: an outer face of theirs lies on it. */
export function heldPieces(
  pieces: readonly { bodies: readonly Convex[] }[],
  { turn, place }: BodyPose,
  around: readonly Solid[],
  by: HeldBy,
): number[] {
  const { front } = axesOf(
    pieces.flatMap(({ bodies }) => [...bodies]),
    turn,
  )
  const holds = ([x, y, z]: Vec3, [nx, ny, nz]: Vec3): boolean => {
    const out = add(place, rotate(turn, [x + TOUCH * nx, y + TOUCH * ny, z + TOUCH * nz]))
    return around.some((solid) => distanceTo(solid, out) <= 0)
  }
  return pieces.flatMap(({ bodies }, n) => {
    const held = bodies.some(({ corners, faces }) =>
      faces.some((face) => {
        if (face.beyond >= 0 || face.beyond === -7) return false
        const [plane] = planesOf({ corners, faces: [face] })
        if (!plane) return false
        const { normal } = plane
        if (by === 'sides and foot' && Math.abs(dot(normal, front)) > FACING) return false
        if (by === 'foot' && rotate(turn, normal)[1] > -FACING) return false
        for (const at of placesOf(face.ring.map((k) => corners[k] as Vec3))) if (holds(at, normal)) return true
        return false
      }),
    )
    return held ? [n] : []
  })
}
