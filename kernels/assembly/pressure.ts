import { AIR, baseOf, endOf, firstOf, FLUID, SOLID, stepOf } from './grid'

// Pressure on the padded grid. The matrix A counts, per fluid cell, the neighbours that are not solid (`diag`, a byte; 0 elsewhere):
//   (A x)_i = diag_i x_i - sum of the six neighbours' x.    x is 0 in solid and open cells, so no mask is needed for the sum.
// Multigrid after McAdams, Sifakis & Teran 2010, with trilinear transfers whose weights are renormalised beside solid cells:
//   prolongation P_ij = w_ij / norm_i,  w = products of (1, 3, 3, 1) and norm_i = sum of w over coarse cells that are not solid (a byte, 64 inside);
//   restriction  R = P^T / 2, so that the cycle stays symmetric.

// @ts-ignore: decorator
@inline
function fourBytes(p: usize): v128 {
  return i32x4.extend_low_i16x8_u(i16x8.extend_low_i8x16_u(v128.load32_zero(p)))
}

// @ts-ignore: decorator
@inline
export function bytesToFloats(p: usize): v128 {
  return f32x4.convert_i32x4_u(fourBytes(p))
}

/** Sum of the six neighbours of four cells in a row, read at e: `before` and `after` stand beside them in it. */
// @ts-ignore: decorator
@inline
export function neighbours(before: v128, here: v128, after: v128, e: usize, yb: usize, ya: usize, zb: usize, za: usize): v128 {
  const xs = f32x4.add(i32x4.shuffle(before, here, 3, 4, 5, 6), i32x4.shuffle(here, after, 1, 2, 3, 4))
  const ys = f32x4.add(v128.load(e + yb), v128.load(e + ya))
  const zs = f32x4.add(v128.load(e + zb), v128.load(e + za))
  return f32x4.add(f32x4.add(xs, ys), zs)
}

// @ts-ignore: decorator
@inline
function reciprocal(diag: v128): v128 {
  return v128.and(f32x4.div(f32x4.splat(1), diag), f32x4.gt(diag, f32x4.splat(0)))
}

/** Four cells of gas all round, as nearly all are: their six neighbours, as bytes. */
export const WHOLE: u32 = 0x06060606
/** Four cells whose transfer weights all count. */
export const FULL: u32 = 0x40404040

/** How many neighbours four cells have. */
// @ts-ignore: decorator
@inline
export function diagonal(p: usize): v128 {
  return load<u32>(p) == WHOLE ? f32x4.splat(6) : bytesToFloats(p)
}

/** One over that; 0 where there are none. */
// @ts-ignore: decorator
@inline
export function inverse(p: usize): v128 {
  return load<u32>(p) == WHOLE ? f32x4.splat(<f32>1 / <f32>6) : reciprocal(bytesToFloats(p))
}

/** One over four cells' transfer weights. */
// @ts-ignore: decorator
@inline
export function weights(p: usize): v128 {
  return load<u32>(p) == FULL ? f32x4.splat(<f32>1 / <f32>64) : reciprocal(bytesToFloats(p))
}

/** Lanes of a row's first four cells that have the colour, i starting at array index 1; rows end in lanes that are masked by `tail`. */
// @ts-ignore: decorator
@inline
export function lanes(parity: i32): v128 {
  return parity ? i32x4(0, -1, 0, -1) : i32x4(-1, 0, -1, 0)
}

// @ts-ignore: decorator
@inline
export function tail(left: i32): v128 {
  if (left >= 4) return i32x4(-1, -1, -1, -1)
  return i32x4(-1, left > 1 ? -1 : 0, left > 2 ? -1 : 0, 0)
}

// @ts-ignore: decorator
@inline
function dot4(sum: v128, a: v128, b: v128): v128 {
  const lo = f64x2.mul(f64x2.promote_low_f32x4(a), f64x2.promote_low_f32x4(b))
  const ha = i32x4.shuffle(a, a, 2, 3, 2, 3)
  const hb = i32x4.shuffle(b, b, 2, 3, 2, 3)
  return f64x2.add(sum, f64x2.add(lo, f64x2.mul(f64x2.promote_low_f32x4(ha), f64x2.promote_low_f32x4(hb))))
}

