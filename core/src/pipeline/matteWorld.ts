import { type Camera, pixelRay, pointAlong, projectPoint } from '../data/index.ts'
import {
  add,
  conjugate,
  fitPlane,
  type Homography,
  rotate,
  SAME,
  solveCholesky,
  subtract,
  type Vec3,
} from '../math/index.ts'
import { isMatte, type MatteItem, type MatteShape, movedPoints, type Place, pointsAt } from '../mattes/index.ts'
import { poseOfPlaced, type SignalInputs, type WorldPose } from '../settings/index.ts'
import { itemAt, type ShotDocument } from '../shot/index.ts'
import type { ShutterFrames } from './things.ts'

// What mattes of a frame have from beside the document: where what they go and stand with is.

type Document = Pick<ShotDocument, 'items' | 'plate' | 'signals'> & Partial<Pick<ShotDocument, 'match'>>
type Cameras = (frame: number) => Camera | undefined

/** How a shape moved since it was drawn, at a frame and at those before and after it. */
export interface ShapeMoves {
  at: Homography
  before: Homography
  after: Homography
}
/** Of the mattes of a frame, by matte. */
export interface MatteWorld {
  /** Feet of carried mattes, px of the plate. */
  feet: Readonly<Record<string, Place>>
  /** By matte and shape. */
  moves: Readonly<Record<string, Readonly<Record<string, ShapeMoves>>>>
  /** Places of what mattes stand with, m. */
  places: Readonly<Record<string, Vec3>>
}
export const NO_WORLD: MatteWorld = { feet: {}, moves: {}, places: {} }

/** Sum of squared sines between the rays of a track and their middle, below which they decide no place. */
const LEAST_SPREAD = 1e-5

/** The place nearest to the rays of all frames on which a track by hand is seen (its corners' middle), m; undefined where they don't decide it: a camera that stands still. */
export function trackPlace(
  track: string,
  { plate }: Pick<ShotDocument, 'plate'>,
  cameras: Cameras,
  inputs: SignalInputs,
): Vec3 | undefined {
  const a = new Float64Array(9)
  const b = new Float64Array(3)
  for (let frame = plate.first; frame <= plate.last; frame++) {
    const places = inputs.track?.(track, frame)
    const camera = cameras(frame)
    if (!camera || !places || places.length === 0) continue
    const middle = (c: 0 | 1): number => places.reduce((sum, place) => sum + place[c], 0) / places.length
    const { from, along } = pixelRay(camera, middle(0), middle(1))
    const square = along[0] ** 2 + along[1] ** 2 + along[2] ** 2
    for (let i = 0; i < 3; i++)
      for (let j = 0; j < 3; j++) {
        const part = (i === j ? 1 : 0) - ((along[i] as number) * (along[j] as number)) / square
        a[3 * i + j] = (a[3 * i + j] as number) + part
        b[i] = (b[i] as number) + part * (from[j] as number)
      }
  }
  const first = cameras(plate.first)
  // Rays that are all one decide no distance.
  if (!solveCholesky(a, b, 3) || !first || (a[8] as number) ** 2 < LEAST_SPREAD) return undefined
  const at: Vec3 = [b[0] as number, b[1] as number, b[2] as number]
  const seen = projectPoint(first, at)
  return at.every(Number.isFinite) && seen ? at : undefined
}

/** Where a thing is in the world at a frame: an item's, or a matched object's against where its geometry stands in the set. */
function poseOn(document: Document, on: string, frame: number, inputs: SignalInputs): WorldPose | undefined {
  if (on.startsWith('match.')) return inputs.object?.(on.slice(6), frame)
  const item = document.items[on]
  const now = item && itemAt(document, item, frame, inputs)
  return now && 'position' in now ? poseOfPlaced(now as never) : undefined
}

/** The middle of what a thing is, in its own pose's space: its place, or where a matched object's geometry stands in the set. */
function middleOn(document: Document, on: string, inputs: SignalInputs): Vec3 | undefined {
  if (!on.startsWith('match.')) return [0, 0, 0]
  const geometry = document.match?.things[on.slice(6)]?.geometry
  const item = geometry && document.items[geometry.item]
  const there = item && itemAt(document, { ...item, rides: [] } as typeof item, geometry.frame, inputs)
  return there && 'position' in there ? (there.position as Vec3) : undefined
}

const inWorld = ({ position, rotation }: WorldPose, at: Vec3): Vec3 => add(position, rotate(rotation, at))
const inOwn = ({ position, rotation }: WorldPose, at: Vec3): Vec3 => rotate(conjugate(rotation), subtract(at, position))

/** What takes the picture of a frame to another one's, for what moves with a thing: by an upright square round it that faces the camera. */
function moveWithBody(
  document: Document,
  on: string,
  from: number,
  to: number,
  cameras: Cameras,
  inputs: SignalInputs,
): Homography | undefined {
  const [begun, now] = [poseOn(document, on, from, inputs), poseOn(document, on, to, inputs)]
  const [there, here] = [cameras(from), cameras(to)]
  const middle = middleOn(document, on, inputs)
  const centre = begun && middle && there && projectPoint(there, inWorld(begun, middle))
  if (!begun || !now || !there || !here || !centre) return undefined
  const half = there.width / 8
  const corners = [-1, 1, 1, -1].map((x, n): Place => [centre.x + x * half, centre.y + (n < 2 ? -half : half)])
  const seen = corners.map((corner): Place | undefined => {
    const ray = pixelRay(there, ...corner)
    const z = -rotate(conjugate(there.rotation), ray.along)[2]
    const p = projectPoint(here, inWorld(now, inOwn(begun, pointAlong(ray, centre.depth / z))))
    return p && [p.x, p.y]
  })
  return seen.every((one) => one !== undefined) ? fitPlane('perspective', corners, seen as Place[]) : undefined
}

