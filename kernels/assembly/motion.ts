import { refineMotion } from './motionRefine'

// Dense motion from one picture of brightness to the next: inverse search (Kroeger et al. 2016) from coarse to fine, each level refined by motionRefine.ts.
// A direction is a block of words: levels, result (2 planes of the finest level), scratch, patch descents; then per level from the finest: first picture, second, width, height.
// Pictures here have a rim of RIM pixels on all sides; scratch holds SCRATCH_PLANES planes of the finest level with that rim.
const RIM: i32 = 16
const PATCH: i32 = 8
const STRIDE: i32 = 3
const AREA: f32 = 64
/** How far a patch may lie outside. */
const LEAST: f32 = -15

// @ts-ignore: decorator
@inline
function sumOf(v: v128): f32 {
  return f32x4.extract_lane(v, 0) + f32x4.extract_lane(v, 1) + (f32x4.extract_lane(v, 2) + f32x4.extract_lane(v, 3))
}

/** A level as the search has it. */
let first: usize = 0, second: usize = 0, wide: i32 = 0, high: i32 = 0, line: usize = 0
let across: i32 = 0, downward: i32 = 0
let slopeX: usize = 0, slopeY: usize = 0, patches: usize = 0
/** What comparing a patch found. */
let sumDX: f32 = 0, sumDY: f32 = 0, misfit: f32 = 0

/** Compares the patch at (x, y) with the second picture moved by (u, v): misfit, the sum of squared differences less their mean's; sums of differences with the slopes. */
function compare(x: i32, y: i32, u: f32, v: f32): void {
  const px: f32 = min<f32>(max<f32>(<f32>x + u, LEAST), <f32>(wide + RIM - PATCH - 2))
  const py: f32 = min<f32>(max<f32>(<f32>y + v, LEAST), <f32>(high + RIM - PATCH - 2))
  const i = <i32>Mathf.floor(px), j = <i32>Mathf.floor(py)
  const fx = px - <f32>i, fy = py - <f32>j
  const a = f32x4.splat((1 - fx) * (1 - fy)), b = f32x4.splat(fx * (1 - fy)), c = f32x4.splat((1 - fx) * fy), d = f32x4.splat(fx * fy)
  let there = second + ((<usize>(j * <i32>(line >> 2) + i)) << 2)
  const at = (<usize>(y * <i32>(line >> 2) + x)) << 2
  let here = first + at, gx = slopeX + at, gy = slopeY + at
  let sum = f32x4.splat(0), squares = f32x4.splat(0), withX = f32x4.splat(0), withY = f32x4.splat(0)
  for (let row = 0; row < PATCH; row++) {
    const next = there + line
    let e = f32x4.add(f32x4.add(f32x4.mul(a, v128.load(there)), f32x4.mul(b, v128.load(there, 4))), f32x4.add(f32x4.mul(c, v128.load(next)), f32x4.mul(d, v128.load(next, 4))))
    e = f32x4.sub(e, v128.load(here))
    sum = f32x4.add(sum, e)
    squares = f32x4.add(squares, f32x4.mul(e, e))
    withX = f32x4.add(withX, f32x4.mul(e, v128.load(gx)))
    withY = f32x4.add(withY, f32x4.mul(e, v128.load(gy)))
    let g = f32x4.add(f32x4.add(f32x4.mul(a, v128.load(there, 16)), f32x4.mul(b, v128.load(there, 20))), f32x4.add(f32x4.mul(c, v128.load(next, 16)), f32x4.mul(d, v128.load(next, 20))))
    g = f32x4.sub(g, v128.load(here, 16))
    sum = f32x4.add(sum, g)
    squares = f32x4.add(squares, f32x4.mul(g, g))
    withX = f32x4.add(withX, f32x4.mul(g, v128.load(gx, 16)))
    withY = f32x4.add(withY, f32x4.mul(g, v128.load(gy, 16)))
    there = next; here += line; gx += line; gy += line
  }
  const total = sumOf(sum)
  misfit = sumOf(squares) - total * total / AREA
  sumDX = sumOf(withX); sumDY = sumOf(withY)
  mean = total / AREA
}
let mean: f32 = 0
/** Sums over a patch's slopes: themselves, and their products less their means'. */
let gxSum: f32 = 0, gySum: f32 = 0, hxx: f32 = 0, hxy: f32 = 0, hyy: f32 = 0
function patchSlopes(x: i32, y: i32): void {
  let p = slopeX + ((<usize>(y * <i32>(line >> 2) + x)) << 2), q = slopeY + ((<usize>(y * <i32>(line >> 2) + x)) << 2)
  let sx = f32x4.splat(0), sy = f32x4.splat(0), xx = f32x4.splat(0), xy = f32x4.splat(0), yy = f32x4.splat(0)
  for (let row = 0; row < PATCH; row++) {
    for (let k: usize = 0; k < 32; k += 16) {
      const g = v128.load(p + k), h = v128.load(q + k)
      sx = f32x4.add(sx, g); sy = f32x4.add(sy, h)
      xx = f32x4.add(xx, f32x4.mul(g, g)); xy = f32x4.add(xy, f32x4.mul(g, h)); yy = f32x4.add(yy, f32x4.mul(h, h))
    }
    p += line; q += line
  }
  gxSum = sumOf(sx); gySum = sumOf(sy)
  hxx = sumOf(xx) - gxSum * gxSum / AREA; hxy = sumOf(xy) - gxSum * gySum / AREA; hyy = sumOf(yy) - gySum * gySum / AREA
}

