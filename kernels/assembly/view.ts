import {
  viewBlades, viewCentreX, viewCentreY, viewDisc, viewFocal, viewFocus, viewK1, viewK2, viewLens, viewPosition, viewPositionChange, viewRotation, viewRotationChange, viewSqueeze,
} from './layouts.generated'

// Rays through a camera that moves while its shutter is open, with a lens that distorts (Brown–Conrady) and defocuses (thin lens).

export let rayX: f32 = 0
export let rayY: f32 = 0
export let rayZ: f32 = 0
export let rayDX: f32 = 0
export let rayDY: f32 = 0
export let rayDZ: f32 = -1
/** Metres along the ray for one metre of depth. */
export let rayLength: f32 = 1

const NEWTON_STEPS = 8
const TAU: f32 = 6.2831853

let straightX: f32 = 0, straightY: f32 = 0
/** Straightens a place in the picture: left normalised in straightX, Y. */
function straighten(view: usize, x: f32, y: f32): void {
  const focal = viewFocal(view)
  let px = (x - viewCentreX(view)) / focal, py = (y - viewCentreY(view)) / focal
  const k1 = viewK1(view), k2 = viewK2(view)
  if (k1 != 0 || k2 != 0) {
    const target = sqrt(px * px + py * py)
    if (target > 0) {
      let r = target
      for (let n = 0; n < NEWTON_STEPS; n++) {
        const r2 = r * r
        const slope: f32 = 1 + r2 * (3 * k1 + 5 * r2 * k2)
        if (slope <= 0.05) break
        r -= (r * (1 + r2 * (k1 + r2 * k2)) - target) / slope
      }
      px *= r / target
      py *= r / target
    }
  }
  straightX = px
  straightY = py
}

let m00: f32 = 1, m01: f32 = 0, m02: f32 = 0, m10: f32 = 0, m11: f32 = 1, m12: f32 = 0, m20: f32 = 0, m21: f32 = 0, m22: f32 = 1
let eyeX: f32 = 0, eyeY: f32 = 0, eyeZ: f32 = 0
/** The camera at a share of the shutter. */
function stand(view: usize, time: f32): void {
  const w = f32x4.splat(time)
  const p = f32x4.add(v128.load(viewPosition(view)), f32x4.mul(w, v128.load(viewPositionChange(view))))
  const q = f32x4.add(v128.load(viewRotation(view)), f32x4.mul(w, v128.load(viewRotationChange(view))))
  eyeX = f32x4.extract_lane(p, 0)
  eyeY = f32x4.extract_lane(p, 1)
  eyeZ = f32x4.extract_lane(p, 2)
  const x = f32x4.extract_lane(q, 0), y = f32x4.extract_lane(q, 1), z = f32x4.extract_lane(q, 2), s = f32x4.extract_lane(q, 3)
  const k: f32 = 2 / (x * x + y * y + z * z + s * s)
  m00 = <f32>1 - k * (y * y + z * z)
  m01 = k * (x * y - s * z)
  m02 = k * (x * z + s * y)
  m10 = k * (x * y + s * z)
  m11 = <f32>1 - k * (x * x + z * z)
  m12 = k * (y * z - s * x)
  m20 = k * (x * z - s * y)
  m21 = k * (y * z + s * x)
  m22 = <f32>1 - k * (x * x + y * y)
}

/** Places of a picture's table along one side (core/src/picture/discs.ts). */
const DISC: f32 = 64

/** A place on the lens, -1 to 1: by a picture's table, even over a disc, or over a polygon of n blades. */
let lensX: f32 = 0, lensY: f32 = 0
function onLens(disc: usize, blades: i32, u: f32, v: f32): void {
  if (disc != 0) {
    const row = <usize>min<f32>(DISC - 1, floor(u * DISC)), column = <usize>min<f32>(DISC - 1, floor(v * DISC))
    const at = disc + (row * <usize>DISC + column) * 8
    lensX = load<f32>(at)
    lensY = load<f32>(at, 4)
    return
  }
  const r = sqrt(u)
  if (blades < 3) {
    lensX = r * NativeMathf.cos(TAU * v)
    lensY = r * NativeMathf.sin(TAU * v)
    return
  }
  // One of the triangles between the middle and a side; corners lie on the disc.
  const n = <f32>blades
  const turn = v * n
  const side = min<f32>(n - 1, floor(turn)), along = turn - side
  const a = TAU * side / n, b = TAU * (side + 1) / n
  lensX = r * ((1 - along) * NativeMathf.cos(a) + along * NativeMathf.cos(b))
  lensY = r * ((1 - along) * NativeMathf.sin(a) + along * NativeMathf.sin(b))
}

/** The ray through a place of the picture at a share of the shutter, by way of a place on the lens (u, v in [0, 1)). */
export function castView(view: usize, x: f32, y: f32, time: f32, u: f32, v: f32): void {
  straighten(view, x, y)
  stand(view, time)
  let dx = straightX, dy = -straightY, ox: f32 = 0, oy: f32 = 0
  const lens = viewLens(view)
  if (lens > 0) {
    onLens(viewDisc(view), viewBlades(view), u, v)
    const squeeze = sqrt(viewSqueeze(view))
    ox = lens * lensX / squeeze
    oy = lens * lensY * squeeze
    const inv: f32 = 1 / viewFocus(view)
    dx -= ox * inv
    dy -= oy * inv
  }
  const X = m00 * dx + m01 * dy - m02, Y = m10 * dx + m11 * dy - m12, Z = m20 * dx + m21 * dy - m22
  rayLength = sqrt(X * X + Y * Y + Z * Z)
  const k: f32 = 1 / rayLength
  rayDX = X * k
  rayDY = Y * k
  rayDZ = Z * k
  rayX = eyeX + m00 * ox + m01 * oy
  rayY = eyeY + m10 * ox + m11 * oy
  rayZ = eyeZ + m20 * ox + m21 * oy
}

export let seenX: f32 = 0
export let seenY: f32 = 0
/** Where a point of the world lands in the picture at a share of the shutter, px: left in seenX, seenY. False behind the camera. */
export function project(view: usize, time: f32, x: f32, y: f32, z: f32): bool {
  stand(view, time)
  const dx = x - eyeX, dy = y - eyeY, dz = z - eyeZ
  const depth = -(m02 * dx + m12 * dy + m22 * dz)
  if (depth < 1e-4) return false
  const px = (m00 * dx + m10 * dy + m20 * dz) / depth, py = -(m01 * dx + m11 * dy + m21 * dz) / depth
  const r2 = px * px + py * py
  const k: f32 = viewFocal(view) * (1 + r2 * (viewK1(view) + r2 * viewK2(view)))
  seenX = viewCentreX(view) + k * px
  seenY = viewCentreY(view) + k * py
  return true
}
