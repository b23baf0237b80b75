import { at } from './brightness'

// Following features: patches of pictures of brightness (brightness.ts) found again.
//   level, 3 words: pointer, width, height.
//   feature, FEATURE_BYTES: f32 x, y (px of the finest level), the 2 x 2 way the first look lies in the frame now (a b c d), speed x y (px a frame),
//     then what the last call found: state (1 followed, 0 lost), likeness to the first look (-1 to 1), px off on the way back, brightness gain; from word 16 on the first look, 19 x 19.
export const FEATURE_BYTES: usize = 1536
const LOOK_AT: usize = 64
const HALF: i32 = 8
const LOOK: i32 = 19
/** Scratch of a launch's chunk: a look, a 6 x 6 system, and planes of 17 rows of 20 (the last three columns weigh nothing, so that rows go in fours). */
export const FOLLOW_SCRATCH: usize = 24576
const SYSTEM_AT: usize = 6144
const PLANES_AT: usize = 8192
const ROW: i32 = 20
const PLANE: usize = 1360
/** Planes: the patch as it is seen; of the look: value less its mean, weight, weighted slopes, weighted products of slopes. */
const V: usize = PLANES_AT, T: usize = V + PLANE, W: usize = T + PLANE, GX: usize = W + PLANE, GY: usize = GX + PLANE, XX: usize = GY + PLANE, XY: usize = XX + PLANE, YY: usize = XY + PLANE

// @ts-ignore: decorator
@inline
function linear(image: usize, width: i32, height: i32, x: f32, y: f32): f32 {
  const u = x - 0.5, v = y - 0.5
  const i = <i32>Mathf.floor(u), j = <i32>Mathf.floor(v)
  const fx = u - <f32>i, fy = v - <f32>j
  if (i >= 0 && j >= 0 && i < width - 1 && j < height - 1) {
    const p = image + ((<usize>(j * width + i)) << 2), q = p + ((<usize>width) << 2)
    return (load<f32>(p) * (1 - fx) + load<f32>(p, 4) * fx) * (1 - fy) + (load<f32>(q) * (1 - fx) + load<f32>(q, 4) * fx) * fy
  }
  return (at(image, width, height, i, j) * (1 - fx) + at(image, width, height, i + 1, j) * fx) * (1 - fy) + (at(image, width, height, i, j + 1) * (1 - fx) + at(image, width, height, i + 1, j + 1) * fx) * fy
}

/** Catmull–Rom: what lies between pixels, without the softness of straight lines. */
function cubic(image: usize, width: i32, height: i32, x: f32, y: f32): f32 {
  const u = x - 0.5, v = y - 0.5
  const i = <i32>Mathf.floor(u), j = <i32>Mathf.floor(v)
  const t = u - <f32>i, s = v - <f32>j
  const a0: f32 = ((-0.5 * t + 1) * t - 0.5) * t, a1: f32 = (1.5 * t - 2.5) * t * t + 1, a2: f32 = ((-1.5 * t + 2) * t + 0.5) * t, a3: f32 = (0.5 * t - 0.5) * t * t
  let sum: f32 = 0
  if (i >= 1 && j >= 1 && i < width - 2 && j < height - 2) {
    const line = (<usize>width) << 2
    let p = image + ((<usize>((j - 1) * width + i - 1)) << 2)
    const across = f32x4.replace_lane(f32x4.replace_lane(f32x4.replace_lane(f32x4.splat(a0), 1, a1), 2, a2), 3, a3)
    const b0: f32 = ((-0.5 * s + 1) * s - 0.5) * s, b1: f32 = (1.5 * s - 2.5) * s * s + 1, b2: f32 = ((-1.5 * s + 2) * s + 0.5) * s, b3: f32 = (0.5 * s - 0.5) * s * s
    let all = f32x4.mul(v128.load(p), f32x4.splat(b0))
    p += line
    all = f32x4.add(all, f32x4.mul(v128.load(p), f32x4.splat(b1)))
    p += line
    all = f32x4.add(all, f32x4.mul(v128.load(p), f32x4.splat(b2)))
    p += line
    all = f32x4.add(all, f32x4.mul(v128.load(p), f32x4.splat(b3)))
    all = f32x4.mul(all, across)
    return (f32x4.extract_lane(all, 0) + f32x4.extract_lane(all, 1)) + (f32x4.extract_lane(all, 2) + f32x4.extract_lane(all, 3))
  }
  for (let b = -1; b <= 2; b++) {
    const w: f32 = b == -1 ? ((-0.5 * s + 1) * s - 0.5) * s : b == 0 ? (1.5 * s - 2.5) * s * s + 1 : b == 1 ? ((-1.5 * s + 2) * s + 0.5) * s : (0.5 * s - 0.5) * s * s
    sum += w * (a0 * at(image, width, height, i - 1, j + b) + a1 * at(image, width, height, i, j + b) + a2 * at(image, width, height, i + 1, j + b) + a3 * at(image, width, height, i + 2, j + b))
  }
  return sum
}