/** q = A d; partial[layer] = d . q. */
export function applyDot(q: usize, d: usize, diag: usize, partial: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  for (let k = from + 1; k <= to; k++) applyLayer(q, d, diag, partial, spans, nx, ny, k)
}

/** The same of one layer. */
export function applyLayer(q: usize, d: usize, diag: usize, partial: usize, spans: usize, nx: i32, ny: i32, k: i32): void {
  const sx = nx + 2
  const to = q - d
  let sum = f64x2.splat(0)
  for (let j = 1; j <= ny; j++) {
    const line = k * (ny + 2) + j
    const base = baseOf(spans, line, sx)
    const yb = stepOf(spans, line, base, -1, sx), ya = stepOf(spans, line, base, 1, sx), zb = stepOf(spans, line, base, -ny - 2, sx), za = stepOf(spans, line, base, ny + 2, sx)
    let i = firstOf(spans, line)
    const stop = endOf(spans, line, nx, nx)
    const c = <usize>(base + 1 + i)
    let e = d + (c << 2), g = diag + c
    let before = v128.load32_splat(e - 4)
    let own = v128.load(e)
    for (; i < stop; i += 4) {
      const after = v128.load(e, 16)
      const m = diagonal(g)
      let value = v128.and(f32x4.sub(f32x4.mul(m, own), neighbours(before, own, after, e, yb, ya, zb, za)), f32x4.gt(m, f32x4.splat(0)))
      if (i + 4 > nx) value = v128.and(value, tail(nx - i))
      const p = e + to
      v128.store(p, i + 4 <= nx ? value : v128.bitselect(value, v128.load(p), tail(nx - i)))
      sum = dot4(sum, own, value)
      before = own
      own = after
      e += 16
      g += 4
    }
  }
  store<f64>(partial + ((<usize>(k - 1)) << 3), f64x2.extract_lane(sum, 0) + f64x2.extract_lane(sum, 1))
}

/** a . b over one array layer. */
// @ts-ignore: decorator
@inline
export function dotLayer(a: usize, b: usize, spans: usize, nx: i32, ny: i32, k: i32): f64 {
  const sx = nx + 2
  let sum = f64x2.splat(0)
  for (let j = 1; j <= ny; j++) {
    const line = k * (ny + 2) + j
    const row = (<usize>(baseOf(spans, line, sx) + 1)) << 2
    for (let i = firstOf(spans, line), stop = endOf(spans, line, nx, nx); i < stop; i += 4) {
      const o = row + ((<usize>i) << 2)
      let va = v128.load(a + o)
      if (i + 4 > nx) va = v128.and(va, tail(nx - i))
      sum = dot4(sum, va, v128.load(b + o))
    }
  }
  return f64x2.extract_lane(sum, 0) + f64x2.extract_lane(sum, 1)
}

/** partial[layer] = a . b over the interior. */
export function dot(a: usize, b: usize, partial: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  for (let k = from + 1; k <= to; k++) store<f64>(partial + ((<usize>(k - 1)) << 3), dotLayer(a, b, spans, nx, ny, k))
}

