// What lens and air do to a picture of four floats a pixel: defocus, and shimmer over heat.

/** Running sums of each row, from 0 before its first pixel: (width + 1) x 4 doubles a row. Items are rows. */
export function rowSums(sums: usize, image: usize, width: i32, from: i32, to: i32): void {
  for (let y = from; y < to; y++) {
    const row = sums + ((<usize>(y * (width + 1))) << 5)
    let a: f64 = 0, b: f64 = 0, c: f64 = 0, d: f64 = 0
    for (let x = 0; x <= width; x++) {
      const o = row + ((<usize>x) << 5)
      store<f64>(o, a)
      store<f64>(o, b, 8)
      store<f64>(o, c, 16)
      store<f64>(o, d, 24)
      if (x == width) break
      const p = image + ((<usize>(y * width + x)) << 4)
      a += load<f32>(p)
      b += load<f32>(p, 4)
      c += load<f32>(p, 8)
      d += load<f32>(p, 12)
    }
  }
}

/** A channel's sum from 0 to a place in a row, between pixels too. */
// @ts-ignore: decorator
@inline
function sumTo(row: usize, at: f64, width: i32, lane: usize): f64 {
  const n = min<i32>(width - 1, <i32>at)
  const o = row + ((<usize>n) << 5) + (lane << 3)
  const a = load<f64>(o), b = load<f64>(o, 32)
  return a + (at - <f64>n) * (b - a)
}

/** Mean over a disc: dst from the sums of src's rows. halves: half the disc's width in each of 2 x rows + 1 rows, px, f32. Only what lies within the picture counts. Items are rows. */
export function discBlur(dst: usize, sums: usize, halves: usize, rows: i32, width: i32, height: i32, from: i32, to: i32): void {
  for (let y = from; y < to; y++)
    for (let x = 0; x < width; x++) {
      let a: f64 = 0, b: f64 = 0, c: f64 = 0, d: f64 = 0, area: f64 = 0
      for (let k = -rows; k <= rows; k++) {
        const half: f64 = load<f32>(halves + ((<usize>(k + rows)) << 2))
        if (y + k < 0 || y + k >= height || half <= 0) continue
        const row = sums + ((<usize>((y + k) * (width + 1))) << 5)
        const left = max<f64>(0, <f64>x + 0.5 - half), right = min<f64>(<f64>width, <f64>x + 0.5 + half)
        area += right - left
        a += sumTo(row, right, width, 0) - sumTo(row, left, width, 0)
        b += sumTo(row, right, width, 1) - sumTo(row, left, width, 1)
        c += sumTo(row, right, width, 2) - sumTo(row, left, width, 2)
        d += sumTo(row, right, width, 3) - sumTo(row, left, width, 3)
      }
      const inv: f64 = 1 / max<f64>(1e-9, area)
      v128.store(dst + ((<usize>(y * width + x)) << 4), f32x4(<f32>(a * inv), <f32>(b * inv), <f32>(c * inv), <f32>(d * inv)))
    }
}

// @ts-ignore: decorator
@inline
function hashed(x: i32, y: i32, z: i32, c: i32): f32 {
  let h = <u32>(x * 0x9e3779b1 + y * 0x85ebca77 + z * 0xc2b2ae3d + c * 0x27d4eb2f)
  h = (h ^ (h >>> 16)) * 0x85ebca6b
  h = (h ^ (h >>> 13)) * 0xc2b2ae35
  h = h ^ (h >>> 16)
  return <f32>(h >>> 8) / 8388608 - 1
}
// @ts-ignore: decorator
@inline
function rounded(t: f32): f32 { return t * t * (3 - 2 * t) }
/**
 * Smooth noise of mean 0 between -1 and 1 over cells of one unit, at one time: its values at the cells' corners, two of them each (c and c + 2), for rows from `first` on. z: time in lives. Items are rows of cells.
 */
