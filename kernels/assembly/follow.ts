// Following features: pictures of brightness (f32, rows from the top left, pixel centres at +0.5) and their halves, corners, and patches found again.
//   level, 3 words: pointer, width, height.
//   feature, FEATURE_BYTES: f32 x, y (px of the finest level), the 2 x 2 way the first look lies in the frame now (a b c d), speed x y (px a frame),
//     then what the last call found: state (1 followed, 0 lost), likeness to the first look (-1 to 1), px off on the way back, brightness gain; from word 16 on the first look, 19 x 19.
export const FEATURE_BYTES: usize = 1536
const LOOK_AT: usize = 64
const HALF: i32 = 8
const LOOK: i32 = 19
/** Scratch of a launch's chunk: a look and its two slopes, and a 6 x 6 system. */
export const FOLLOW_SCRATCH: usize = 8192
const SYSTEM_AT: usize = 6144
/** The patch as it is seen lies before the system. */
const VALUES_BEFORE: usize = 2048

// @ts-ignore: decorator
@inline
function at(image: usize, width: i32, height: i32, x: i32, y: i32): f32 {
  const i = min(max(x, 0), width - 1), j = min(max(y, 0), height - 1)
  return load<f32>(image + ((<usize>(j * width + i)) << 2))
}

/** Root of the brightness of linear r g b: even steps look about even, and noise is about even. */
export function rootBrightness(rgb: usize, out: usize, from: i32, to: i32): void {
  for (let n = from; n < to; n++) {
    const p = rgb + (<usize>n) * 12
    store<f32>(out + ((<usize>n) << 2), sqrt(max<f32>(0, 0.2126 * load<f32>(p) + 0.7152 * load<f32>(p, 4) + 0.0722 * load<f32>(p, 8))))
  }
}

/** Rows [from, to) of a picture of half the size: weights 1 4 6 4 1 along both axes (Burt & Adelson 1983). */
export function halvePicture(image: usize, width: i32, height: i32, out: usize, from: i32, to: i32): void {
  const w = width >> 1
  for (let j = from; j < to; j++)
    for (let i = 0; i < w; i++) {
      let sum: f32 = 0
      for (let b = -2; b < 4; b++) {
        // An even number of taps keeps the middle between pixels 2 i and 2 i + 1: 1 5 10 10 5 1.
        const wb: f32 = b == -2 || b == 3 ? 1 : b == -1 || b == 2 ? 5 : 10
        let row: f32 = 0
        if (2 * i >= 2 && 2 * i + 3 < width) {
          const p = image + ((<usize>(min(max(2 * j + b, 0), height - 1) * width + 2 * i - 2)) << 2)
          row = load<f32>(p) + load<f32>(p, 20) + 5 * (load<f32>(p, 4) + load<f32>(p, 16)) + 10 * (load<f32>(p, 8) + load<f32>(p, 12))
        } else for (let a = -2; a < 4; a++) {
          const wa: f32 = a == -2 || a == 3 ? 1 : a == -1 || a == 2 ? 5 : 10
          row += wa * at(image, width, height, 2 * i + a, 2 * j + b)
        }
        sum += wb * row
      }
      store<f32>(out + ((<usize>(j * w + i)) << 2), sum * (1.0 / 1024.0))
    }
}

/** Rows [from, to): sums over the 2 r + 1 pixels to either side, of values and of squares, beside one another. */
export function boxSums(image: usize, width: i32, height: i32, r: i32, out: usize, from: i32, to: i32): void {
  for (let j = from; j < to; j++) {
    let sum: f32 = 0, squares: f32 = 0
    for (let i = -r; i <= r; i++) {
      const v = at(image, width, height, i, j)
      sum += v; squares += v * v
    }
    for (let i = 0; i < width; i++) {
      const o = out + ((<usize>(j * width + i)) << 3)
      store<f32>(o, sum); store<f32>(o, squares, 4)
      const gone = at(image, width, height, i - r, j), come = at(image, width, height, i + r + 1, j)
      sum += come - gone; squares += come * come - gone * gone
    }
  }
}