/** Takes the first looks of features [from, to) at their places. */
export function takeLooks(image: usize, width: i32, height: i32, features: usize, from: i32, to: i32): void {
  for (let n = from; n < to; n++) {
    const f = features + (<usize>n) * FEATURE_BYTES
    look(image, width, height, load<f32>(f), load<f32>(f, 4), f + LOOK_AT)
    store<f32>(f, 1, 8); store<f32>(f, 0, 12); store<f32>(f, 0, 16); store<f32>(f, 1, 20)
  }
}
function look(image: usize, width: i32, height: i32, x: f32, y: f32, out: usize): void {
  const u = x - 0.5 - <f32>(HALF + 1), v = y - 0.5 - <f32>(HALF + 1)
  const i0 = <i32>Mathf.floor(u), j0 = <i32>Mathf.floor(v)
  if (i0 >= 1 && j0 >= 1 && i0 + LOOK + 5 < width && j0 + LOOK + 2 < height) {
    // All places lie alike between pixels: four of a row at once.
    const t = u - <f32>i0, s = v - <f32>j0
    const a0 = f32x4.splat(((-0.5 * t + 1) * t - 0.5) * t), a1 = f32x4.splat((1.5 * t - 2.5) * t * t + 1), a2 = f32x4.splat(((-1.5 * t + 2) * t + 0.5) * t), a3 = f32x4.splat((0.5 * t - 0.5) * t * t)
    const b0 = f32x4.splat(((-0.5 * s + 1) * s - 0.5) * s), b1 = f32x4.splat((1.5 * s - 2.5) * s * s + 1), b2 = f32x4.splat(((-1.5 * s + 2) * s + 0.5) * s), b3 = f32x4.splat((0.5 * s - 0.5) * s * s)
    const line = (<usize>width) << 2
    for (let b = 0; b < LOOK; b++)
      for (let a = 0; a < LOOK; a += 4) {
        // The last four overlap those before.
        const c = min(a, LOOK - 4)
        let p = image + ((<usize>((j0 + b - 1) * width + i0 + c - 1)) << 2)
        const r0 = across(p, a0, a1, a2, a3), r1 = across(p + line, a0, a1, a2, a3), r2 = across(p + 2 * line, a0, a1, a2, a3), r3 = across(p + 3 * line, a0, a1, a2, a3)
        v128.store(out + ((<usize>(b * LOOK + c)) << 2), f32x4.add(f32x4.add(f32x4.mul(r0, b0), f32x4.mul(r1, b1)), f32x4.add(f32x4.mul(r2, b2), f32x4.mul(r3, b3))))
      }
    return
  }
  for (let b = 0; b < LOOK; b++) for (let a = 0; a < LOOK; a++) store<f32>(out + ((<usize>(b * LOOK + a)) << 2), cubic(image, width, height, x + <f32>(a - HALF - 1), y + <f32>(b - HALF - 1)))
}

