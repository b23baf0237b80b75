import { lampAxis, lampAxisX, lampAxisY, lampExtent, lampInner, lampKind, lampOuter, lampPlace, lampRadius, lampSetUp } from './layouts.generated'

// Lamps: parts of fires, and those that were set up: balls, spots and rectangles. A lamp may stand for several that come right after it, where those are far away (a light tree, laid out depth first).

export const SPOT = 1
export const RECTANGLE = 2
const PI: f32 = 3.14159265

/** Direction and distance from a place to the point of a lamp that lampOn chose, and its light there without its cone or cosine. */
export let lampDX: f32 = 0
export let lampDY: f32 = 0
export let lampDZ: f32 = 0
export let lampDistance: f32 = 0
export let lampFalloff: f32 = 0

/** Whether a lamp stands for others and is not so far away as `far` times their spread: then those are taken, which come next. */
// @ts-ignore: decorator
@inline
export function opensUp(lamp: usize, x: f32, y: f32, z: f32, far: f32): bool {
  const reach = far * lampExtent(lamp)
  if (reach <= 0) return false
  const p = lampPlace(lamp)
  const dx = load<f32>(p) - x, dy = load<f32>(p, 4) - y, dz = load<f32>(p, 8) - z
  return dx * dx + dy * dy + dz * dz < reach * reach
}

/** Light of a lamp that a surface square to it would have, by way of a point of it (u, v from 0 to 1; u below 0: its middle); 0 where it does not shine that way. */
export function lampOn(lamp: usize, x: f32, y: f32, z: f32, u: f32, v: f32): f32 {
  const p = lampPlace(lamp)
  let dx = load<f32>(p) - x, dy = load<f32>(p, 4) - y, dz = load<f32>(p, 8) - z
  const kind = lampKind(lamp), radius = lampRadius(lamp)
  const apart = dx * dx + dy * dy + dz * dz
  if (u >= 0) {
    if (kind == RECTANGLE) {
      const a = lampAxisX(lamp), b = lampAxisY(lamp)
      const s: f32 = 2 * u - 1, t: f32 = 2 * v - 1
      dx += s * load<f32>(a) + t * load<f32>(b)
      dy += s * load<f32>(a, 4) + t * load<f32>(b, 4)
      dz += s * load<f32>(a, 8) + t * load<f32>(b, 8)
    } else if (radius > 0 && lampSetUp(lamp)) {
      // The disc that a ball is seen as (its frame: Duff et al. 2017).
      const l: f32 = 1 / (sqrt(apart) + 1e-6), nx = dx * l, ny = dy * l, nz = dz * l
      const sign: f32 = nz >= 0 ? 1 : -1
      const k: f32 = -1 / (sign + nz), m = nx * ny * k
      const r = radius * sqrt(u), angle = <f32>6.2831853 * v
      const a = r * NativeMathf.cos(angle), b = r * NativeMathf.sin(angle)
      dx += a * (1 + sign * nx * nx * k) + b * m
      dy += a * sign * m + b * (sign + ny * ny * k)
      dz -= a * sign * nx + b * ny
    }
  }
  const r2 = dx * dx + dy * dy + dz * dz
  const r = sqrt(r2) + 1e-6
  const k: f32 = 1 / r
  lampDX = dx * k
  lampDY = dy * k
  lampDZ = dz * k
  lampDistance = kind == RECTANGLE ? r : max<f32>(0, r - radius)
  let share: f32 = 1
  if (kind != 0) {
    const axis = lampAxis(lamp)
    const cosine = -(lampDX * load<f32>(axis) + lampDY * load<f32>(axis, 4) + lampDZ * load<f32>(axis, 8))
    if (kind == RECTANGLE) share = max<f32>(0, cosine)
    else {
      const f = max<f32>(0, min<f32>(1, (cosine - lampOuter(lamp)) / max<f32>(1e-4, lampInner(lamp) - lampOuter(lamp))))
      share = f * f * (3 - 2 * f)
    }
  }
  // A part of a fire is no ball with an edge: its light goes softly over into what is within it.
  lampFalloff = 1 / (PI * (kind == RECTANGLE ? r2 + 1e-6 : lampSetUp(lamp) ? max(apart, radius * radius) + 1e-6 : r2 + radius * radius))
  return share * lampFalloff
}