// @ts-ignore: decorator
@inline
function placeOf(n: i32, size: i32): i32 { return min(n * STRIDE, size - PATCH) }
// @ts-ignore: decorator
@inline
function patchAt(i: i32, j: i32): usize { return patches + ((<usize>(j * across + i)) << 4) }

/** Makes one patch's motion better: the best of its own and two neighbours', then descents until the misfit rises. Words of a patch: u, v, where it began. */
function descend(i: i32, j: i32, di: i32, dj: i32, steps: i32): void {
  const x = placeOf(i, wide), y = placeOf(j, high)
  const own = patchAt(i, j)
  let u = load<f32>(own), v = load<f32>(own, 4)
  compare(x, y, u, v)
  let best = misfit
  if (i + di >= 0 && i + di < across) {
    const other = patchAt(i + di, j), a = load<f32>(other), b = load<f32>(other, 4)
    compare(x, y, a, b)
    if (misfit < best) { best = misfit; u = a; v = b }
  }
  if (j + dj >= 0 && j + dj < downward) {
    const other = patchAt(i, j + dj), a = load<f32>(other), b = load<f32>(other, 4)
    compare(x, y, a, b)
    if (misfit < best) { best = misfit; u = a; v = b }
  }
  const u0 = u, v0 = v
  patchSlopes(x, y)
  // A little is added where a patch has no slopes along a way.
  const xx = hxx + 1, yy = hyy + 1, det = xx * yy - hxy * hxy
  if (det > 1e-3) {
    compare(x, y, u, v)
    for (let n = 0; n < steps; n++) {
      const bx = sumDX - mean * gxSum, by = sumDY - mean * gySum
      const du = (yy * bx - hxy * by) / det, dv = (xx * by - hxy * bx) / det
      compare(x, y, u - du, v - dv)
      if (!(misfit < best)) break
      best = misfit; u -= du; v -= dv
      if (du * du + dv * dv < 1e-4) break
    }
    const gone = (u - u0) * (u - u0) + (v - v0) * (v - v0)
    if (!(gone <= <f32>(PATCH * PATCH))) { u = u0; v = v0 }
  }
  store<f32>(own, u); store<f32>(own, v, 4)
}

/** Slopes of the first picture by central differences, with its rim (zero on the outermost). */
function slopes(): void {
  const rows = high + 2 * RIM, columns = <i32>(line >> 2)
  const start = first - ((<usize>(RIM * columns + RIM)) << 2)
  const ox = slopeX - ((<usize>(RIM * columns + RIM)) << 2), oy = slopeY - ((<usize>(RIM * columns + RIM)) << 2)
  memory.fill(ox, 0, (<usize>(rows * columns)) << 2)
  memory.fill(oy, 0, (<usize>(rows * columns)) << 2)
  for (let j = 1; j < rows - 1; j++)
    for (let i = 1; i < columns - 1; i++) {
      const at = (<usize>(j * columns + i)) << 2, p = start + at
      store<f32>(ox + at, 0.5 * (load<f32>(p, 4) - load<f32>(p - 4)))
      store<f32>(oy + at, 0.5 * (load<f32>(p + line) - load<f32>(p - line)))
    }
}