// @ts-ignore: decorator
@inline
function across(p: usize, a0: v128, a1: v128, a2: v128, a3: v128): v128 {
  return f32x4.add(f32x4.add(f32x4.mul(v128.load(p), a0), f32x4.mul(v128.load(p, 4), a1)), f32x4.add(f32x4.mul(v128.load(p, 8), a2), f32x4.mul(v128.load(p, 12), a3)))
}
// @ts-ignore: decorator
@inline
function total(v: v128): f32 {
  return (f32x4.extract_lane(v, 0) + f32x4.extract_lane(v, 1)) + (f32x4.extract_lane(v, 2) + f32x4.extract_lane(v, 3))
}

// Weight of a place in the patch: the middle counts most.
// @ts-ignore: decorator
@inline
function window(i: i32, j: i32): f32 { return 1 - <f32>(i * i + j * j) * (0.5 / <f32>((HALF + 1) * (HALF + 1))) }

// Weighted mean and spread of a look.
let lookMean: f32 = 0, lookSpread: f32 = 0, lookWeight: f32 = 0
/** Measures a look and lays out its planes in the scratch. */
function prepare(look: usize, scratch: usize): void {
  let sum: f32 = 0, squares: f32 = 0, weight: f32 = 0
  memory.fill(scratch + T, 0, 7 * PLANE)
  for (let j = 0; j <= 2 * HALF; j++) {
    let p = look + ((<usize>((j + 1) * LOOK + 1)) << 2)
    let o = scratch + ((<usize>(j * ROW)) << 2)
    for (let i = 0; i <= 2 * HALF; i++, p += 4, o += 4) {
      const v = load<f32>(p), w = window(i - HALF, j - HALF)
      const gx = (load<f32>(p, 4) - load<f32>(p - 4)) * 0.5, gy = (load<f32>(p, <usize>LOOK * 4) - load<f32>(p - <usize>LOOK * 4)) * 0.5
      weight += w; sum += w * v; squares += w * v * v
      store<f32>(o + W, w); store<f32>(o + T, v)
      store<f32>(o + GX, w * gx); store<f32>(o + GY, w * gy)
      store<f32>(o + XX, w * gx * gx); store<f32>(o + XY, w * gx * gy); store<f32>(o + YY, w * gy * gy)
    }
  }
  lookMean = sum / weight
  lookSpread = sqrt(max<f32>(1e-12, squares / weight - lookMean * lookMean))
  lookWeight = weight
  const mean = f32x4.splat(lookMean)
  for (let n: usize = 0; n < PLANE; n += 16) v128.store(scratch + T + n, f32x4.sub(v128.load(scratch + T + n), mean))
}

let foundX: f32 = 0, foundY: f32 = 0
let likeness: f32 = 0, gain: f32 = 1

/** The patch round (x, y) into its plane, by straight lines between pixels. */
function readMoved(image: usize, width: i32, height: i32, x: f32, y: f32, scratch: usize): void {
  const u = x - 0.5, v = y - 0.5
  const i0 = <i32>Mathf.floor(u) - HALF, j0 = <i32>Mathf.floor(v) - HALF
  if (i0 >= 0 && j0 >= 0 && i0 + ROW < width && j0 + 2 * HALF + 1 < height) {
    const fx = u - Mathf.floor(u), fy = v - Mathf.floor(v)
    const a = f32x4.splat((1 - fx) * (1 - fy)), b = f32x4.splat(fx * (1 - fy)), c = f32x4.splat((1 - fx) * fy), d = f32x4.splat(fx * fy)
    const line = (<usize>width) << 2
    for (let j = 0; j <= 2 * HALF; j++) {
      let p = image + ((<usize>((j0 + j) * width + i0)) << 2)
      const o = scratch + V + ((<usize>(j * ROW)) << 2)
      for (let n: usize = 0; n < 80; n += 16, p += 16) v128.store(o + n, f32x4.add(f32x4.add(f32x4.mul(v128.load(p), a), f32x4.mul(v128.load(p, 4), b)), f32x4.add(f32x4.mul(v128.load(p + line), c), f32x4.mul(v128.load(p + line, 4), d))))
    }
    return
  }
  for (let j = 0; j <= 2 * HALF; j++) for (let i = 0; i < ROW; i++) store<f32>(scratch + V + ((<usize>(j * ROW + i)) << 2), linear(image, width, height, x + <f32>(i - HALF), y + <f32>(j - HALF)))
}

