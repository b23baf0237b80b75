// The padded grid every gas kernel works on: one ghost cell on each side, x fastest.
//   cell (i, j, k), -1 <= i <= nx, lies at element ((k + 1) * (ny + 2) + (j + 1)) * (nx + 2) + (i + 1)
//   u(i, j, k) is the face between cells i - 1 and i, kept at the element of cell i; v and w likewise.
// Positions inside kernels are in "array coordinates": cell centre i is at i + 1, so truncation is floor.
// Slab ranges [from, to) count interior z layers from 0; layer k is array layer k + 1.

export const SOLID: u8 = 0
export const FLUID: u8 = 1
export const AIR: u8 = 2

// Spans: where only a part of a box holds gas, four i32 for every array row (k * (ny + 2) + j): the first cell along x that is worked on, from 0 and a multiple of 4, the end, a multiple of 4 or nx, and the element
// at which the row's column 0 would lie (the fourth is free). Only what is near the work is stored, row after row: the element of column i of a row is that one and i. Rows that nothing is stored of lie on one of
// zeros that all of them share. 0 instead of a pointer: all cells, one row after the other. Outside the spans nothing is written; what stands there is the air outside.

/** First cell of an array row that is worked on. */
// @ts-ignore: decorator
@inline
export function firstOf(spans: usize, row: i32): i32 {
  return spans ? load<i32>(spans + ((<usize>row) << 4)) : 0
}

/** Element of an array row's column 0. */
// @ts-ignore: decorator
@inline
export function baseOf(spans: usize, row: i32, sx: i32): i32 {
  return spans ? load<i32>(spans + ((<usize>row) << 4), 8) : row * sx
}

/** From a row whose column 0 lies at `base` to the row `rows` further: bytes of floats. */
// @ts-ignore: decorator
@inline
export function stepOf(spans: usize, row: i32, base: i32, rows: i32, sx: i32): usize {
  return (<usize>(baseOf(spans, row + rows, sx) - base)) << 2
}

/** From an element to the one `n` further along an axis: bytes of floats. */
// @ts-ignore: decorator
@inline
export function alongOf(spans: usize, row: i32, base: i32, axis: i32, n: i32, sx: i32, layer: i32): usize {
  return axis == 0 ? (<usize>n) << 2 : stepOf(spans, row, base, axis == 1 ? n : n * layer, sx)
}

/** The end of those, where n is the row's whole length (nx, or one more for faces across x). */
// @ts-ignore: decorator
@inline
export function endOf(spans: usize, row: i32, nx: i32, n: i32): i32 {
  if (!spans) return n
  const end = load<i32>(spans + ((<usize>row) << 4), 4)
  return end >= nx ? n : end
}

/** Trilinear value at array coordinates (x, y, z), all within [0, n + 1). sx, sxy: strides in elements. */
// @ts-ignore: decorator
@inline
export function sample(p: usize, x: f32, y: f32, z: f32, sx: i32, sxy: i32): f32 {
  const i = <i32>x
  const j = <i32>y
  const k = <i32>z
  const fx = x - <f32>i
  const fy = y - <f32>j
  const fz = z - <f32>k
  const a = p + ((<usize>(k * sxy + j * sx + i)) << 2)
  const b = a + ((<usize>sx) << 2)
  const c = a + ((<usize>sxy) << 2)
  const d = c + ((<usize>sx) << 2)
  const ax = load<f32>(a) + fx * (load<f32>(a, 4) - load<f32>(a))
  const bx = load<f32>(b) + fx * (load<f32>(b, 4) - load<f32>(b))
  const cx = load<f32>(c) + fx * (load<f32>(c, 4) - load<f32>(c))
  const dx = load<f32>(d) + fx * (load<f32>(d, 4) - load<f32>(d))
  const lo = ax + fy * (bx - ax)
  const hi = cx + fy * (dx - cx)
  return lo + fz * (hi - lo)
}

/** x held within [0, top]. */
// @ts-ignore: decorator
@inline
export function within(x: f32, top: f32): f32 {
  return max<f32>(0, min<f32>(x, top))
}

/**
 * Ghost layers of one field. Per side bit of `closed` (x-, x+, y-, y+, z-, z+): set copies the inner neighbour, clear writes `value`; six bits higher: the side is left as it is
 * (the last layer of faces across it are the side's own faces, no ghosts). rows: factors of `value` for the ny + 2 rows, 0: 1. wide: the columns of each array row that matter, then each layer's rows that have any (as fillWide's), 0: all.
 * Slabs are array layers, nz + 2 of them.
 */