export function eddyGrid(grid: usize, columns: i32, first: i32, z: f32, c: i32, from: i32, to: i32): void {
  const k = <i32>floor(z)
  const w = rounded(z - <f32>k)
  for (let j = from; j < to; j++)
    for (let i = 0; i < columns; i++)
      for (let n = 0; n < 2; n++) {
        const channel = c + 2 * n
        const value: f32 = hashed(i, first + j, k, channel) * (1 - w) + hashed(i, first + j, k + 1, channel) * w
        store<f32>(grid + ((<usize>(2 * (j * columns + i) + n)) << 2), value)
      }
}
/** A row of such noise at a height y, for so many columns; `first`: the grid's first row. */
function eddyRow(table: usize, grid: usize, columns: i32, first: i32, y: f32): void {
  const j = <i32>floor(y)
  const v = rounded(y - <f32>j)
  const near = grid + ((<usize>(2 * (j - first) * columns)) << 2), far = near + ((<usize>(2 * columns)) << 2)
  for (let i: usize = 0; i < <usize>(2 * columns); i++) store<f32>(table + (i << 2), load<f32>(near + (i << 2)) * (1 - v) + load<f32>(far + (i << 2)) * v)
}
/** Noise of a row between its columns. */
// @ts-ignore: decorator
@inline
function eddy(table: usize, x: f32, n: usize): f32 {
  const i = <i32>x
  const at = table + ((<usize>(2 * i)) << 2) + (n << 2)
  const a = load<f32>(at), b = load<f32>(at, 8)
  return a + rounded(x - <f32>i) * (b - a)
}

/** What the second, finer eddies are to the first: how much smaller. */
const SMALLER: f32 = 2.1

/**
 * A picture seen through hot air: each pixel is taken from where its ray is bent to, gain x the gradient of heat, and fine x heat in small eddies that rise. Where there is no heat dst is src to the bit.
 * heat: metres of hot air in lane 0. gain: px of shift per metre of heat a px; fine: px of shift per metre of heat; inv: 1 over the eddies' size, 1/px; risen: how far they have risen, px.
 * eddies, finerEddies: their grids, of larger and finer ones (eddyGrid), of so many columns (first, second), from the rows of cells top and finerTop on. rows: room for the eddies of each row: 2 x (first + second) floats. Items are rows.
 */
export function shimmer(dst: usize, src: usize, heat: usize, rows: usize, gain: f32, fine: f32, inv: f32, risen: f32, eddies: usize, finerEddies: usize, top: i32, finerTop: i32, first: i32, second: i32, width: i32, height: i32, from: i32, to: i32): void {
  for (let y = from; y < to; y++) {
    const table = rows + ((<usize>(2 * y * (first + second))) << 2), finer = table + ((<usize>(2 * first)) << 2)
    let made = false
    for (let x = 0; x < width; x++) {
      const o = (<usize>(y * width + x)) << 4
      const up = (<usize>(max(0, y - 1) * width + x)) << 4, down = (<usize>(min(height - 1, y + 1) * width + x)) << 4
      const left = (<usize>(y * width + max(0, x - 1))) << 4, right = (<usize>(y * width + min(width - 1, x + 1))) << 4
      const h = load<f32>(heat + o)
      let dx: f32 = 0.5 * gain * (load<f32>(heat + right) - load<f32>(heat + left)), dy: f32 = 0.5 * gain * (load<f32>(heat + down) - load<f32>(heat + up))
      if (h > 0 && fine > 0) {
        if (!made) {
          const v: f32 = (<f32>y + risen) * inv
          eddyRow(table, eddies, first, top, v)
          eddyRow(finer, finerEddies, second, finerTop, SMALLER * v)
          made = true
        }
        const u: f32 = <f32>x * inv
        dx += fine * h * (eddy(table, u, 0) + 0.5 * eddy(finer, SMALLER * u, 0))
        dy += fine * h * (eddy(table, u, 1) + 0.5 * eddy(finer, SMALLER * u, 1))
      }
      if (dx == 0 && dy == 0) {
        v128.store(dst + o, v128.load(src + o))
        continue
      }
      const px = max<f32>(0, min<f32>(<f32>(width - 1), <f32>x + dx)), py = max<f32>(0, min<f32>(<f32>(height - 1), <f32>y + dy))
      const i = min(max(0, width - 2), <i32>px), j = min(max(0, height - 2), <i32>py)
      const fx = f32x4.splat(px - <f32>i), fy = f32x4.splat(py - <f32>j)
      const a = src + ((<usize>(j * width + i)) << 4), b = src + ((<usize>(min(height - 1, j + 1) * width + i)) << 4)
      const step: usize = i + 1 < width ? 16 : 0
      const top = v128.load(a), low = v128.load(b)
      const upper = f32x4.add(top, f32x4.mul(fx, f32x4.sub(v128.load(a + step), top)))
      const lower = f32x4.add(low, f32x4.mul(fx, f32x4.sub(v128.load(b + step), low)))
      v128.store(dst + o, f32x4.replace_lane(f32x4.add(upper, f32x4.mul(fy, f32x4.sub(lower, upper))), 3, f32x4.extract_lane(v128.load(src + o), 3)))
    }
  }
}