/** Finds a look again, moved only, near (foundX, foundY); gain and offset of brightness are taken out. False when there is no slope to follow or it runs away. */
function findMoved(look: usize, image: usize, width: i32, height: i32, most: i32, close: f32, scratch: usize): bool {
  prepare(look, scratch)
  const spread = lookSpread, weight = lookWeight
  let vxx = f32x4.splat(0), vxy = vxx, vyy = vxx, vtx = vxx, vty = vxx, vsx = vxx, vsy = vxx
  for (let n: usize = 0; n < PLANE; n += 16) {
    const o = scratch + n
    const t = v128.load(o + T), gx = v128.load(o + GX), gy = v128.load(o + GY)
    vxx = f32x4.add(vxx, v128.load(o + XX)); vxy = f32x4.add(vxy, v128.load(o + XY)); vyy = f32x4.add(vyy, v128.load(o + YY))
    vtx = f32x4.add(vtx, f32x4.mul(gx, t)); vty = f32x4.add(vty, f32x4.mul(gy, t))
    vsx = f32x4.add(vsx, gx); vsy = f32x4.add(vsy, gy)
  }
  const xx = total(vxx), xy = total(vxy), yy = total(vyy), tx = total(vtx), ty = total(vty), sx = total(vsx), sy = total(vsy)
  const det = xx * yy - xy * xy
  if (!(det > 1e-10 * (xx + yy) * (xx + yy)) || xx + yy < 1e-10) return false
  const x0 = foundX, y0 = foundY
  for (let step = 0; step < most; step++) {
    readMoved(image, width, height, foundX, foundY, scratch)
    let vs = f32x4.splat(0), vq = vs, vb = vs, vx = vs, vy = vs
    for (let n: usize = 0; n < PLANE; n += 16) {
      const o = scratch + n
      const v = v128.load(o + V)
      const wv = f32x4.mul(v128.load(o + W), v)
      vs = f32x4.add(vs, wv); vq = f32x4.add(vq, f32x4.mul(wv, v)); vb = f32x4.add(vb, f32x4.mul(wv, v128.load(o + T)))
      vx = f32x4.add(vx, f32x4.mul(v128.load(o + GX), v)); vy = f32x4.add(vy, f32x4.mul(v128.load(o + GY), v))
    }
    const m = total(vs) / weight
    const s = sqrt(max<f32>(1e-12, total(vq) / weight - m * m))
    likeness = total(vb) / (weight * s * spread)
    gain = s / spread
    const k = spread / s
    // Slopes times (k (v - m) - t).
    const ex = k * (total(vx) - m * sx) - tx, ey = k * (total(vy) - m * sy) - ty
    const dx = (yy * ex - xy * ey) / det, dy = (xx * ey - xy * ex) / det
    foundX -= dx; foundY -= dy
    if (abs(foundX - x0) > 24 || abs(foundY - y0) > 24) return false
    if (dx * dx + dy * dy < close * close) break
  }
  return true
}

/** Cholesky's factor of a 6 x 6 matrix in place (f64, rows; a right side lies after it). */
function factor6(m: usize): bool {
  for (let j = 0; j < 6; j++)
    for (let i = j; i < 6; i++) {
      let sum = load<f64>(m + ((<usize>(i * 6 + j)) << 3))
      for (let k = 0; k < j; k++) sum -= load<f64>(m + ((<usize>(i * 6 + k)) << 3)) * load<f64>(m + ((<usize>(j * 6 + k)) << 3))
      if (i == j) {
        if (!(sum > 1e-14)) return false
        store<f64>(m + ((<usize>(i * 6 + j)) << 3), sqrt(sum))
      } else store<f64>(m + ((<usize>(i * 6 + j)) << 3), sum / load<f64>(m + ((<usize>(j * 6 + j)) << 3)))
    }
  return true
}
function substitute6(m: usize): void {
  const b = m + 288
  for (let i = 0; i < 6; i++) {
    let sum = load<f64>(b + ((<usize>i) << 3))
    for (let k = 0; k < i; k++) sum -= load<f64>(m + ((<usize>(i * 6 + k)) << 3)) * load<f64>(b + ((<usize>k) << 3))
    store<f64>(b + ((<usize>i) << 3), sum / load<f64>(m + ((<usize>(i * 7)) << 3)))
  }
  for (let i = 5; i >= 0; i--) {
    let sum = load<f64>(b + ((<usize>i) << 3))
    for (let k = i + 1; k < 6; k++) sum -= load<f64>(m + ((<usize>(k * 6 + i)) << 3)) * load<f64>(b + ((<usize>k) << 3))
    store<f64>(b + ((<usize>i) << 3), sum / load<f64>(m + ((<usize>(i * 7)) << 3)))
  }
}