/** p += alpha d, r -= alpha q over whole array layers; partial[2 layer] = r . r, partial[2 layer + 1] = largest |r|. */
export function stepSolution(p: usize, r: usize, d: usize, q: usize, alpha: f64, partial: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const a = f32x4.splat(<f32>alpha)
  for (let k = from + 1; k <= to; k++) {
    let sum = f64x2.splat(0)
    let top = f32x4.splat(0)
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      const row = (<usize>(base + 1)) << 2
      for (let i = firstOf(spans, line), stop = endOf(spans, line, nx, nx); i < stop; i += 4) {
        const o = row + ((<usize>i) << 2)
        const pn = f32x4.add(v128.load(p + o), f32x4.mul(a, v128.load(d + o)))
        let rn = f32x4.sub(v128.load(r + o), f32x4.mul(a, v128.load(q + o)))
        if (i + 4 <= nx) {
          v128.store(p + o, pn)
          v128.store(r + o, rn)
        } else {
          const mask = tail(nx - i)
          v128.store(p + o, v128.bitselect(pn, v128.load(p + o), mask))
          v128.store(r + o, v128.bitselect(rn, v128.load(r + o), mask))
          rn = v128.and(rn, mask)
        }
        sum = dot4(sum, rn, rn)
        top = f32x4.pmax(top, f32x4.abs(rn))
      }
    }
    const at = partial + ((<usize>(k - 1)) << 4)
    store<f64>(at, f64x2.extract_lane(sum, 0) + f64x2.extract_lane(sum, 1))
    store<f64>(at, max(max(f32x4.extract_lane(top, 0), f32x4.extract_lane(top, 1)), max(f32x4.extract_lane(top, 2), f32x4.extract_lane(top, 3))), 8)
  }
}

/** d = factor z + beta d. */
export function stepDirection(d: usize, z: usize, factor: f64, beta: f64, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  for (let k = from + 1; k <= to; k++) directionLayer(d, z, <f32>factor, <f32>beta, spans, nx, ny, k)
}

/** The same of one layer. */
export function directionLayer(d: usize, z: usize, factor: f32, beta: f32, spans: usize, nx: i32, ny: i32, k: i32): void {
  const sx = nx + 2
  const b = f32x4.splat(beta), f = f32x4.splat(factor)
  for (let j = 1; j <= ny; j++) {
    const line = k * (ny + 2) + j
    const base = baseOf(spans, line, sx)
    const row = (<usize>(base + 1)) << 2
    for (let i = firstOf(spans, line), stop = endOf(spans, line, nx, nx); i < stop; i += 4) {
      const o = row + ((<usize>i) << 2)
      const next = f32x4.add(f32x4.mul(f, v128.load(z + o)), f32x4.mul(b, v128.load(d + o)))
      v128.store(d + o, i + 4 <= nx ? next : v128.bitselect(next, v128.load(d + o), tail(nx - i)))
    }
  }
}

/** diag from flags: per fluid cell the number of neighbours that are not solid. */
export function countNeighbours(diag: usize, flags: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      const yb = <usize>(baseOf(spans, line - 1, sx) - base), ya = <usize>(baseOf(spans, line + 1, sx) - base)
      const zb = <usize>(baseOf(spans, line - ny - 2, sx) - base), za = <usize>(baseOf(spans, line + ny + 2, sx) - base)
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const c = flags + <usize>(base + i)
        let n: u8 = 0
        if (load<u8>(c) == FLUID) {
          n = <u8>(load<u8>(c - 1) != SOLID) + <u8>(load<u8>(c + 1) != SOLID)
          n += <u8>(load<u8>(c + yb) != SOLID) + <u8>(load<u8>(c + ya) != SOLID)
          n += <u8>(load<u8>(c + zb) != SOLID) + <u8>(load<u8>(c + za) != SOLID)
        }
        store<u8>(diag + <usize>(base + i), n)
      }
    }
}

/** b = cell x expansion - (net outflow of the faces), m/s; partial[2 layer] = sum of b, partial[2 layer + 1] = largest |b|. */
export function divergence(b: usize, u: usize, v: usize, w: usize, expansion: usize, diag: usize, cell: f32, partial: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from + 1; k <= to; k++) {
    let sum: f64 = 0
    let top: f32 = 0
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      const ya = stepOf(spans, line, base, 1, sx), za = stepOf(spans, line, base, ny + 2, sx)
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const c = <usize>(base + i)
        const e = c << 2
        let value: f32 = 0
        if (load<u8>(diag + c)) {
          const out = load<f32>(u + e, 4) - load<f32>(u + e) + load<f32>(v + e + ya) - load<f32>(v + e) + load<f32>(w + e + za) - load<f32>(w + e)
          value = cell * load<f32>(expansion + e) - out
        }
        store<f32>(b + e, value)
        sum += value
        top = max(top, abs(value))
      }
    }
    const at = partial + ((<usize>(k - 1)) << 4)
    store<f64>(at, sum)
    store<f64>(at, top, 8)
  }
}

