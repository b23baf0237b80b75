import { baseOf, endOf, firstOf, stepOf } from './grid'
import { tail } from './pressure'

// Curl of the air and the force that keeps it turning, four cells at a time.

/** Velocity at the centres of four cells, from the faces on their two sides. */
// @ts-ignore: decorator
@inline
function centred(face: usize, next: usize): v128 {
  return f32x4.mul(f32x4.splat(0.5), f32x4.add(v128.load(face), v128.load(next)))
}

/** a - b - c + d, halved. */
// @ts-ignore: decorator
@inline
function turn(a: v128, b: v128, c: v128, d: v128): v128 {
  return f32x4.mul(f32x4.splat(0.5), f32x4.add(f32x4.sub(f32x4.sub(a, b), c), d))
}

// @ts-ignore: decorator
@inline
function length(a: v128, b: v128, c: v128): v128 {
  return f32x4.sqrt(f32x4.add(f32x4.add(f32x4.mul(a, a), f32x4.mul(b, b)), f32x4.mul(c, c)))
}

// @ts-ignore: decorator
@inline
function put(p: usize, value: v128, lanes: v128): void {
  v128.store(p, v128.bitselect(value, v128.load(p), lanes))
}

/** Curl at cell centres from centred velocities, 1/s x cell (difference over two cells): ox, oy, oz, and its length; 0 in the box's outermost cells. */
export function curl(ox: usize, oy: usize, oz: usize, len: usize, u: usize, v: usize, w: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const layer = ny + 2
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++) {
      const line = k * layer + j
      const base = baseOf(spans, line, sx)
      const yb = stepOf(spans, line, base, -1, sx), ya = stepOf(spans, line, base, 1, sx), zb = stepOf(spans, line, base, -layer, sx), za = stepOf(spans, line, base, layer, sx)
      // Past the lower neighbours to their own, and past the upper ones.
      const ybza = stepOf(spans, line, base, layer - 1, sx), yazb = stepOf(spans, line, base, 1 - layer, sx), yaza = stepOf(spans, line, base, layer + 1, sx)
      const edge = j == 1 || j == ny || k == 1 || k == nz
      for (let i = firstOf(spans, line), stop = endOf(spans, line, nx, nx); i < stop; i += 4) {
        const e = (<usize>(base + 1 + i)) << 2
        const lanes = tail(nx - i)
        let a = f32x4.splat(0), b = a, c = a
        if (!edge && i < nx - 1) {
          const inner = v128.and(tail(nx - 1 - i), i == 0 ? i32x4(0, -1, -1, -1) : i32x4.splat(-1))
          const p = u + e, q = v + e, r = w + e
          a = v128.and(inner, turn(centred(r + ya, r + yaza), centred(r + yb, r + ybza), centred(q + za, q + yaza), centred(q + zb, q + yazb)))
          b = v128.and(inner, turn(centred(p + za, p + za + 4), centred(p + zb, p + zb + 4), centred(r + 4, r + za + 4), centred(r - 4, r + za - 4)))
          c = v128.and(inner, turn(centred(q + 4, q + ya + 4), centred(q - 4, q + ya - 4), centred(p + ya, p + ya + 4), centred(p + yb, p + yb + 4)))
        }
        put(ox + e, a, lanes)
        put(oy + e, b, lanes)
        put(oz + e, c, lanes)
        put(len + e, length(a, b, c), lanes)
      }
    }
}

/** Vorticity confinement (Fedkiw, Stam & Jensen 2001): o becomes scale x (N x o), the velocity change at cell centres. len's ghosts must be 0. */
export function confine(ox: usize, oy: usize, oz: usize, len: usize, scale: f32, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      const yb = stepOf(spans, line, base, -1, sx), ya = stepOf(spans, line, base, 1, sx), zb = stepOf(spans, line, base, -ny - 2, sx), za = stepOf(spans, line, base, ny + 2, sx)
      for (let i = firstOf(spans, line), stop = endOf(spans, line, nx, nx); i < stop; i += 4) {
        const e = (<usize>(base + 1 + i)) << 2
        const p = len + e
        const gx = f32x4.sub(v128.load(p, 4), v128.load(p - 4))
        const gy = f32x4.sub(v128.load(p + ya), v128.load(p + yb))
        const gz = f32x4.sub(v128.load(p + za), v128.load(p + zb))
        const s = f32x4.div(f32x4.splat(scale), f32x4.add(length(gx, gy, gz), f32x4.splat(1e-6)))
        const a = v128.load(ox + e), b = v128.load(oy + e), c = v128.load(oz + e)
        const lanes = tail(nx - i)
        v128.store(ox + e, v128.bitselect(f32x4.mul(s, f32x4.sub(f32x4.mul(gy, c), f32x4.mul(gz, b))), a, lanes))
        v128.store(oy + e, v128.bitselect(f32x4.mul(s, f32x4.sub(f32x4.mul(gz, a), f32x4.mul(gx, c))), b, lanes))
        v128.store(oz + e, v128.bitselect(f32x4.mul(s, f32x4.sub(f32x4.mul(gx, b), f32x4.mul(gy, a))), c, lanes))
      }
    }
}

/** Faces take the mean of the cell-centred change on their two sides. Ghosts of the change must be 0. */
export function addCentred(u: usize, v: usize, w: usize, ax: usize, ay: usize, az: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      const yb = stepOf(spans, line, base, -1, sx), zb = stepOf(spans, line, base, -ny - 2, sx)
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const e = (<usize>(base + i)) << 2
        store<f32>(u + e, load<f32>(u + e) + 0.5 * (load<f32>(ax + e) + load<f32>(ax + e - 4)))
        store<f32>(v + e, load<f32>(v + e) + 0.5 * (load<f32>(ay + e) + load<f32>(ay + e + yb)))
        store<f32>(w + e, load<f32>(w + e) + 0.5 * (load<f32>(az + e) + load<f32>(az + e + zb)))
      }
    }
}
