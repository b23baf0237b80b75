import { baseOf, endOf, firstOf, stepOf } from './grid'
import { diagonal, inverse, lanes, neighbours, tail, weights } from './pressure'

// Gauss–Seidel by two colours, like a chessboard's, and the residual, of the pressure's matrix (kernels/assembly/pressure.ts).

/** One layer's cells of one colour. A row is read once, four cells after four: what was just written is not read again before it has reached the memory. */
// @ts-ignore: decorator
@inline
export function smoothLayer(x: usize, b: usize, diag: usize, spans: usize, nx: i32, ny: i32, colour: i32, k: i32): void {
  const sx = nx + 2
  const by = b - x
  for (let j = 1; j <= ny; j++) {
    const line = k * (ny + 2) + j
    const base = baseOf(spans, line, sx)
    const yb = stepOf(spans, line, base, -1, sx), ya = stepOf(spans, line, base, 1, sx), zb = stepOf(spans, line, base, -ny - 2, sx), za = stepOf(spans, line, base, ny + 2, sx)
    const colours = lanes((1 + j + k + colour) & 1)
    let i = firstOf(spans, line)
    const stop = endOf(spans, line, nx, nx)
    const c = <usize>(base + 1 + i)
    let e = x + (c << 2), d = diag + c
    let before = v128.load32_splat(e - 4)
    let here = v128.load(e)
    for (; i + 8 <= stop; i += 8) {
      const middle = v128.load(e, 16), after = v128.load(e, 32)
      const first = f32x4.add(v128.load(e + by), neighbours(before, here, middle, e, yb, ya, zb, za))
      const second = f32x4.add(v128.load(e + by, 16), neighbours(here, middle, after, e + 16, yb, ya, zb, za))
      v128.store(e, v128.bitselect(f32x4.mul(first, inverse(d)), here, colours))
      v128.store(e, v128.bitselect(f32x4.mul(second, inverse(d + 4)), middle, colours), 16)
      before = middle
      here = after
      e += 32
      d += 8
    }
    for (; i < stop; i += 4) {
      const after = v128.load(e, 16)
      const mask = i + 4 <= nx ? colours : v128.and(colours, tail(nx - i))
      const next = f32x4.mul(f32x4.add(v128.load(e + by), neighbours(before, here, after, e, yb, ya, zb, za)), inverse(d))
      v128.store(e, v128.bitselect(next, here, mask))
      before = here
      here = after
      e += 16
      d += 4
    }
  }
}

/** One Gauss–Seidel half-sweep over the cells of one colour, in place. */
export function smooth(x: usize, b: usize, diag: usize, spans: usize, nx: i32, ny: i32, nz: i32, colour: i32, from: i32, to: i32): void {
  for (let k = from + 1; k <= to; k++) smoothLayer(x, b, diag, spans, nx, ny, colour, k)
}

/** The first half-sweep from a zero guess, of one layer: x = b / diag on one colour, 0 on the other. */
export function firstLayer(x: usize, b: usize, diag: usize, spans: usize, nx: i32, ny: i32, colour: i32, k: i32): void {
  const sx = nx + 2
  for (let j = 1; j <= ny; j++) {
    const line = k * (ny + 2) + j
    const row = <usize>(baseOf(spans, line, sx) + 1)
    const colours = lanes((1 + j + k + colour) & 1)
    for (let i = firstOf(spans, line), stop = endOf(spans, line, nx, nx); i < stop; i += 4) {
      const c = row + <usize>i
      const next = v128.and(f32x4.mul(v128.load(b + (c << 2)), inverse(diag + c)), colours)
      const e = x + (c << 2)
      v128.store(e, i + 4 <= nx ? next : v128.bitselect(next, v128.load(e), tail(nx - i)))
    }
  }
}

export function smoothFirst(x: usize, b: usize, diag: usize, spans: usize, nx: i32, ny: i32, nz: i32, colour: i32, from: i32, to: i32): void {
  for (let k = from + 1; k <= to; k++) firstLayer(x, b, diag, spans, nx, ny, colour, k)
}

/** t = (b - A x) / norm: the residual, weighted for the restriction; 0 where the norm is. On the coarsest level, where nothing is restricted, it is 1. */
export function residual(t: usize, x: usize, b: usize, diag: usize, norm: usize, spans: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  for (let k = from + 1; k <= to; k++) residualLayer(t, x, b, diag, norm, spans, nx, ny, k)
}

/** The same of one layer. */
export function residualLayer(t: usize, x: usize, b: usize, diag: usize, norm: usize, spans: usize, nx: i32, ny: i32, k: i32): void {
  const sx = nx + 2
  const by = b - x, to = t - x
  for (let j = 1; j <= ny; j++) {
    const line = k * (ny + 2) + j
    const base = baseOf(spans, line, sx)
    const yb = stepOf(spans, line, base, -1, sx), ya = stepOf(spans, line, base, 1, sx), zb = stepOf(spans, line, base, -ny - 2, sx), za = stepOf(spans, line, base, ny + 2, sx)
    let i = firstOf(spans, line)
    const stop = endOf(spans, line, nx, nx)
    const c = <usize>(base + 1 + i)
    let e = x + (c << 2), d = diag + c, n = norm + c
    let before = v128.load32_splat(e - 4)
    let here = v128.load(e)
    for (; i < stop; i += 4) {
      const after = v128.load(e, 16)
      const m = diagonal(d)
      const ax = f32x4.sub(f32x4.mul(m, here), neighbours(before, here, after, e, yb, ya, zb, za))
      const value = f32x4.mul(v128.and(f32x4.sub(v128.load(e + by), ax), f32x4.gt(m, f32x4.splat(0))), weights(n))
      const p = e + to
      v128.store(p, i + 4 <= nx ? value : v128.bitselect(value, v128.load(p), tail(nx - i)))
      before = here
      here = after
      e += 16
      d += 4
      n += 4
    }
  }
}
