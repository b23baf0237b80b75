import { steadyCorners } from '../cards/index.ts'
import { type Camera, straighten } from '../data/index.ts'
import {
  aboutAxis,
  add,
  atan2,
  conjugate,
  fitPlane,
  multiply,
  type Quaternion,
  rotate,
  scale,
  solveCholesky,
  subtract,
  type Vec3,
} from '../math/index.ts'
import type { TrackRide, WorldPose } from '../settings/index.ts'
import { poseBetween } from './movingObjects.ts'

// What rides on a track set by hand: a track is seen in the picture alone, so what rides on it keeps how far away it was when it was taken, and a flat one tells how it turns.

type Corner = readonly [number, number]

/** Where a track and the cameras are. */
export interface TrackedWorld {
  /** Its places at a frame, px of the plate: one, or the four of a flat one; undefined where it is not followed. */
  corners(frame: number): readonly Corner[] | undefined
  camera(frame: number): Camera | undefined
}

/** Directions of places (px of the camera's picture) that are a metre before it: right and up. */
const onPlane = ({ focalPx, centre, ...lens }: Camera, corners: readonly Corner[]): Corner[] =>
  corners.map(([x, y]) => {
    const [u, v] = straighten(lens, (x - centre[0]) / focalPx, (y - centre[1]) / focalPx)
    return [u, -v]
  })
const middleOf = (corners: readonly Corner[]): Corner => [
  corners.reduce((sum, [x]) => sum + x, 0) / corners.length,
  corners.reduce((sum, [, y]) => sum + y, 0) / corners.length,
]

/** A place and a turn in a camera's own space: x right, y up, z back. */
interface Seen {
  rotation: Quaternion
  position: Vec3
}
const before = ([x, y]: Corner, depth: number): Vec3 => [x * depth, y * depth, -depth]

/** How far a turn of the track is likely to go beyond what its size and roll tell, radians, against how exactly it is followed, shares of the focal length. */
const LIKELY_TURN = 0.8
const EXACT = 3e-4
const ROUNDS = 12
const STEP = 1e-5

const moved = ({ rotation, position }: Seen, by: Float64Array | readonly number[]): Seen => {
  const [a = 0, b = 0, c = 0, x = 0, y = 0, z = 0] = by
  const angle = Math.sqrt(a * a + b * b + c * c)
  const turn = angle > 0 ? aboutAxis([a / angle, b / angle, c / angle], angle) : ([0, 0, 0, 1] as Quaternion)
  return { rotation: multiply(turn, rotation), position: add(position, [x, y, z]) }
}

/** The pose of a flat quad from where its corners are seen, by least squares from a first guess (Gauss-Newton). quad: its corners about their middle, m. It stays near the guess where the corners don't tell. */
function fitQuad(quad: readonly Vec3[], seen: readonly Corner[], guess: Seen): Seen {
  let pose = guess
  const residuals = (at: Seen): number[] => {
    const turned = multiply(at.rotation, conjugate(guess.rotation))
    const sign = turned[3] < 0 ? -1 : 1
    return [
      ...quad.flatMap((corner, n) => {
        const [x, y, z] = add(at.position, rotate(at.rotation, corner))
        const [u, v] = seen[n] ?? [0, 0]
        return [(x / -z - u) / EXACT, (y / -z - v) / EXACT]
      }),
      ...turned.slice(0, 3).map((part) => (2 * sign * part) / LIKELY_TURN),
    ]
  }
  for (let round = 0; round < ROUNDS; round++) {
    const own = residuals(pose)
    const slopes = Array.from({ length: 6 }, (_, k) => {
      const by = [0, 0, 0, 0, 0, 0]
      by[k] = STEP
      const there = residuals(moved(pose, by))
      return there.map((value, n) => (value - (own[n] ?? 0)) / STEP)
    })
    const a = new Float64Array(36)
    const b = new Float64Array(6)
    slopes.forEach((one, i) => {
      slopes.forEach((other, j) => {
        a[6 * i + j] = one.reduce((sum, value, n) => sum + value * (other[n] ?? 0), i === j ? 1e-9 : 0)
      })
      b[i] = -one.reduce((sum, value, n) => sum + value * (own[n] ?? 0), 0)
    })
    if (!solveCholesky(a, b, 6)) return pose
    pose = moved(pose, b)
    if (b.every((step) => Math.abs(step) < 1e-9)) break
  }
  return pose
}

/** Where what was a quad seen by one camera is seen by another, in that one's space; its middle was so far along the view, m. */
function seenPose(
  way: NonNullable<TrackRide['way']>,
  from: readonly Corner[],
  to: readonly Corner[],
  depth: number,
): Seen {
  const still: Quaternion = [0, 0, 0, 1]
  const place = before(middleOf(to), depth)
  const alike = way !== 'place' && from.length >= 2 ? fitPlane('turn', from, to) : undefined
  if (!alike) return { rotation: still, position: place }
  const larger = Math.sqrt(alike[0] * alike[0] + alike[3] * alike[3])
  const guess: Seen = {
    rotation: aboutAxis([0, 0, 1], atan2(alike[3], alike[0])),
    position: scale(place, 1 / Math.max(1e-6, larger)),
  }
  if (way === 'turn' || from.length < 4) return guess
  const middle = before(middleOf(from), depth)
  return fitQuad(
    from.map((corner) => subtract(before(corner, depth), middle)),
    to,
    guess,
  )
}

function poseOn(world: TrackedWorld, ride: TrackRide, frame: number, place: Vec3): WorldPose | undefined {
  const { from: taken, way = 'perspective', takes = 'travel' } = ride
  const here = world.camera(frame)
  const there = takes === 'travel' ? world.camera(taken) : here
  const from = takes === 'travel' ? world.corners(taken) : steadyCorners(world.corners, frame)
  const to = world.corners(frame)
  if (!here || !there || !from || !to || from.length !== to.length || from.length === 0) return undefined
  const depth = -rotate(conjugate(there.rotation), subtract(place, there.position))[2]
  if (depth <= 0) return undefined
  const own = onPlane(there, from)
  const seen = seenPose(way, own, onPlane(here, to), depth)
  const position = add(here.position, rotate(here.rotation, seen.position))
  const rotation =
    way === 'place'
      ? ([0, 0, 0, 1] as Quaternion)
      : multiply(multiply(here.rotation, seen.rotation), conjugate(there.rotation))
  if (takes === 'travel') return { position, rotation }
  // It trembles about where it is.
  const steady = add(there.position, rotate(there.rotation, before(middleOf(own), depth)))
  return { position: add(place, subtract(position, steady)), rotation }
}

/**
 * Where what rides on a track is held at a frame, which may lie between frames. place: where it was when it was taken, m: that says how far away the track is.
 * Of a flat track it is the pose of the four corners, taken for facing the camera at `ride.from` (Hartley & Zisserman 2004, 7: reprojection); undefined where the track is not followed or there is no camera.
 */
export const trackPose = (world: TrackedWorld, ride: TrackRide, frame: number, place: Vec3): WorldPose | undefined =>
  poseBetween((at) => poseOn(world, ride, at, place), frame)
