import { add, conjugate, type Quaternion, rotate, subtract, type Vec3 } from '../math/index.ts'

/**
 * A camera at one frame. Looks along its -Z, Y up. Pixels count from the top left, pixel centres at +0.5.
 * Lens: Brown–Conrady on coordinates normalised by the focal length: distorted = straight x (1 + k1 r^2 + k2 r^4), r of the straight point.
 */
export interface Camera {
  position: Vec3
  /** Camera to world. */
  rotation: Quaternion
  focalPx: number
  /** Principal point, px. */
  centre: readonly [number, number]
  k1: number
  k2: number
  width: number
  height: number
}

/** A camera seen at another picture size: everything in px is scaled by `factor`. */
export function scaleCamera(camera: Camera, factor: number): Camera {
  const [cx, cy] = camera.centre
  return {
    ...camera,
    focalPx: camera.focalPx * factor,
    centre: [cx * factor, cy * factor],
    width: Math.round(camera.width * factor),
    height: Math.round(camera.height * factor),
  }
}

/** Distorts a straight, normalised point. */
export function distort(camera: Pick<Camera, 'k1' | 'k2'>, x: number, y: number): [number, number] {
  const r2 = x * x + y * y
  const s = 1 + r2 * (camera.k1 + r2 * camera.k2)
  return [x * s, y * s]
}

const MOST_NEWTON_STEPS = 12

/** Straightens a distorted, normalised point: Newton's method on the radius, from the distorted radius. */
export function straighten(camera: Pick<Camera, 'k1' | 'k2'>, x: number, y: number): [number, number] {
  const target = Math.sqrt(x * x + y * y)
  if (target === 0 || (camera.k1 === 0 && camera.k2 === 0)) return [x, y]
  let r = target
  for (let step = 0; step < MOST_NEWTON_STEPS; step++) {
    const r2 = r * r
    const value = r * (1 + r2 * (camera.k1 + r2 * camera.k2)) - target
    const slope = 1 + r2 * (3 * camera.k1 + 5 * r2 * camera.k2)
    if (slope <= 0.05) break
    const next = r - value / slope
    if (Math.abs(next - r) < 1e-12) break
    r = next
  }
  return [(x * r) / target, (y * r) / target]
}

/** Where a world point lands, px, and its depth along the view axis in metres; undefined behind the camera. */
export function projectPoint(camera: Camera, world: Vec3): { x: number; y: number; depth: number } | undefined {
  const p = rotate(conjugate(camera.rotation), subtract(world, camera.position))
  const depth = -p[2]
  if (depth <= 1e-6) return undefined
  const [dx, dy] = distort(camera, p[0] / depth, -p[1] / depth)
  return { x: camera.centre[0] + camera.focalPx * dx, y: camera.centre[1] + camera.focalPx * dy, depth }
}

/** The world ray through a pixel position: its start and its direction, scaled so that one unit is one metre of depth. */
export function pixelRay(camera: Camera, x: number, y: number): { from: Vec3; along: Vec3 } {
  const [sx, sy] = straighten(camera, (x - camera.centre[0]) / camera.focalPx, (y - camera.centre[1]) / camera.focalPx)
  return { from: camera.position, along: rotate(camera.rotation, [sx, -sy, -1]) }
}

export const pointAlong = (ray: { from: Vec3; along: Vec3 }, t: number): Vec3 =>
  add(ray.from, [ray.along[0] * t, ray.along[1] * t, ray.along[2] * t])
