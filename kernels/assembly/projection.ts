import {
  projectionBounce, projectionHeight, projectionPixels, projectionPlace, projectionRotation, projectionScale, projectionSkyColour, projectionSun, projectionSunColour, projectionView, projectionWidth,
} from './layouts.generated'
import { project, seenX, seenY } from './view'

// A frame of the plate on a thing, as if it were painted there: seen from where that frame's camera stood, on the thing as it stood then.
// It holds the light of its place already. Where the thing has moved, its light is multiplied by what falls on it now over what fell on it then.

/** Light of the plate there as it was, and as base colour of a surface that is lit anew; how far it has gone over from the one to the other. */
export let kept: v128 = f32x4.splat(0)
export let relit: v128 = f32x4.splat(0)
export let moved: f32 = 0
/** The least light that a surface is taken to have had: below it the plate's noise would be blown up. */
const LEAST: f32 = 0.12
/** Metres and turn (1 - cosine) by which a thing counts as moved. */
const FAR: f32 = 0.15
const TURNED: f32 = 0.06

let rx: f32 = 0, ry: f32 = 0, rz: f32 = 0
function turn(q: usize, x: f32, y: f32, z: f32): void {
  const a = load<f32>(q), b = load<f32>(q, 4), c = load<f32>(q, 8), w = load<f32>(q, 12)
  const tx: f32 = 2 * (b * z - c * y), ty: f32 = 2 * (c * x - a * z), tz: f32 = 2 * (a * y - b * x)
  rx = x + w * tx + b * tz - c * ty
  ry = y + w * ty + c * tx - a * tz
  rz = z + w * tz + a * ty - b * tx
}

/** Light of the plate at a pixel, held at its edges. */
function plateAt(p: usize, x: f32, y: f32): v128 {
  const width = projectionWidth(p), height = projectionHeight(p), pixels = projectionPixels(p)
  const u = max<f32>(0, min<f32>(<f32>width - 1.001, x - 0.5)), v = max<f32>(0, min<f32>(<f32>height - 1.001, y - 0.5))
  const i = <i32>u, j = <i32>v
  const fx = f32x4.splat(u - <f32>i), fy = f32x4.splat(v - <f32>j)
  const a = pixels + ((<usize>(j * width + i)) << 4), b = a + ((<usize>width) << 4)
  const upper = f32x4.add(v128.load(a), f32x4.mul(fx, f32x4.sub(v128.load(a, 16), v128.load(a))))
  const lower = f32x4.add(v128.load(b), f32x4.mul(fx, f32x4.sub(v128.load(b, 16), v128.load(b))))
  return f32x4.add(upper, f32x4.mul(fy, f32x4.sub(lower, upper)))
}

/** Reads what is projected on a place: of the mesh (x y z, normal), which is at a place of the world now (with its normal there). */
export function takeProjection(p: usize, x: f32, y: f32, z: f32, nx: f32, ny: f32, nz: f32, nowX: f32, nowY: f32, nowZ: f32, facingX: f32, facingY: f32, facingZ: f32): void {
  const q = projectionRotation(p), at = projectionPlace(p), scale = projectionScale(p)
  turn(q, x, y, z)
  const wx: f32 = load<f32>(at) + scale * rx, wy: f32 = load<f32>(at, 4) + scale * ry, wz: f32 = load<f32>(at, 8) + scale * rz
  turn(q, nx, ny, nz)
  const mx = rx, my = ry, mz = rz
  kept = project(projectionView(p), 0.5, wx, wy, wz) ? plateAt(p, seenX, seenY) : f32x4.splat(0.18)
  const sun = projectionSun(p)
  const towards = max<f32>(0, mx * load<f32>(sun) + my * load<f32>(sun, 4) + mz * load<f32>(sun, 8))
  const then = f32x4.add(
    f32x4.mul(f32x4.splat(towards), v128.load(projectionSunColour(p))),
    f32x4.add(f32x4.mul(f32x4.splat(0.5 + 0.5 * my), v128.load(projectionSkyColour(p))), f32x4.mul(f32x4.splat(0.5 - 0.5 * my), v128.load(projectionBounce(p)))),
  )
  relit = f32x4.div(kept, f32x4.max(then, f32x4.splat(LEAST)))
  const dx: f32 = nowX - wx, dy: f32 = nowY - wy, dz = nowZ - wz
  const away: f32 = sqrt(dx * dx + dy * dy + dz * dz) / FAR
  const turned: f32 = (1 - (mx * facingX + my * facingY + mz * facingZ)) / TURNED
  const t: f32 = min<f32>(1, max(away, turned))
  moved = t * t * (3 - 2 * t)
}