/** What an image holds between its pixels; nothing outside it. */
// @ts-ignore: decorator
@inline
function between(src: usize, u: f32, v: f32, width: i32, height: i32): v128 {
  const i = <i32>floor(u), j = <i32>floor(v)
  const fx = u - <f32>i, fy = v - <f32>j
  let sum = f32x4.splat(0)
  for (let b = 0; b < 2; b++)
    for (let a = 0; a < 2; a++) {
      if (i + a < 0 || j + b < 0 || i + a >= width || j + b >= height) continue
      const share: f32 = (a ? fx : 1 - fx) * (b ? fy : 1 - fy)
      sum = f32x4.add(sum, f32x4.mul(f32x4.splat(share), v128.load(src + ((<usize>((j + b) * width + i + a)) << 4))))
    }
  return sum
}

/**
 * Draws an image out along its motion: each pixel is the mean over its way, half of it before and half behind. Nothing lies outside. ways: how far each pixel goes while the shutter is open, px across and down in lanes 0 and 1.
 * samples: along each way; 0: one a pixel of its length, at most `most`. Items are rows.
 */
export function drawOut(dst: usize, src: usize, ways: usize, samples: i32, most: i32, width: i32, height: i32, from: i32, to: i32): void {
  for (let y = from; y < to; y++)
    for (let x = 0; x < width; x++) {
      const o = (<usize>(y * width + x)) << 4
      const u = load<f32>(ways + o), v = load<f32>(ways + o, 4)
      const long: f32 = sqrt(u * u + v * v)
      if (long < 0.05) {
        v128.store(dst + o, v128.load(src + o))
        continue
      }
      const count = samples > 0 ? samples : min(most, 1 + <i32>ceil(long))
      const step: f32 = 1 / <f32>count
      let sum = f32x4.splat(0)
      for (let k = 0; k < count; k++) {
        const t: f32 = (<f32>k + 0.5) * step - 0.5
        sum = f32x4.add(sum, between(src, <f32>x + t * u, <f32>y + t * v, width, height))
      }
      v128.store(dst + o, f32x4.mul(f32x4.splat(step), sum))
    }
}

/**
 * Takes grain out of an image where it varies no more than that: each value goes towards the mean of the nine round it, by how much of their variance is noise (local statistics, Lee 1980). Edges and texture stay.
 * law: 7 floats: noise variance at nothing r g b, more of it a brightness r g b, how much is taken (1 all). Alpha, the fourth lane, stays; colours are premultiplied. Items are rows.
 */
export function calmGrain(dst: usize, src: usize, law: usize, width: i32, height: i32, from: i32, to: i32): void {
  const floor = f32x4(load<f32>(law), load<f32>(law, 4), load<f32>(law, 8), 0), slope = f32x4(load<f32>(law, 12), load<f32>(law, 16), load<f32>(law, 20), 0)
  const amount = f32x4.splat(load<f32>(law, 24)), ninth = f32x4.splat(1.0 / 9.0), none = f32x4.splat(0), one = f32x4.splat(1)
  for (let y = from; y < to; y++)
    for (let x = 0; x < width; x++) {
      const o = (<usize>(y * width + x)) << 4
      const v = v128.load(src + o)
      const alpha = f32x4.extract_lane(v, 3)
      if (alpha <= 0) {
        v128.store(dst + o, v)
        continue
      }
      let sum = none, squares = none
      for (let j = max(0, y - 1); j <= min(height - 1, y + 1); j++)
        for (let i = max(0, x - 1); i <= min(width - 1, x + 1); i++) {
          const w = v128.load(src + ((<usize>(j * width + i)) << 4))
          sum = f32x4.add(sum, w)
          squares = f32x4.add(squares, f32x4.mul(w, w))
        }
      const mean = f32x4.mul(sum, ninth)
      const variance = f32x4.pmax(none, f32x4.sub(f32x4.mul(squares, ninth), f32x4.mul(mean, mean)))
      const noise = f32x4.mul(f32x4.splat(alpha * alpha), f32x4.add(floor, f32x4.mul(slope, f32x4.pmax(none, mean))))
      const share = f32x4.pmin(one, f32x4.div(noise, f32x4.pmax(f32x4.splat(1e-12), variance)))
      const calm = f32x4.add(v, f32x4.mul(f32x4.mul(amount, share), f32x4.sub(mean, v)))
      v128.store(dst + o, f32x4.replace_lane(calm, 3, alpha))
    }
}