/** Rows over which the sums of evenContrast run on; a launch's chunk must be this, so that every number of threads adds in the same order. */
const BAND = 32

/** Rows [from, to) with their local contrast evened out: (value - local mean) / (local spread + least), over squares of 2 r + 1. */
export function evenContrast(image: usize, sums: usize, width: i32, height: i32, r: i32, least: f32, out: usize, from: i32, to: i32): void {
  const share: f32 = 1 / (<f32>((r << 1) + 1) * <f32>((r << 1) + 1))
  for (let start = from; start < to; start += BAND)
    for (let i = 0; i < width; i++) {
      let sum: f32 = 0, squares: f32 = 0
      for (let b = -r; b <= r; b++) {
        const o = sums + ((<usize>(min(max(start + b, 0), height - 1) * width + i)) << 3)
        sum += load<f32>(o); squares += load<f32>(o, 4)
      }
      for (let j = start; j < min(start + BAND, to); j++) {
        const mean = sum * share
        const spread = sqrt(max<f32>(0, squares * share - mean * mean))
        const n = (<usize>(j * width + i)) << 2
        store<f32>(out + n, (load<f32>(image + n) - mean) / (spread + least))
        const gone = sums + ((<usize>(min(max(j - r, 0), height - 1) * width + i)) << 3)
        const come = sums + ((<usize>(min(max(j + r + 1, 0), height - 1) * width + i)) << 3)
        sum += load<f32>(come) - load<f32>(gone); squares += load<f32>(come, 4) - load<f32>(gone, 4)
      }
    }
}

/** Rows [from, to) of the smaller eigenvalue of the slopes' products over 7 x 7 pixels (Shi & Tomasi 1994). */
export function cornerStrength(image: usize, width: i32, height: i32, out: usize, from: i32, to: i32): void {
  for (let j = from; j < to; j++)
    for (let i = 0; i < width; i++) {
      let xx: f32 = 0, xy: f32 = 0, yy: f32 = 0
      if (i >= 4 && j >= 4 && i < width - 4 && j < height - 4)
        for (let b = -3; b <= 3; b++) {
          let n = image + ((<usize>((j + b) * width + i - 3)) << 2)
          const line = (<usize>width) << 2
          for (let a = -3; a <= 3; a++, n += 4) {
            const gx = load<f32>(n, 4) - load<f32>(n - 4), gy = load<f32>(n + line) - load<f32>(n - line)
            xx += gx * gx; xy += gx * gy; yy += gy * gy
          }
        }
      const half = (xx - yy) * 0.5
      store<f32>(out + ((<usize>(j * width + i)) << 2), (xx + yy) * 0.5 - sqrt(half * half + xy * xy))
    }
}

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
  for (let b = 0; b < LOOK; b++) for (let a = 0; a < LOOK; a++) store<f32>(out + ((<usize>(b * LOOK + a)) << 2), cubic(image, width, height, x + <f32>(a - HALF - 1), y + <f32>(b - HALF - 1)))
}

// Weight of a place in the patch: the middle counts most.
// @ts-ignore: decorator
@inline
function window(i: i32, j: i32): f32 { return 1 - <f32>(i * i + j * j) * (0.5 / <f32>((HALF + 1) * (HALF + 1))) }

// Weighted mean and spread of a look.
let lookMean: f32 = 0, lookSpread: f32 = 0, lookWeight: f32 = 0
function measureLook(look: usize): void {
  let sum: f32 = 0, squares: f32 = 0, weight: f32 = 0
  for (let j = -HALF; j <= HALF; j++)
    for (let i = -HALF; i <= HALF; i++) {
      const v = load<f32>(look + ((<usize>((j + HALF + 1) * LOOK + i + HALF + 1)) << 2)), w = window(i, j)
      weight += w; sum += w * v; squares += w * v * v
    }
  lookMean = sum / weight
  lookSpread = sqrt(max<f32>(1e-12, squares / weight - lookMean * lookMean))
  lookWeight = weight
}

let foundX: f32 = 0, foundY: f32 = 0
let likeness: f32 = 0, gain: f32 = 1

