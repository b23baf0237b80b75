import { type Camera, straighten } from '../data/index.ts'
import {
  add,
  conjugate,
  fitPlane,
  type Homography,
  type PatchModel,
  rotate,
  subtract,
  svd3,
  type Vec3,
} from '../math/index.ts'

// Sticking to a flat track: what was seen of a card at one frame goes with the track's four corners to another.

type Corner = readonly [number, number]

/** Corners (px of the plate) on the picture's plane a metre before the camera: x to the right, y down. */
const onPlane = (
  { focalPx, centre, width, ...lens }: Camera,
  corners: readonly Corner[],
  plateWidth: number,
): Corner[] => {
  const k = width / plateWidth
  return corners.map(([x, y]) => straighten(lens, (x * k - centre[0]) / focalPx, (y * k - centre[1]) / focalPx))
}

/** Frames on both sides over which a track's way is smoothed, where its jitter alone counts. */
const STEADY = 12
/** Where a track's corners would be at a frame if it did not tremble: their means over the frames round it; undefined where it is not followed. */
export function steadyCorners(
  corners: (frame: number) => readonly Corner[] | undefined,
  frame: number,
): Corner[] | undefined {
  const around = Array.from({ length: 2 * STEADY + 1 }, (_, n) => corners(frame + n - STEADY)).filter(
    (one) => one !== undefined,
  )
  const mean = (n: number, c: 0 | 1): number => around.reduce((sum, one) => sum + (one[n]?.[c] ?? 0), 0) / around.length
  return around[0]?.map((_, n): Corner => [mean(n, 0), mean(n, 1)])
}

/** How a track moved between two frames. from, to: its four corners, px of the plate. */
export interface Sticking {
  way: PatchModel
  from: readonly Corner[]
  to: readonly Corner[]
  plateWidth: number
}

/**
 * What takes places of the world, seen by a camera, to where they are seen to go with a flat track by another one.
 * Exact for what is flat: a homography of the picture's plane is a linear map of space about the eye (Hartley & Zisserman 2004, 13), so a flat card stays flat, and its picture goes with it pixel for pixel.
 * The map whose middle singular value is 1 is the motion itself (Ma et al. 2004, 5.3): what lies on the tracked plane stays on it, however the camera goes. undefined where the corners decide no motion, or it would be behind the camera.
 */
export function stickingTo(
  there: Camera,
  here: Camera,
  { way, from, to, plateWidth }: Sticking,
  middle: Vec3,
): ((at: Vec3) => Vec3) | undefined {
  const h = fitPlane(way, onPlane(there, from, plateWidth), onPlane(here, to, plateWidth))
  if (!h) return undefined
  const before = (at: Vec3): Vec3 => {
    const [x, y, z] = rotate(conjugate(there.rotation), subtract(at, there.position))
    return [x, -y, -z]
  }
  const [, scale = 0] = svd3(h).s
  if (!(scale > 1e-9) || before(middle)[2] <= 0 || through(h, before(middle))[2] <= 0) return undefined
  return (at) => {
    const [x, y, z] = through(h, before(at))
    return add(here.position, rotate(here.rotation, [x / scale, -y / scale, -z / scale]))
  }
}

const through = (h: Homography, [x, y, z]: Vec3): Vec3 => [
  h[0] * x + h[1] * y + h[2] * z,
  h[3] * x + h[4] * y + h[5] * z,
  h[6] * x + h[7] * y + h[8] * z,
]