export function fillGhosts(p: usize, nx: i32, ny: i32, nz: i32, closed: i32, value: f32, rows: usize, wide: usize, from: i32, to: i32): void {
  const sx = nx + 2
  const layer = ny + 2
  for (let k = from; k < to; k++) {
    const first = k * layer
    const low = firstRow(wide, k, ny, nz), high = endRow(wide, k, ny, nz)
    if (low >= high) continue
    if (k == 0 || k == nz + 1) {
      const above = k > 0
      if (above && closed & 2048) continue
      if (!(closed & (above ? 32 : 16))) {
        for (let j = 0; j < ny + 2; j++) fillRow(p, sx, first + j, rows ? value * load<f32>(rows + ((<usize>j) << 2)) : value, wide)
        continue
      }
      // Only what lies inside: the edges are made as those of the other layers.
      const inner = above ? -layer : layer
      const last = nx + (closed & 128 ? 1 : 0)
      for (let j = 1; j <= ny + (closed & 512 ? 1 : 0); j++) copyRow(p, sx, first + j, first + j + inner, max(1, startOf(wide, first + j)), min(last + 1, stopOf(wide, first + j, sx)), wide)
    }
    for (let j = max(1, low), top = min(ny + 1, high); j < top; j++) {
      const row = p + ((<usize>baseOf(wide, first + j, sx)) << 2)
      const end = row + ((<usize>(nx + 1)) << 2)
      const outside = rows ? value * load<f32>(rows + ((<usize>j) << 2)) : value
      const stop = stopOf(wide, first + j, sx)
      if (startOf(wide, first + j) == 0 && stop > 0) store<f32>(row, closed & 1 ? load<f32>(row, 4) : outside)
      if (stop == sx && !(closed & 128)) store<f32>(end, closed & 2 ? load<f32>(end - 4) : outside)
    }
    if (closed & 4) copyRow(p, sx, first, first + 1, startOf(wide, first), stopOf(wide, first, sx), wide)
    else fillRow(p, sx, first, rows ? value * load<f32>(rows) : value, wide)
    if (closed & 512) continue
    const last = first + ny + 1
    if (closed & 8) copyRow(p, sx, last, last - 1, startOf(wide, last), stopOf(wide, last, sx), wide)
    else fillRow(p, sx, last, rows ? value * load<f32>(rows + ((<usize>(ny + 1)) << 2)) : value, wide)
  }
}

/** A layer's rows of which some columns matter: from the first to the one after the last. */
// @ts-ignore: decorator
@inline
function firstRow(wide: usize, k: i32, ny: i32, nz: i32): i32 {
  return wide ? load<i32>(wide + ((<usize>((ny + 2) * (nz + 2) + k)) << 4)) : 0
}
// @ts-ignore: decorator
@inline
function endRow(wide: usize, k: i32, ny: i32, nz: i32): i32 {
  return wide ? load<i32>(wide + ((<usize>((ny + 2) * (nz + 2) + k)) << 4), 4) : ny + 2
}
/** A row's columns that matter. */
// @ts-ignore: decorator
@inline
export function startOf(wide: usize, row: i32): i32 {
  return wide ? load<i32>(wide + ((<usize>row) << 4)) : 0
}
// @ts-ignore: decorator
@inline
export function stopOf(wide: usize, row: i32, sx: i32): i32 {
  return wide ? load<i32>(wide + ((<usize>row) << 4), 4) : sx
}
// @ts-ignore: decorator
@inline
function fillRow(p: usize, sx: i32, row: i32, value: f32, wide: usize): void {
  fillRun(p + ((<usize>baseOf(wide, row, sx)) << 2), startOf(wide, row), stopOf(wide, row, sx), value)
}
// @ts-ignore: decorator
@inline
function fillRun(row: usize, start: i32, stop: i32, value: f32): void {
  let i = start
  for (; i + 4 <= stop; i += 4) v128.store(row + ((<usize>i) << 2), f32x4.splat(value))
  for (; i < stop; i++) store<f32>(row + ((<usize>i) << 2), value)
}
// @ts-ignore: decorator
@inline
function copyRow(p: usize, sx: i32, row: i32, source: i32, start: i32, stop: i32, wide: usize): void {
  if (start < stop) memory.copy(p + ((<usize>(baseOf(wide, row, sx) + start)) << 2), p + ((<usize>(baseOf(wide, source, sx) + start)) << 2), (<usize>(stop - start)) << 2)
}

