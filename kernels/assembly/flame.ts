import { sample } from './grid'

// The light of a flame at a place, as core/src/light/flame.ts tells it: sheets of glowing soot at a distance that the mixture fraction and its gradient give, thinner soot within.

export const SHEET_AT: f32 = 0.9
const WIDTH: f32 = 0.012
const DEPTH: f32 = 0.2
const LEAN: f32 = 0.35
const SHEET_KELVIN: f32 = 1600
const INNER: f32 = 0.7
const INNER_HOT: f32 = 1350
const INNER_COOL: f32 = 1000
const WEAK: f32 = 1.2
const FIRM: f32 = 3
/** Nothing is told to be further from a sheet than the mixture's slope there could be trusted for, 1/m. */
const LEAST_SLOPE: f32 = 2

/** What flameAt leaves: plate value a metre, extinction a metre, distance to the nearest sheet, m. */
export let flameR: f32 = 0
export let flameG: f32 = 0
export let flameB: f32 = 0
export let flameExtinction: f32 = 0
export let flameDistance: f32 = 0

// @ts-ignore: decorator
@inline
function glowAt(table: usize, from: f32, inv: f32, entries: i32, kelvin: f32): v128 {
  const at = max<f32>(0, (kelvin - from) * inv)
  const k = min(entries - 2, <i32>at)
  const e = table + ((<usize>k) << 4)
  return f32x4.add(v128.load(e), f32x4.mul(f32x4.splat(min<f32>(1, at - <f32>k)), f32x4.sub(v128.load(e, 16), v128.load(e))))
}

/** eta: mixture over its stoichiometric value; slope: of it, 1/m; warm: K above the air; the table is black bodies' by temperature. */
export function flameAt(eta: f32, slope: f32, warm: f32, air: f32, table: usize, from: f32, inv: f32, entries: i32): void {
  const d = (eta - SHEET_AT) / max(LEAST_SLOPE, slope)
  flameDistance = abs(d)
  flameExtinction = 0
  let glow = f32x4.splat(0)
  const rise: f32 = eta < 1 ? 1500 * eta : max<f32>(500, 1500 - 330 * (eta - 1))
  const progress = min<f32>(1, warm / max<f32>(60, rise))
  const alight = max<f32>(0, min<f32>(1, (progress - 0.25) * 3.3333333))
  if (alight > 0) {
    const r = d / (d < 0 ? LEAN * WIDTH : (1 - LEAN) * WIDTH)
    if (abs(r) < 3.5) {
      const firm = max<f32>(0, min<f32>(1, (slope - WEAK) / (FIRM - WEAK)))
      const k: f32 = DEPTH / WIDTH * NativeMathf.exp(-r * r) * alight * firm * firm * (3 - 2 * firm)
      flameExtinction += k
      glow = f32x4.add(glow, f32x4.mul(f32x4.splat(k), glowAt(table, from, inv, entries, air + (SHEET_KELVIN - air) * (0.8 + 0.2 * progress))))
    }
    if (eta > 1) {
      const over = eta - 2
      const k: f32 = INNER * min<f32>(1, (eta - 1) * 2.5) * NativeMathf.exp(-over * over * (over > 0 ? <f32>0.35 : <f32>1)) * alight
      const kelvin = INNER_HOT + (INNER_COOL - INNER_HOT) * min<f32>(1, (eta - 1) / 3)
      flameExtinction += k
      glow = f32x4.add(glow, f32x4.mul(f32x4.splat(k), glowAt(table, from, inv, entries, air + (kelvin - air) * (0.75 + 0.25 * progress))))
    }
  }
  flameR = f32x4.extract_lane(glow, 0)
  flameG = f32x4.extract_lane(glow, 1)
  flameB = f32x4.extract_lane(glow, 2)
}

/** Share of a mixture's burning that goes on where it is: round the sheet, not where fuel is in excess or thinned out. */
// @ts-ignore: decorator
@inline
export function burningZone(eta: f32): f32 {
  return max<f32>(0, 1 - abs(eta - 0.8) * 1.25)
}

/** Length of a padded field's gradient, per metre; half: 1 / (2 cell). Slabs are interior layers. */
export function gradientLength(out: usize, p: usize, half: f32, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2, sxy = sx * (ny + 2)
  const y1 = (<usize>sx) << 2, z1 = (<usize>sxy) << 2
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++)
      for (let i = 1; i <= nx; i++) {
        const e = (<usize>(k * sxy + j * sx + i)) << 2
        const gx = load<f32>(p + e, 4) - load<f32>(p + e - 4), gy = load<f32>(p + e + y1) - load<f32>(p + e - y1), gz = load<f32>(p + e + z1) - load<f32>(p + e - z1)
        store<f32>(out + e, half * sqrt(gx * gx + gy * gy + gz * gz))
      }
}

// @ts-ignore: decorator
@inline
function catmull(t: f32): v128 {
  const t2 = t * t, t3 = t2 * t
  return f32x4(-0.5 * t + t2 - 0.5 * t3, 1 - 2.5 * t2 + 1.5 * t3, 0.5 * t + 2 * t2 - 1.5 * t3, -0.5 * t2 + 0.5 * t3)
}

// @ts-ignore: decorator
@inline
function rows(p: usize, sx: usize, wy: v128): v128 {
  return f32x4.add(
    f32x4.add(f32x4.mul(v128.load(p), i32x4.shuffle(wy, wy, 0, 0, 0, 0)), f32x4.mul(v128.load(p + sx), i32x4.shuffle(wy, wy, 1, 1, 1, 1))),
    f32x4.add(f32x4.mul(v128.load(p + 2 * sx), i32x4.shuffle(wy, wy, 2, 2, 2, 2)), f32x4.mul(v128.load(p + 3 * sx), i32x4.shuffle(wy, wy, 3, 3, 3, 3))))
}

/** A padded field by Catmull–Rom's cubic at array coordinates: trilinear values show the lattice's facets. Near the box's sides, where the cubic reaches beyond it, trilinear. */
export function cubic(p: usize, x: f32, y: f32, z: f32, nx: i32, ny: i32, nz: i32): f32 {
  const sx = nx + 2, sxy = sx * (ny + 2)
  const i = <i32>x, j = <i32>y, k = <i32>z
  if (i < 1 || j < 1 || k < 1 || i > nx - 1 || j > ny - 1 || k > nz - 1) return sample(p, x, y, z, sx, sxy)
  const wx = catmull(x - <f32>i), wy = catmull(y - <f32>j), wz = catmull(z - <f32>k)
  const line = (<usize>sx) << 2, layer = (<usize>sxy) << 2
  const a = p + ((<usize>((k - 1) * sxy + (j - 1) * sx + i - 1)) << 2)
  const m = f32x4.mul(wx, f32x4.add(
    f32x4.add(f32x4.mul(rows(a, line, wy), i32x4.shuffle(wz, wz, 0, 0, 0, 0)), f32x4.mul(rows(a + layer, line, wy), i32x4.shuffle(wz, wz, 1, 1, 1, 1))),
    f32x4.add(f32x4.mul(rows(a + 2 * layer, line, wy), i32x4.shuffle(wz, wz, 2, 2, 2, 2)), f32x4.mul(rows(a + 3 * layer, line, wy), i32x4.shuffle(wz, wz, 3, 3, 3, 3)))))
  return f32x4.extract_lane(m, 0) + f32x4.extract_lane(m, 1) + f32x4.extract_lane(m, 2) + f32x4.extract_lane(m, 3)
}