/** Finds a look again, moved only, near (foundX, foundY); gain and offset of brightness are taken out. False when there is no slope to follow or it runs away. */
function findMoved(look: usize, image: usize, width: i32, height: i32, most: i32, close: f32): bool {
  measureLook(look)
  const mean = lookMean, spread = lookSpread
  let xx: f32 = 0, xy: f32 = 0, yy: f32 = 0
  for (let j = -HALF; j <= HALF; j++)
    for (let i = -HALF; i <= HALF; i++) {
      const p = look + ((<usize>((j + HALF + 1) * LOOK + i + HALF + 1)) << 2), w = window(i, j)
      const gx = (load<f32>(p, 4) - load<f32>(p - 4)) * 0.5, gy = (load<f32>(p, <usize>LOOK * 4) - load<f32>(p - <usize>LOOK * 4)) * 0.5
      xx += w * gx * gx; xy += w * gx * gy; yy += w * gy * gy
    }
  const det = xx * yy - xy * xy
  if (!(det > 1e-10 * (xx + yy) * (xx + yy)) || xx + yy < 1e-10) return false
  const x0 = foundX, y0 = foundY
  for (let step = 0; step < most; step++) {
    let sum: f32 = 0, squares: f32 = 0, both: f32 = 0
    let bx: f32 = 0, by: f32 = 0, tx: f32 = 0, ty: f32 = 0, sx: f32 = 0, sy: f32 = 0
    for (let j = -HALF; j <= HALF; j++)
      for (let i = -HALF; i <= HALF; i++) {
        const p = look + ((<usize>((j + HALF + 1) * LOOK + i + HALF + 1)) << 2), w = window(i, j)
        const t = load<f32>(p) - mean
        const gx = w * (load<f32>(p, 4) - load<f32>(p - 4)) * 0.5, gy = w * (load<f32>(p, <usize>LOOK * 4) - load<f32>(p - <usize>LOOK * 4)) * 0.5
        const v = linear(image, width, height, foundX + <f32>i, foundY + <f32>j)
        sum += w * v; squares += w * v * v; both += w * v * t
        bx += gx * v; by += gy * v
        tx += gx * t; ty += gy * t
        sx += gx; sy += gy
      }
    const m = sum / lookWeight
    const s = sqrt(max<f32>(1e-12, squares / lookWeight - m * m))
    likeness = both / (lookWeight * s * spread)
    gain = s / spread
    const k = spread / s
    // Slopes times (k (v - m) - t).
    const ex = k * (bx - m * sx) - tx, ey = k * (by - m * sy) - ty
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

/** Finds a feature's first look again, moved, turned, scaled and sheared (inverse compositional, Baker & Matthews 2004), from where it is written; writes the better place and way. */
function findLook(f: usize, image: usize, width: i32, height: i32, system: usize): bool {
  const look = f + LOOK_AT
  const values = system - VALUES_BEFORE
  measureLook(look)
  const mean = lookMean, spread = lookSpread
  memory.fill(system, 0, 336)
  for (let j = -HALF; j <= HALF; j++)
    for (let i = -HALF; i <= HALF; i++) {
      const p = look + ((<usize>((j + HALF + 1) * LOOK + i + HALF + 1)) << 2), w = window(i, j)
      const gx = (load<f32>(p, 4) - load<f32>(p - 4)) * 0.5, gy = (load<f32>(p, <usize>LOOK * 4) - load<f32>(p - <usize>LOOK * 4)) * 0.5
      for (let r = 0; r < 6; r++) {
        const a = part(r, gx, gy, i, j) * w
        for (let c = 0; c <= r; c++) {
          const o = system + ((<usize>(r * 6 + c)) << 3)
          store<f64>(o, load<f64>(o) + <f64>(a * part(c, gx, gy, i, j)))
        }
      }
    }
  // A little stiffness against turning and scaling where the look says nothing about it.
  for (let r = 2; r < 6; r++) {
    const o = system + ((<usize>(r * 7)) << 3)
    store<f64>(o, load<f64>(o) * 1.02 + 1e-9)
  }
  if (!factor6(system)) return false
  let x = load<f32>(f), y = load<f32>(f, 4), a = load<f32>(f, 8), b = load<f32>(f, 12), c = load<f32>(f, 16), d = load<f32>(f, 20)
  for (let step = 0; step < 25; step++) {
    let sum: f32 = 0, squares: f32 = 0, both: f32 = 0
    for (let j = -HALF; j <= HALF; j++)
      for (let i = -HALF; i <= HALF; i++) {
        const w = window(i, j)
        const v = cubic(image, width, height, x + a * <f32>i + b * <f32>j, y + c * <f32>i + d * <f32>j)
        store<f32>(values + ((<usize>((j + HALF) * 17 + i + HALF)) << 2), v)
        sum += w * v; squares += w * v * v
        both += w * v * (load<f32>(look + ((<usize>((j + HALF + 1) * LOOK + i + HALF + 1)) << 2)) - mean)
      }
    const m = sum / lookWeight
    const s = sqrt(max<f32>(1e-12, squares / lookWeight - m * m))
    likeness = both / (lookWeight * s * spread)
    gain = s / spread
    const k = spread / s
    const right = system + 288
    memory.fill(right, 0, 48)
    for (let j = -HALF; j <= HALF; j++)
      for (let i = -HALF; i <= HALF; i++) {
        const p = look + ((<usize>((j + HALF + 1) * LOOK + i + HALF + 1)) << 2)
        const gx = (load<f32>(p, 4) - load<f32>(p - 4)) * 0.5, gy = (load<f32>(p, <usize>LOOK * 4) - load<f32>(p - <usize>LOOK * 4)) * 0.5
        const e = window(i, j) * (k * (load<f32>(values + ((<usize>((j + HALF) * 17 + i + HALF)) << 2)) - m) - (load<f32>(p) - mean))
        for (let r = 0; r < 6; r++) {
          const o = right + ((<usize>r) << 3)
          store<f64>(o, load<f64>(o) + <f64>(part(r, gx, gy, i, j) * e))
        }
      }
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
    if (dx * dx + dy * dy < 4e-6) break
    if (!(abs(x - load<f32>(f)) < 4 && abs(y - load<f32>(f, 4)) < 4)) return false
  }
  const size = a * d - b * c
  if (!(size > 0.3 && size < 3.3 && a * a + c * c < 5 && b * b + d * d < 5)) return false
  store<f32>(f, x); store<f32>(f, y, 4); store<f32>(f, a, 8); store<f32>(f, b, 12); store<f32>(f, c, 16); store<f32>(f, d, 20)
  return true
}
// @ts-ignore: decorator
@inline
function part(r: i32, gx: f32, gy: f32, i: i32, j: i32): f32 {
  return r == 0 ? gx : r == 1 ? gy : r == 2 ? gx * <f32>i : r == 3 ? gx * <f32>j : r == 4 ? gy * <f32>i : gy * <f32>j
}

/** Finds a place of one pyramid again in another, from coarse to fine, starting `speed` away; in foundX, foundY. */
function findThrough(before: usize, now: usize, levels: i32, x: f32, y: f32, speedX: f32, speedY: f32, scratch: usize): bool {
  let dx = speedX, dy = speedY
  for (let level = levels - 1; level >= 0; level--) {
    const scale: f32 = 1 / <f32>(1 << level)
    const p = before + (<usize>level) * 12, q = now + (<usize>level) * 12
    look(<usize>load<u32>(p), load<i32>(p, 4), load<i32>(p, 8), x * scale, y * scale, scratch)
    foundX = (x + dx) * scale; foundY = (y + dy) * scale
    if (!findMoved(scratch, <usize>load<u32>(q), load<i32>(q, 4), load<i32>(q, 8), 14, level ? 0.04 : 0.01)) {
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
    if (!findLook(f, <usize>load<u32>(now), width, height, scratch + SYSTEM_AT)) {
      store<f32>(f, x); store<f32>(f, y, 4)
      continue
    }
    store<f32>(f, load<f32>(f) - x, 24); store<f32>(f, load<f32>(f, 4) - y, 28)
    store<f32>(f, likeness, 36); store<f32>(f, gain, 44)
    store<f32>(f, 1, 32)
  }
}