// @ts-ignore: decorator
@inline
function put(system: usize, r: i32, c: i32, value: f32): void { store<f64>(system + ((<usize>(r * 6 + c)) << 3), <f64>value) }

/** Normal matrix of turning and scaling about a look's middle: parts gx, gy, gx i, gx j, gy i, gy j (its lower half). */
function writeAffineSystem(scratch: usize, system: usize): void {
  const none = f32x4.splat(0)
  let xx = none, xy = none, yy = none, xxi = none, xyi = none, yyi = none, xxj = none, xyj = none, yyj = none
  let xxii = none, xyii = none, yyii = none, xxij = none, xyij = none, yyij = none, xxjj = none, xyjj = none, yyjj = none
  for (let row = 0; row <= 2 * HALF; row++) {
    const j = f32x4.splat(<f32>(row - HALF))
    let i = f32x4.add(f32x4.splat(<f32>-HALF), f32x4(0, 1, 2, 3))
    const o = scratch + ((<usize>(row * ROW)) << 2)
    for (let n: usize = 0; n < 80; n += 16, i = f32x4.add(i, f32x4.splat(4))) {
      const a = v128.load(o + XX + n), b = v128.load(o + XY + n), c = v128.load(o + YY + n)
      const ai = f32x4.mul(a, i), bi = f32x4.mul(b, i), ci = f32x4.mul(c, i), aj = f32x4.mul(a, j), bj = f32x4.mul(b, j), cj = f32x4.mul(c, j)
      xx = f32x4.add(xx, a); xy = f32x4.add(xy, b); yy = f32x4.add(yy, c)
      xxi = f32x4.add(xxi, ai); xyi = f32x4.add(xyi, bi); yyi = f32x4.add(yyi, ci)
      xxj = f32x4.add(xxj, aj); xyj = f32x4.add(xyj, bj); yyj = f32x4.add(yyj, cj)
      xxii = f32x4.add(xxii, f32x4.mul(ai, i)); xyii = f32x4.add(xyii, f32x4.mul(bi, i)); yyii = f32x4.add(yyii, f32x4.mul(ci, i))
      xxij = f32x4.add(xxij, f32x4.mul(ai, j)); xyij = f32x4.add(xyij, f32x4.mul(bi, j)); yyij = f32x4.add(yyij, f32x4.mul(ci, j))
      xxjj = f32x4.add(xxjj, f32x4.mul(aj, j)); xyjj = f32x4.add(xyjj, f32x4.mul(bj, j)); yyjj = f32x4.add(yyjj, f32x4.mul(cj, j))
    }
  }
  put(system, 0, 0, total(xx))
  put(system, 1, 0, total(xy)); put(system, 1, 1, total(yy))
  put(system, 2, 0, total(xxi)); put(system, 2, 1, total(xyi)); put(system, 2, 2, total(xxii))
  put(system, 3, 0, total(xxj)); put(system, 3, 1, total(xyj)); put(system, 3, 2, total(xxij)); put(system, 3, 3, total(xxjj))
  put(system, 4, 0, total(xyi)); put(system, 4, 1, total(yyi)); put(system, 4, 2, total(xyii)); put(system, 4, 3, total(xyij)); put(system, 4, 4, total(yyii))
  put(system, 5, 0, total(xyj)); put(system, 5, 1, total(yyj)); put(system, 5, 2, total(xyij)); put(system, 5, 3, total(xyjj)); put(system, 5, 4, total(yyij)); put(system, 5, 5, total(yyjj))
}

