

// MacCormack advection (Selle, Fedkiw, Kim, Liu & Rossignac 2008) of values at cell centres, traced back by the midpoint rule: what the sweeps of fluxes (advectScalar.ts, advectVelocity.ts) are held against.
// shift = time step / cell size; positive traces back, negative forward.
// `centred` holds the velocity at cell centres, four floats a cell (u, v, w, 0), ghosts included: one trilinear look gives the midpoint's velocity.

/** Adding this to |x| < 2^22 leaves the nearest integer in the low bits (ties either way are fine: interpolation is continuous). */
const MAGIC: f32 = 12582912
const MAGIC_BITS: i32 = 0x4b400000

/** centred = face velocities averaged to the cells, all ghosts included. Slabs are array layers, nz + 2 of them. */
export function centreVelocity(centred: usize, u: usize, v: usize, w: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  for (let k = from; k < to; k++) {
    const z1 = k <= nz ? (<usize>sxy) << 2 : 0
    for (let j = 0; j < ny + 2; j++) {
      const y1 = j <= ny ? (<usize>sx) << 2 : 0
      for (let i = 0; i < sx; i++) {
        const x1: usize = i <= nx ? 4 : 0
        const e = (<usize>(k * sxy + j * sx + i)) << 2
        v128.store(centred + (e << 2), f32x4.mul(f32x4.splat(0.5), f32x4.add(
          f32x4(load<f32>(u + e), load<f32>(v + e), load<f32>(w + e), 0),
          f32x4(load<f32>(u + e + x1), load<f32>(v + e + y1), load<f32>(w + e + z1), 0))))
      }
    }
  }
}

/** Element under array coordinates p (x, y, z, 0); strides = (1, sx, sxy, 0). `floor` is p's integer part as left by lower(). */
// @ts-ignore: decorator
@inline
function elementOf(floor: v128, strides: v128): usize {
  const parts = i32x4.mul(i32x4.sub(floor, i32x4.splat(MAGIC_BITS)), strides)
  return <usize>(i32x4.extract_lane(parts, 0) + i32x4.extract_lane(parts, 1) + i32x4.extract_lane(parts, 2))
}

// @ts-ignore: decorator
@inline
function lower(p: v128): v128 {
  return f32x4.add(f32x4.sub(p, f32x4.splat(0.5)), f32x4.splat(MAGIC))
}

// @ts-ignore: decorator
@inline
function mix(a: v128, b: v128, t: v128): v128 {
  return f32x4.add(a, f32x4.mul(t, f32x4.sub(b, a)))
}

/** Where the sample at array coordinates `at` comes from (or goes to) over `shift`, not yet held within the grid. */
// @ts-ignore: decorator
@inline
function traced(at: v128, velocity: v128, shift: f32, centred: usize, top: v128, strides: v128, y1: usize, z1: usize): v128 {
  const middle = f32x4.pmax(f32x4.splat(0), f32x4.pmin(top, f32x4.sub(at, f32x4.mul(f32x4.splat(0.5 * shift), velocity))))
  const floor = lower(middle)
  const f = f32x4.sub(middle, f32x4.sub(floor, f32x4.splat(MAGIC)))
  const a = centred + (elementOf(floor, strides) << 4)
  const b = a + (y1 << 2)
  const c = a + (z1 << 2)
  const d = c + (y1 << 2)
  const fx = i32x4.shuffle(f, f, 0, 0, 0, 0)
  const fy = i32x4.shuffle(f, f, 1, 1, 1, 1)
  const fz = i32x4.shuffle(f, f, 2, 2, 2, 2)
  const lo = mix(mix(v128.load(a), v128.load(a, 16), fx), mix(v128.load(b), v128.load(b, 16), fx), fy)
  const hi = mix(mix(v128.load(c), v128.load(c, 16), fx), mix(v128.load(d), v128.load(d, 16), fx), fy)
  return f32x4.sub(at, f32x4.mul(f32x4.splat(shift), mix(lo, hi, fz)))
}

/** The eight values round element e: (a0 a1 b0 b1) of the lower layer. */
// @ts-ignore: decorator
@inline
function fourAt(p: usize, y1: usize): v128 {
  return v128.load64_lane(p + y1, v128.load64_zero(p), 1)
}

// @ts-ignore: decorator
@inline
function blended(low: v128, high: v128, f: v128): f32 {
  const z = mix(low, high, i32x4.shuffle(f, f, 2, 2, 2, 2))
  const y = mix(z, i32x4.shuffle(z, z, 2, 3, 2, 3), i32x4.shuffle(f, f, 1, 1, 1, 1))
  const x0 = f32x4.extract_lane(y, 0)
  return x0 + f32x4.extract_lane(f, 0) * (f32x4.extract_lane(y, 1) - x0)
}