/** Every pixel's motion: the mean of the patches over it, those counting less whose pixel differs (Kroeger et al., eq. 8). */
function densify(flowU: usize, flowV: usize, weights: usize): void {
  const size = (<usize>(wide * high)) << 2
  memory.fill(flowU, 0, size); memory.fill(flowV, 0, size); memory.fill(weights, 0, size)
  for (let j = 0; j < downward; j++)
    for (let i = 0; i < across; i++) {
      const x = placeOf(i, wide), y = placeOf(j, high)
      const u = load<f32>(patchAt(i, j)), v = load<f32>(patchAt(i, j), 4)
      const px: f32 = min<f32>(max<f32>(<f32>x + u, LEAST), <f32>(wide + RIM - PATCH - 2))
      const py: f32 = min<f32>(max<f32>(<f32>y + v, LEAST), <f32>(high + RIM - PATCH - 2))
      const k = <i32>Mathf.floor(px), l = <i32>Mathf.floor(py)
      const fx = px - <f32>k, fy = py - <f32>l
      const a = f32x4.splat((1 - fx) * (1 - fy)), b = f32x4.splat(fx * (1 - fy)), c = f32x4.splat((1 - fx) * fy), d = f32x4.splat(fx * fy)
      compare(x, y, u, v)
      const off = f32x4.splat(mean), one = f32x4.splat(1), us = f32x4.splat(u), vs = f32x4.splat(v)
      let there = second + ((<usize>(l * <i32>(line >> 2) + k)) << 2), here = first + ((<usize>(y * <i32>(line >> 2) + x)) << 2)
      for (let row = 0; row < PATCH; row++) {
        const next = there + line
        for (let n: usize = 0; n < 32; n += 16) {
          let e = f32x4.add(f32x4.add(f32x4.mul(a, v128.load(there + n)), f32x4.mul(b, v128.load(there + n, 4))), f32x4.add(f32x4.mul(c, v128.load(next + n)), f32x4.mul(d, v128.load(next + n, 4))))
          e = f32x4.sub(f32x4.sub(e, v128.load(here + n)), off)
          const w = f32x4.div(one, f32x4.max(one, f32x4.abs(e)))
          const at = ((<usize>((y + row) * wide + x)) << 2) + n
          v128.store(weights + at, f32x4.add(v128.load(weights + at), w))
          v128.store(flowU + at, f32x4.add(v128.load(flowU + at), f32x4.mul(w, us)))
          v128.store(flowV + at, f32x4.add(v128.load(flowV + at), f32x4.mul(w, vs)))
        }
        there = next; here += line
      }
    }
  for (let n: usize = 0; n < size; n += 4) {
    const w = load<f32>(weights + n)
    store<f32>(flowU + n, load<f32>(flowU + n) / w)
    store<f32>(flowV + n, load<f32>(flowV + n) / w)
  }
}

/** What a coarser level (w x h) found, at a place of this one, px of this one. */
// @ts-ignore: decorator
@inline
function coarser(plane: usize, w: i32, h: i32, x: f32, y: f32): f32 {
  const a: f32 = min<f32>(max<f32>(0.5 * x - 0.25, 0), <f32>(w - 1)), b: f32 = min<f32>(max<f32>(0.5 * y - 0.25, 0), <f32>(h - 1))
  const i = min(<i32>a, w - 2), j = min(<i32>b, h - 2)
  const fx = a - <f32>i, fy = b - <f32>j
  const p = plane + ((<usize>(j * w + i)) << 2), q = p + ((<usize>w) << 2)
  return 2 * ((load<f32>(p) * (1 - fx) + load<f32>(p, 4) * fx) * (1 - fy) + (load<f32>(q) * (1 - fx) + load<f32>(q, 4) * fx) * fy)
}

/** Motion of directions [from, to). */
export function denseMotion(job: usize, words: i32, from: i32, to: i32): void {
  for (let n = from; n < to; n++) {
    const block = job + ((<usize>(n * words)) << 2)
    const levels = <i32>load<u32>(block), steps = <i32>load<u32>(block, 12)
    const result = <usize>load<u32>(block, 4), scratch = <usize>load<u32>(block, 8)
    const finest = block + 16
    const plane = (((<usize>((<i32>load<u32>(finest, 8) + 2 * RIM) * (<i32>load<u32>(finest, 12) + 2 * RIM))) << 2) + 63) & ~63
    let beforeW = 0, beforeH = 0
    for (let level = levels - 1; level >= 0; level--) {
      const at = block + 16 + ((<usize>level) << 4)
      wide = <i32>load<u32>(at, 8); high = <i32>load<u32>(at, 12)
      line = (<usize>(wide + 2 * RIM)) << 2
      const inset = (<usize>RIM) * line + ((<usize>RIM) << 2)
      first = (<usize>load<u32>(at)) + inset; second = (<usize>load<u32>(at, 4)) + inset
      slopeX = scratch + inset; slopeY = scratch + plane + inset
      across = (wide - PATCH + STRIDE - 1) / STRIDE + 1; downward = (high - PATCH + STRIDE - 1) / STRIDE + 1
      patches = scratch + 2 * plane
      const flowU = scratch + 4 * plane, flowV = flowU + plane, weights = flowV + plane
      slopes()
      for (let j = 0; j < downward; j++)
        for (let i = 0; i < across; i++) {
          const p = patchAt(i, j)
          const x = <f32>placeOf(i, wide) + 3.5, y = <f32>placeOf(j, high) + 3.5
          store<f32>(p, beforeW ? coarser(flowU, beforeW, beforeH, x, y) : 0)
          store<f32>(p, beforeW ? coarser(flowV, beforeW, beforeH, x, y) : 0, 4)
        }
      for (let j = 0; j < downward; j++) for (let i = 0; i < across; i++) descend(i, j, -1, -1, steps)
      for (let j = downward - 1; j >= 0; j--) for (let i = across - 1; i >= 0; i--) descend(i, j, 1, 1, steps)
      densify(flowU, flowV, weights)
      refineMotion(first, second, line, wide, high, flowU, flowV, scratch, scratch + 6 * plane, plane)
      beforeW = wide; beforeH = high
    }
    const size = (<usize>(wide * high)) << 2
    memory.copy(result, scratch + 4 * plane, size)
    memory.copy(result + size, scratch + 5 * plane, size)
  }
}