/** dst = value over `count` floats per slab item of `chunk` floats. */
export function fill(dst: usize, value: f32, chunk: i32, from: i32, to: i32): void {
  const n = (to - from) * chunk
  const p = dst + ((<usize>(from * chunk)) << 2)
  for (let i = 0; i < n; i++) store<f32>(p + ((<usize>i) << 2), value)
}

// @ts-ignore: decorator
@inline
function noneZero(bytes: u64): bool {
  return ((bytes - 0x0101010101010101) & ~bytes & 0x8080808080808080) == 0
}

/** Cells that are solid take the mean of their fluid neighbours, or `ambient` where there is none, so that sampling beside a wall sees no cold skin. */
export function fillSolid(p: usize, flags: usize, spans: usize, nx: i32, ny: i32, nz: i32, ambient: f32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from + 1; k <= to; k++)
    for (let j = 1; j <= ny; j++) {
      const line = k * (ny + 2) + j
      const row = baseOf(spans, line, sx)
      const yb = baseOf(spans, line - 1, sx) - row, ya = baseOf(spans, line + 1, sx) - row
      const zb = baseOf(spans, line - ny - 2, sx) - row, za = baseOf(spans, line + ny + 2, sx) - row
      for (let i = firstOf(spans, line) + 1, stop = endOf(spans, line, nx, nx); i <= stop; i++) {
        const c = row + i
        // Most rows hold no solid: eight cells at a time, by their bytes none of which is 0.
        if (i + 7 <= stop && noneZero(load<u64>(flags + <usize>c))) {
          i += 7
          continue
        }
        if (load<u8>(flags + <usize>c) != SOLID) continue
        let sum: f32 = 0
        let n: f32 = 0
        if (load<u8>(flags + <usize>(c - 1)) == FLUID) { sum += load<f32>(p + ((<usize>(c - 1)) << 2)); n += 1 }
        if (load<u8>(flags + <usize>(c + 1)) == FLUID) { sum += load<f32>(p + ((<usize>(c + 1)) << 2)); n += 1 }
        if (load<u8>(flags + <usize>(c + yb)) == FLUID) { sum += load<f32>(p + ((<usize>(c + yb)) << 2)); n += 1 }
        if (load<u8>(flags + <usize>(c + ya)) == FLUID) { sum += load<f32>(p + ((<usize>(c + ya)) << 2)); n += 1 }
        if (load<u8>(flags + <usize>(c + zb)) == FLUID) { sum += load<f32>(p + ((<usize>(c + zb)) << 2)); n += 1 }
        if (load<u8>(flags + <usize>(c + za)) == FLUID) { sum += load<f32>(p + ((<usize>(c + za)) << 2)); n += 1 }
        store<f32>(p + ((<usize>c) << 2), n > 0 ? sum / n : ambient)
      }
    }
}

/**
 * p = value (times its row's factor; rows 0: 1) in the columns [from, to) of every array row, given by `wide`, two i32 a row, but for the cells of `inner` (spans; 0: none), which are written afterwards.
 * Slabs are array layers, nz + 2 of them.
 */
export function fillWide(p: usize, value: f32, rows: usize, wide: usize, inner: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from; k < to; k++)
    for (let j = firstRow(wide, k, ny, nz), end = endRow(wide, k, ny, nz); j < end; j++) {
      const row = k * (ny + 2) + j
      const held = rows ? value * load<f32>(rows + ((<usize>j) << 2)) : value
      const here = p + ((<usize>baseOf(wide, row, sx)) << 2)
      const start = startOf(wide, row), stop = stopOf(wide, row, sx)
      const low = inner ? startOf(inner, row) + 1 : stop, high = inner ? stopOf(inner, row, sx) + 1 : stop
      // Ghost layers are no cells, whatever the rows beside them hold.
      const skips = high > low && k > 0 && k <= nz && j > 0 && j <= ny
      const middle = skips ? low : stop
      fillRun(here, start, middle, held)
      if (skips) fillRun(here, high, stop, held)
    }
}