/** Shapes that go with one another, at most: each asks its parent for two frames. */
const MOST_PARENTS = 8

/** What takes a shape from the frame on which it was drawn to another; undefined where what it goes with is not known there. */
export function shapeMove(
  document: Document,
  item: MatteItem,
  shape: MatteShape,
  frame: number,
  cameras: Cameras,
  inputs: SignalInputs,
  riders: readonly MatteShape[] = [],
): Homography | undefined {
  const { rides } = shape
  // One that goes with itself, through whatever others, goes with nothing.
  if (!rides || riders.length > MOST_PARENTS || riders.includes(shape)) return undefined
  const { on, frame: drawn } = rides
  if (on.startsWith('track.')) {
    const [from, to] = [inputs.track?.(on.slice(6), drawn), inputs.track?.(on.slice(6), frame)]
    if (!from || !to || from.length === 0 || from.length !== to.length) return undefined
    return fitPlane(from.length >= 4 ? 'perspective' : 'place', from, to)
  }
  if (!on.startsWith('shape.')) return moveWithBody(document, on, drawn, frame, cameras, inputs)
  const parent = item.shapes[on.slice(6)]
  if (!parent) return undefined
  const there = (at: number): Place[] => {
    const own = shapeMove(document, item, parent, at, cameras, inputs, [...riders, shape])
    const points = pointsAt(parent, at)
    return (own ? movedPoints(points, own) : points).map((point) => [...point.at] as Place)
  }
  const [from, to] = [there(drawn), there(frame)]
  return fitPlane(from.length >= 3 ? 'lean' : 'turn', from, to)
}

/** What the mattes of a frame have from beside the document. */
export function matteWorld(document: Document, frame: number, cameras: Cameras, inputs: SignalInputs = {}): MatteWorld {
  const { first, last } = document.plate
  const held = (at: number): number => Math.min(last, Math.max(first, at))
  const world = {
    feet: {} as Record<string, Place>,
    moves: {} as Record<string, Record<string, ShapeMoves>>,
    places: {} as Record<string, Vec3>,
  }
  for (const [id, item] of Object.entries(document.items)) {
    if (!isMatte(item)) continue
    const [x, y] = [inputs.figure?.(id, 'footX', frame), inputs.figure?.(id, 'footY', frame)]
    if (item.helped && x !== undefined && y !== undefined)
      world.feet[id] = [x * document.plate.width, y * document.plate.height]
    const place = item.stands === 'item' ? placeWith(document, item.standsWith, frame, cameras, inputs) : undefined
    if (place) world.places[id] = place
    for (const [shapeId, shape] of Object.entries(item.shapes)) {
      if (!shape.rides) continue
      const move = (at: number): Homography | undefined => shapeMove(document, item, shape, at, cameras, inputs)
      const at = move(frame) ?? SAME
      const own = (world.moves[id] ??= {})
      own[shapeId] = { at, before: move(held(frame - 1)) ?? at, after: move(held(frame + 1)) ?? at }
    }
  }
  return world
}

/** Where what a matte stands with is, m. */
function placeWith(
  document: Document,
  on: string,
  frame: number,
  cameras: Cameras,
  inputs: SignalInputs,
): Vec3 | undefined {
  if (on.startsWith('track.')) return trackPlace(on.slice(6), document, cameras, inputs)
  const pose = poseOn(document, on, frame, inputs)
  const middle = pose && middleOn(document, on, inputs)
  return pose && middle && inWorld(pose, middle)
}

/** A matte whose riding shapes are where they are at a frame, over the open shutter. */
export function riddenMatte(
  item: MatteItem,
  moves: Readonly<Record<string, ShapeMoves>> | undefined,
  frame: number,
  { opening, closing }: ShutterFrames,
): MatteItem {
  if (!moves) return item
  const shapes = Object.entries(item.shapes).map(([id, shape]): [string, MatteShape] => {
    const own = moves[id]
    if (!own) return [id, shape]
    const key = (at: number): MatteShape['keys'][number] => {
      const points = pointsAt(shape, at)
      const [now, other] = [
        movedPoints(points, own.at),
        movedPoints(points, at < frame ? own.before : at > frame ? own.after : own.at),
      ]
      const w = Math.abs(at - frame)
      const mixed = (a: Place, b: Place): [number, number] => [a[0] + w * (b[0] - a[0]), a[1] + w * (b[1] - a[1])]
      return {
        frame: at,
        points: now.map((point, n) => {
          const b = other[n] ?? point
          return {
            at: mixed(point.at, b.at),
            before: mixed(point.before, b.before),
            after: mixed(point.after, b.after),
            soft: point.soft + w * (b.soft - point.soft),
          }
        }),
      }
    }
    const frames = opening < closing ? [opening, frame, closing] : [frame]
    const { rides: _, ...rest } = shape
    return [id, { ...rest, curve: 'straight', keys: frames.map(key) }]
  })
  return { ...item, shapes: Object.fromEntries(shapes) }
}
