// Pictures of brightness (f32, rows from the top left, pixel centres at +0.5): their halves, sums over squares, even contrast, corners.

// @ts-ignore: decorator
@inline
export function at(image: usize, width: i32, height: i32, x: i32, y: i32): f32 {
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
  const line = (<usize>width) << 2
  for (let j = from; j < to; j++) {
    const inside = 2 * j >= 2 && 2 * j + 3 < height
    for (let i = 0; i < w; i++) {
      if (inside && i >= 1 && 2 * i + 9 < width && i + 4 <= w) {
        // Four at once: 12 columns summed down, then across.
        const p = image + ((<usize>((2 * j - 2) * width + 2 * i - 2)) << 2)
        const v0 = down(p, line), v1 = down(p + 16, line), v2 = down(p + 32, line)
        const even = v128.shuffle<f32>(v0, v1, 0, 2, 4, 6), odd = v128.shuffle<f32>(v0, v1, 1, 3, 5, 7)
        const t2 = v128.shuffle<f32>(even, v2, 1, 2, 3, 4), t3 = v128.shuffle<f32>(odd, v2, 1, 2, 3, 5)
        const t4 = v128.shuffle<f32>(even, v2, 2, 3, 4, 6), t5 = v128.shuffle<f32>(odd, v2, 2, 3, 5, 7)
        const all = f32x4.add(f32x4.add(f32x4.add(even, t5), f32x4.mul(f32x4.splat(5), f32x4.add(odd, t4))), f32x4.mul(f32x4.splat(10), f32x4.add(t2, t3)))
        v128.store(out + ((<usize>(j * w + i)) << 2), f32x4.mul(all, f32x4.splat(1.0 / 1024.0)))
        i += 3
        continue
      }
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
}
/** Four columns of six rows weighed 1 5 10 10 5 1. */
// @ts-ignore: decorator
@inline
function down(p: usize, line: usize): v128 {
  const outer = f32x4.add(v128.load(p), v128.load(p + 5 * line))
  const next = f32x4.add(v128.load(p + line), v128.load(p + 4 * line))
  const inner = f32x4.add(v128.load(p + 2 * line), v128.load(p + 3 * line))
  return f32x4.add(f32x4.add(outer, f32x4.mul(f32x4.splat(5), next)), f32x4.mul(f32x4.splat(10), inner))
}

/** Rows [from, to): sums over the 2 r + 1 pixels to either side, of values, and in a plane after that of squares. */
export function boxSums(image: usize, width: i32, height: i32, r: i32, out: usize, from: i32, to: i32): void {
  const plane = (<usize>(width * height)) << 2
  for (let j = from; j < to; j++) {
    let sum: f32 = 0, squares: f32 = 0
    for (let i = -r; i <= r; i++) {
      const v = at(image, width, height, i, j)
      sum += v; squares += v * v
    }
    for (let i = 0; i < width; i++) {
      const o = out + ((<usize>(j * width + i)) << 2)
      store<f32>(o, sum); store<f32>(o + plane, squares)
      const gone = at(image, width, height, i - r, j), come = at(image, width, height, i + r + 1, j)
      sum += come - gone; squares += come * come - gone * gone
    }
  }
}

/** Rows over which the sums of evenContrast run on; a launch's chunk must be this, so that every number of threads adds in the same order. */
const BAND = 32

/** Rows [from, to) with their local contrast evened out: (value - local mean) / (local spread + least), over squares of 2 r + 1. Four columns at once; the picture is 4 px wide or more. */
export function evenContrast(image: usize, sums: usize, width: i32, height: i32, r: i32, least: f32, out: usize, from: i32, to: i32): void {
  const share = f32x4.splat(1 / (<f32>((r << 1) + 1) * <f32>((r << 1) + 1)))
  const plane = (<usize>(width * height)) << 2
  const none = f32x4.splat(0), some = f32x4.splat(least)
  for (let start = from; start < to; start += BAND)
    for (let column = 0; column < width; column += 4) {
      // The last four overlap those before where the width is no multiple of four.
      const i = min(column, width - 4)
      let sum = none, squares = none
      for (let b = -r; b <= r; b++) {
        const o = sums + ((<usize>(min(max(start + b, 0), height - 1) * width + i)) << 2)
        sum = f32x4.add(sum, v128.load(o)); squares = f32x4.add(squares, v128.load(o + plane))
      }
      for (let j = start; j < min(start + BAND, to); j++) {
        const mean = f32x4.mul(sum, share)
        const spread = f32x4.sqrt(f32x4.max(none, f32x4.sub(f32x4.mul(squares, share), f32x4.mul(mean, mean))))
        const n = (<usize>(j * width + i)) << 2
        v128.store(out + n, f32x4.div(f32x4.sub(v128.load(image + n), mean), f32x4.add(spread, some)))
        const gone = sums + ((<usize>(min(max(j - r, 0), height - 1) * width + i)) << 2)
        const come = sums + ((<usize>(min(max(j + r + 1, 0), height - 1) * width + i)) << 2)
        sum = f32x4.add(sum, f32x4.sub(v128.load(come), v128.load(gone)))
        squares = f32x4.add(squares, f32x4.sub(v128.load(come + plane), v128.load(gone + plane)))
      }
    }
}

/** Rows [from, to) of the smaller eigenvalue of the slopes' products over 7 x 7 pixels (Shi & Tomasi 1994); nothing within 4 px of the edge. */
export function cornerStrength(image: usize, width: i32, height: i32, out: usize, from: i32, to: i32): void {
  const line = (<usize>width) << 2
  for (let j = from; j < to; j++) {
    memory.fill(out + (<usize>j) * line, 0, line)
    if (j < 4 || j >= height - 4 || width < 12) continue
    for (let column = 4; column < width - 4; column += 4) {
      const i = min(column, width - 8)
      let xx = f32x4.splat(0), xy = f32x4.splat(0), yy = f32x4.splat(0)
      for (let b = -3; b <= 3; b++) {
        let n = image + ((<usize>((j + b) * width + i - 3)) << 2)
        for (let a = -3; a <= 3; a++, n += 4) {
          const gx = f32x4.sub(v128.load(n, 4), v128.load(n - 4)), gy = f32x4.sub(v128.load(n + line), v128.load(n - line))
          xx = f32x4.add(xx, f32x4.mul(gx, gx)); xy = f32x4.add(xy, f32x4.mul(gx, gy)); yy = f32x4.add(yy, f32x4.mul(gy, gy))
        }
      }
      const half = f32x4.mul(f32x4.sub(xx, yy), f32x4.splat(0.5))
      const root = f32x4.sqrt(f32x4.add(f32x4.mul(half, half), f32x4.mul(xy, xy)))
      v128.store(out + ((<usize>(j * width + i)) << 2), f32x4.sub(f32x4.mul(f32x4.add(xx, yy), f32x4.splat(0.5)), root))
    }
  }
}