/** First, semi-Lagrangian pass: fwd = src at the traced point. */
export function advectForward(
  centred: usize, nx: i32, ny: i32, nz: i32, shift: f32,
  src: usize, fwd: usize, from: i32, to: i32,
): void {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const y1 = (<usize>sx) << 2
  const z1 = (<usize>sxy) << 2
  const top = f32x4(<f32>(nx + 1) - 0.001, <f32>(ny + 1) - 0.001, <f32>(nz + 1) - 0.001, 0)
  const strides = i32x4(1, sx, sxy, 0)
  for (let c = from + 1; c <= to; c++)
    for (let b = 1; b <= ny; b++)
      for (let a = 1; a <= nx; a++) {
        const e = (<usize>(c * sxy + b * sx + a)) << 2
        const at = f32x4(<f32>a, <f32>b, <f32>c, 0)
        const back = traced(at, v128.load(centred + (e << 2)), shift, centred, top, strides, y1, z1)
        const p = f32x4.pmax(f32x4.splat(0), f32x4.pmin(top, back))
        const floor = lower(p)
        const f = f32x4.sub(p, f32x4.sub(floor, f32x4.splat(MAGIC)))
        const o = elementOf(floor, strides) << 2
        store<f32>(fwd + e, blended(fourAt(src + o, y1), fourAt(src + o + z1, y1), f))
      }
}

/** Error-corrected value held within the eight source values it was drawn from (at element offset o); ob, fb: where the forward trace lands. */
// @ts-ignore: decorator
@inline
function corrected(src: usize, fwd: usize, e: usize, o: usize, ob: usize, fb: v128, y1: usize, z1: usize): f32 {
  const again = blended(fourAt(fwd + ob, y1), fourAt(fwd + ob + z1, y1), fb)
  const value = load<f32>(fwd + e) + 0.5 * (load<f32>(src + e) - again)
  const low = fourAt(src + o, y1)
  const high = fourAt(src + o + z1, y1)
  const lo = f32x4.pmin(low, high)
  const hi = f32x4.pmax(low, high)
  const lo2 = f32x4.pmin(lo, i32x4.shuffle(lo, lo, 2, 3, 2, 3))
  const hi2 = f32x4.pmax(hi, i32x4.shuffle(hi, hi, 2, 3, 2, 3))
  const least = f32x4.pmin(lo2, i32x4.shuffle(lo2, lo2, 1, 1, 1, 1))
  const most = f32x4.pmax(hi2, i32x4.shuffle(hi2, hi2, 1, 1, 1, 1))
  return f32x4.extract_lane(f32x4.pmax(least, f32x4.pmin(most, f32x4.splat(value))), 0)
}

/** Second pass: dst = fwd + (src - fwd carried back) / 2, clamped. Ghost layers of fwd must be filled. */
export function advectCorrect(
  centred: usize, nx: i32, ny: i32, nz: i32, shift: f32,
  src: usize, fwd: usize, dst: usize, from: i32, to: i32,
): void {
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  const y1 = (<usize>sx) << 2
  const z1 = (<usize>sxy) << 2
  const top = f32x4(<f32>(nx + 1) - 0.001, <f32>(ny + 1) - 0.001, <f32>(nz + 1) - 0.001, 0)
  const strides = i32x4(1, sx, sxy, 0)
  const zero = f32x4.splat(0)
  for (let c = from + 1; c <= to; c++)
    for (let b = 1; b <= ny; b++)
      for (let a = 1; a <= nx; a++) {
        const e = (<usize>(c * sxy + b * sx + a)) << 2
        const at = f32x4(<f32>a, <f32>b, <f32>c, 0)
        const velocity = v128.load(centred + (e << 2))
        const back = traced(at, velocity, shift, centred, top, strides, y1, z1)
        const ahead = traced(at, velocity, -shift, centred, top, strides, y1, z1)
        const o = elementOf(lower(f32x4.pmax(zero, f32x4.pmin(top, back))), strides) << 2
        const pb = f32x4.pmax(zero, f32x4.pmin(top, ahead))
        const floor = lower(pb)
        const fb = f32x4.sub(pb, f32x4.sub(floor, f32x4.splat(MAGIC)))
        const ob = elementOf(floor, strides) << 2
        store<f32>(dst + e, corrected(src, fwd, e, o, ob, fb, y1, z1))
      }
}