/** Finds a feature's first look again, moved, turned, scaled and sheared (inverse compositional, Baker & Matthews 2004), from where it is written; writes the better place and way. */
function findLook(f: usize, image: usize, width: i32, height: i32, scratch: usize): bool {
  const system = scratch + SYSTEM_AT
  prepare(f + LOOK_AT, scratch)
  const spread = lookSpread, weight = lookWeight
  memory.fill(system, 0, 336)
  writeAffineSystem(scratch, system)
  // A little stiffness against turning and scaling where the look says nothing about it.
  for (let r = 2; r < 6; r++) {
    const o = system + ((<usize>(r * 7)) << 3)
    store<f64>(o, load<f64>(o) * 1.02 + 1e-9)
  }
  if (!factor6(system)) return false
  let x = load<f32>(f), y = load<f32>(f, 4), a = load<f32>(f, 8), b = load<f32>(f, 12), c = load<f32>(f, 16), d = load<f32>(f, 20)
  for (let step = 0; step < 25; step++) {
    for (let j = -HALF; j <= HALF; j++) {
      let o = scratch + V + ((<usize>((j + HALF) * ROW)) << 2)
      for (let i = -HALF; i <= HALF; i++, o += 4) store<f32>(o, cubic(image, width, height, x + a * <f32>i + b * <f32>j, y + c * <f32>i + d * <f32>j))
    }
    let vs = f32x4.splat(0), vq = vs, vb = vs
    for (let n: usize = 0; n < PLANE; n += 16) {
      const o = scratch + n
      const v = v128.load(o + V)
      const wv = f32x4.mul(v128.load(o + W), v)
      vs = f32x4.add(vs, wv); vq = f32x4.add(vq, f32x4.mul(wv, v)); vb = f32x4.add(vb, f32x4.mul(wv, v128.load(o + T)))
    }
    const m = total(vs) / weight
    const s = sqrt(max<f32>(1e-12, total(vq) / weight - m * m))
    likeness = total(vb) / (weight * s * spread)
    gain = s / spread
    const k = spread / s
    const middle = f32x4.splat(m), times = f32x4.splat(k)
    let rx = f32x4.splat(0), ry = rx, rxi = rx, rxj = rx, ryi = rx, ryj = rx
    for (let row = 0; row <= 2 * HALF; row++) {
      const j = f32x4.splat(<f32>(row - HALF))
      let i = f32x4.add(f32x4.splat(<f32>-HALF), f32x4(0, 1, 2, 3))
      const o = scratch + ((<usize>(row * ROW)) << 2)
      let ex = f32x4.splat(0), ey = ex
      for (let n: usize = 0; n < 80; n += 16, i = f32x4.add(i, f32x4.splat(4))) {
        const e = f32x4.sub(f32x4.mul(times, f32x4.sub(v128.load(o + V + n), middle)), v128.load(o + T + n))
        const gx = f32x4.mul(v128.load(o + GX + n), e), gy = f32x4.mul(v128.load(o + GY + n), e)
        ex = f32x4.add(ex, gx); ey = f32x4.add(ey, gy)
        rxi = f32x4.add(rxi, f32x4.mul(gx, i)); ryi = f32x4.add(ryi, f32x4.mul(gy, i))
      }
      rx = f32x4.add(rx, ex); ry = f32x4.add(ry, ey)
      rxj = f32x4.add(rxj, f32x4.mul(ex, j)); ryj = f32x4.add(ryj, f32x4.mul(ey, j))
    }
    const right = system + 288
    store<f64>(right, <f64>total(rx)); store<f64>(right, <f64>total(ry), 8); store<f64>(right, <f64>total(rxi), 16)
    store<f64>(right, <f64>total(rxj), 24); store<f64>(right, <f64>total(ryi), 32); store<f64>(right, <f64>total(ryj), 40)
    substitute6(system)
    const tx = <f32>load<f64>(right), ty = <f32>load<f64>(right, 8)
    const ma: f32 = 1 + <f32>load<f64>(right, 16), mb = <f32>load<f64>(right, 24), mc = <f32>load<f64>(right, 32), md: f32 = 1 + <f32>load<f64>(right, 40)
    const det = ma * md - mb * mc
    if (!(det > 0.2)) return false
    // The way now, after the inverse of what was found.
    const ia = md / det, ib = -mb / det, ic = -mc / det, id = ma / det
    const ux = ia * tx + ib * ty, uy = ic * tx + id * ty
    const dx = a * ux + b * uy, dy = c * ux + d * uy
    x -= dx; y -= dy
    const na = a * ia + b * ic, nb = a * ib + b * id, nc = c * ia + d * ic, nd = c * ib + d * id
    a = na; b = nb; c = nc; d = nd
    if (dx * dx + dy * dy < 9e-6) break
    if (!(abs(x - load<f32>(f)) < 4 && abs(y - load<f32>(f, 4)) < 4)) return false
  }
  const size = a * d - b * c
  if (!(size > 0.3 && size < 3.3 && a * a + c * c < 5 && b * b + d * d < 5)) return false
  store<f32>(f, x); store<f32>(f, y, 4); store<f32>(f, a, 8); store<f32>(f, b, 12); store<f32>(f, c, 16); store<f32>(f, d, 20)
  return true
}