/** The same in what is stored (`wide`) outside the spans; ghosts beside what is worked on are left as they are. */
export function fillOutside(p: usize, value: f32, rows: usize, spans: usize, wide: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  for (let k = from; k < to; k++)
    for (let j = firstRow(wide, k, ny, nz), top = endRow(wide, k, ny, nz); j < top; j++) {
      const row = k * (ny + 2) + j
      const held = rows ? value * load<f32>(rows + ((<usize>j) << 2)) : value
      const first = firstOf(spans, row), end = endOf(spans, row, nx, sx)
      const start = startOf(wide, row), stop = stopOf(wide, row, sx)
      const here = p + ((<usize>baseOf(wide, row, sx)) << 2)
      if (end > first) {
        fillRun(here, start, first == 0 ? start : first + 1, held)
        fillRun(here, end + 1, stop, held)
      } else fillRun(here, start, stop, held)
    }
}

/** p = p x factor over `chunk` floats per slab item. */
export function scale(p: usize, factor: f32, chunk: i32, from: i32, to: i32): void {
  const start = p + ((<usize>(from * chunk)) << 2)
  const n = (to - from) * chunk
  for (let i = 0; i < n; i++) store<f32>(start + ((<usize>i) << 2), load<f32>(start + ((<usize>i) << 2)) * factor)
}

/**
 * The last faces across the upper side of axis `comp`: where air comes in through them, it comes from air that moves with `wind` (times its row's factor), a cell further out (share = dt / cell).
 * The lower side has a ghost layer that does the same. wide: what is stored; 0: all. Runs whole on one thread.
 */
export function calmInflow(p: usize, comp: i32, share: f32, wind: f32, rows: usize, wide: usize, nx: i32, ny: i32, nz: i32, from: i32, to: i32): void {
  const sx = nx + 2
  const na = comp == 0 ? ny : nx, nb = comp == 2 ? ny : nz
  for (let b = 1; b <= nb; b++)
    for (let a = 1; a <= na; a++) {
      const i = comp == 0 ? nx + 1 : a
      const j = comp == 0 ? a : comp == 1 ? ny + 1 : b
      const row = (comp == 2 ? nz + 1 : b) * (ny + 2) + j
      if (i < startOf(wide, row) || i >= stopOf(wide, row, sx)) continue
      const e = p + ((<usize>(baseOf(wide, row, sx) + i)) << 2)
      const u = load<f32>(e)
      const outside = rows ? wind * load<f32>(rows + ((<usize>j) << 2)) : wind
      if (u < 0) store<f32>(e, u + (outside - u) * min<f32>(1, -u * share))
    }
}

/** Eight vectors at the corners of a cell (a b c d: its lower x in order of y and z, 0 and 1: its two x) blended by fx, fy, fz. */
// @ts-ignore: decorator
@inline
export function mixed(a0: v128, a1: v128, b0: v128, b1: v128, c0: v128, c1: v128, d0: v128, d1: v128, fx: v128, fy: v128, fz: v128): v128 {
  const a = f32x4.add(a0, f32x4.mul(fx, f32x4.sub(a1, a0)))
  const b = f32x4.add(b0, f32x4.mul(fx, f32x4.sub(b1, b0)))
  const c = f32x4.add(c0, f32x4.mul(fx, f32x4.sub(c1, c0)))
  const d = f32x4.add(d0, f32x4.mul(fx, f32x4.sub(d1, d0)))
  const lo = f32x4.add(a, f32x4.mul(fy, f32x4.sub(b, a)))
  const hi = f32x4.add(c, f32x4.mul(fy, f32x4.sub(d, c)))
  return f32x4.add(lo, f32x4.mul(fz, f32x4.sub(hi, lo)))
}

/** Vector of a padded field of four floats a cell at array coordinates. */
// @ts-ignore: decorator
@inline
export function vectorAt(p: usize, x: f32, y: f32, z: f32, sx: i32, sxy: i32): v128 {
  const i = <i32>x, j = <i32>y, k = <i32>z
  const a = p + ((<usize>(k * sxy + j * sx + i)) << 4)
  const b = a + ((<usize>sx) << 4), c = a + ((<usize>sxy) << 4)
  const d = c + ((<usize>sx) << 4)
  return mixed(v128.load(a), v128.load(a, 16), v128.load(b), v128.load(b, 16), v128.load(c), v128.load(c, 16), v128.load(d), v128.load(d, 16), f32x4.splat(x - <f32>i), f32x4.splat(y - <f32>j), f32x4.splat(z - <f32>k))
}