/** b -= mean on cells of the system: for a closed box, where only such a right-hand side can be met. */
export function shiftSystem(b: usize, diag: usize, mean: f32, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const c = <usize>(base + i)
        if (load<u8>(diag + c)) store<f32>(b + (c << 2), load<f32>(b + (c << 2)) - mean)
      }
    }
}

/** What becomes of four faces: 0 beside solid cells, as they were between two open ones, else less `factor` times the difference of q. */
// @ts-ignore: decorator
@inline
function face(p: usize, e: usize, back: usize, here: v128, flags: usize, q: usize, factor: v128, lanes: v128): void {
  const before = fourBytes(flags)
  const solid = v128.or(i32x4.eq(here, i32x4.splat(SOLID)), i32x4.eq(before, i32x4.splat(SOLID)))
  const outside = v128.and(i32x4.eq(here, i32x4.splat(AIR)), i32x4.eq(before, i32x4.splat(AIR)))
  const old = v128.load(p + e)
  const pushed = f32x4.sub(old, f32x4.mul(factor, f32x4.sub(v128.load(q + e), v128.load(q + e + back))))
  v128.store(p + e, v128.bitselect(v128.andnot(v128.bitselect(old, pushed, outside), solid), old, lanes))
}

/** Faces beside solid cells are 0, the others lose `factor` times the difference of q (together m/s). Faces past the last cell belong to the slab that ends there. */
export function project(u: usize, v: usize, w: usize, q: usize, factor: f32, flags: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const push = f32x4.splat(factor)
  const last = to == nz ? to + 1 : to
  for (let k = from + 1; k <= last; k++)
    for (let j = 1; j <= ny + 1; j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      const yb = <usize>(baseOf(spans, line - 1, sx) - base), zb = <usize>(baseOf(spans, line - ny - 2, sx) - base)
      for (let i = firstOf(spans, line), stop = endOf(spans, line, nx, nx + 1); i < stop; i += 4) {
        const c = <usize>(base + i + 1)
        const f = flags + c
        const here = fourBytes(f)
        const e = c << 2
        const inner = tail(nx - i), withSide = tail(nx + 1 - i)
        if (j <= ny && k <= nz) face(u, e, -4, here, f - 1, q, push, withSide)
        if (i < nx && k <= nz) face(v, e, yb << 2, here, f + yb, q, push, inner)
        if (i < nx && j <= ny) face(w, e, zb << 2, here, f + zb, q, push, inner)
      }
    }
}

/** dst = src less `ratio` times the pressure's slope on faces of one axis between cells that are not solid; elsewhere src. Slabs as project's. */
export function reflect(dst: usize, src: usize, h: usize, flags: usize, axis: i32, ratio: f32, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const last = axis == 2 && to == nz ? to + 1 : to
  for (let k = from + 1; k <= last; k++)
    for (let j = 1; j <= ny + (axis == 1 ? 1 : 0); j++) {
      const line = k * (ny + 2) + j
      const base = baseOf(spans, line, sx)
      const back: usize = axis == 0 ? -1 : <usize>(baseOf(spans, line - (axis == 1 ? 1 : ny + 2), sx) - base)
      for (let i = firstOf(spans, line), stop = endOf(spans, line, nx, nx + (axis == 0 ? 1 : 0)); i < stop; i += 4) {
        const c = <usize>(base + i + 1)
        const e = c << 2
        const solid = v128.or(i32x4.eq(fourBytes(flags + c), i32x4.splat(SOLID)), i32x4.eq(fourBytes(flags + c + back), i32x4.splat(SOLID)))
        const slope = f32x4.mul(f32x4.splat(ratio), f32x4.sub(v128.load(h + e), v128.load(h + e + (back << 2))))
        const value = f32x4.sub(v128.load(src + e), v128.andnot(slope, solid))
        const p = dst + e
        v128.store(p, v128.bitselect(value, v128.load(p), tail(nx + (axis == 0 ? 1 : 0) - i)))
      }
    }
}