/** Finds a place of one pyramid again in another, from coarse to fine, starting `speed` away; in foundX, foundY. */
function findThrough(before: usize, now: usize, levels: i32, x: f32, y: f32, speedX: f32, speedY: f32, scratch: usize): bool {
  let dx = speedX, dy = speedY
  for (let level = levels - 1; level >= 0; level--) {
    const scale: f32 = 1 / <f32>(1 << level)
    const p = before + (<usize>level) * 12, q = now + (<usize>level) * 12
    look(<usize>load<u32>(p), load<i32>(p, 4), load<i32>(p, 8), x * scale, y * scale, scratch)
    foundX = (x + dx) * scale; foundY = (y + dy) * scale
    if (!findMoved(scratch, <usize>load<u32>(q), load<i32>(q, 4), load<i32>(q, 8), 14, level ? 0.04 : 0.01, scratch)) {
      // A coarse level may show nothing to follow; the finer ones decide.
      if (level == 0) return false
      continue
    }
    dx = foundX / scale - x; dy = foundY / scale - y
  }
  return true
}

/** Follows features [from, to) from one picture into the next. chunk: items of a launch's chunk, each with its own scratch. */
export function followFeatures(before: usize, now: usize, levels: i32, features: usize, scratches: usize, chunk: i32, from: i32, to: i32): void {
  const scratch = scratches + (<usize>(from / chunk)) * FOLLOW_SCRATCH
  const width = load<i32>(now, 4), height = load<i32>(now, 8)
  for (let n = from; n < to; n++) {
    const f = features + (<usize>n) * FEATURE_BYTES
    const x = load<f32>(f), y = load<f32>(f, 4)
    store<f32>(f, 0, 32); store<f32>(f, -1, 36); store<f32>(f, 1e9, 40)
    if (!findThrough(before, now, levels, x, y, load<f32>(f, 24), load<f32>(f, 28), scratch)) continue
    const px = foundX, py = foundY
    if (!(px > 2 && py > 2 && px < <f32>width - 2 && py < <f32>height - 2)) continue
    if (!findThrough(now, before, min(levels, 2), px, py, x - px, y - py, scratch)) continue
    const back = sqrt((foundX - x) * (foundX - x) + (foundY - y) * (foundY - y))
    store<f32>(f, back, 40)
    store<f32>(f, px); store<f32>(f, py, 4)
    if (!findLook(f, <usize>load<u32>(now), width, height, scratch)) {
      store<f32>(f, x); store<f32>(f, y, 4)
      continue
    }
    store<f32>(f, load<f32>(f) - x, 24); store<f32>(f, load<f32>(f, 4) - y, 28)
    store<f32>(f, likeness, 36); store<f32>(f, gain, 44)
    store<f32>(f, 1, 32)
  }
}
