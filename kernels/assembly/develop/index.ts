// Developing the demo's plates: lens, grain and curve over planes of light. Every sum is in doubles and in the order of its plain twin (demo/src/lens.ts, sensor.ts), so that the bits are the same.
// In a module of its own with memory of its own: the drawing's kernels, and what hangs on them, stay as they are.

// @ts-ignore: decorator
@inline
const DIGIT: u32 = 0x85ebca77

// @ts-ignore: decorator
@inline
function doubles(at: usize): v128 { return f64x2.promote_low_f32x4(v128.load64_zero(at)) }

// @ts-ignore: decorator
@inline
function put(at: usize, v: v128): void { v128.store64_lane(at, f32x4.demote_f64x2_zero(v), 0) }

/** Rows of a plane as the sum of four neighbours each: from, the first one's place in the row with two repeated at either end; weights, four f32 a place. */
export function scaleRows(plane: usize, out: usize, from: usize, weights: usize, padded: usize, width: i32, height: i32): void {
  for (let y = 0; y < height; y++) {
    const line = plane + ((<usize>(y * width)) << 2), to = out + ((<usize>(y * width)) << 2)
    pad(line, padded, width, 2)
    for (let x = 0; x < width; x++) {
      const at = padded + ((<usize>load<i32>(from + ((<usize>x) << 2))) << 2), w = weights + ((<usize>x) << 4)
      const sum = <f64>load<f32>(w) * <f64>load<f32>(at) + <f64>load<f32>(w, 4) * <f64>load<f32>(at, 4) + <f64>load<f32>(w, 8) * <f64>load<f32>(at, 8) + <f64>load<f32>(w, 12) * <f64>load<f32>(at, 12)
      store<f32>(to + ((<usize>x) << 2), <f32>sum)
    }
  }
}

// @ts-ignore: decorator
@inline
function pad(line: usize, padded: usize, width: i32, reach: i32): void {
  const last = line + ((<usize>(width - 1)) << 2)
  for (let k = 0; k < reach; k++) {
    store<f32>(padded + ((<usize>k) << 2), load<f32>(line))
    store<f32>(padded + ((<usize>(width + reach + k)) << 2), load<f32>(last))
  }
  memory.copy(padded + ((<usize>reach) << 2), line, (<usize>width) << 2)
}

/** The same down the columns: from as for rows, edges repeated. Width even. */
export function scaleColumns(plane: usize, out: usize, from: usize, weights: usize, width: i32, height: i32): void {
  for (let y = 0; y < height; y++) {
    const first = load<i32>(from + ((<usize>y) << 2)) - 2, w = weights + ((<usize>y) << 4)
    const a = lineAt(plane, first, width, height), b = lineAt(plane, first + 1, width, height), c = lineAt(plane, first + 2, width, height), d = lineAt(plane, first + 3, width, height)
    const wa = f64x2.splat(<f64>load<f32>(w)), wb = f64x2.splat(<f64>load<f32>(w, 4)), wc = f64x2.splat(<f64>load<f32>(w, 8)), wd = f64x2.splat(<f64>load<f32>(w, 12))
    const to = out + ((<usize>(y * width)) << 2)
    for (let o: usize = 0; o < ((<usize>width) << 2); o += 8)
      put(to + o, f64x2.add(f64x2.add(f64x2.add(f64x2.mul(wa, doubles(a + o)), f64x2.mul(wb, doubles(b + o))), f64x2.mul(wc, doubles(c + o))), f64x2.mul(wd, doubles(d + o))))
  }
}

// @ts-ignore: decorator
@inline
function lineAt(plane: usize, y: i32, width: i32, height: i32): usize { return plane + ((<usize>(min(max(y, 0), height - 1) * width)) << 2) }

/** A blur of three weights along both axes, in place; edges repeat. between: a plane to work in. Width even. */
export function blurThree(plane: usize, between: usize, padded: usize, w0: f64, w1: f64, w2: f64, width: i32, height: i32): void {
  const a = f64x2.splat(w0), b = f64x2.splat(w1), c = f64x2.splat(w2)
  const bytes = (<usize>width) << 2
  for (let y = 0; y < height; y++) {
    pad(plane + (<usize>y) * bytes, padded, width, 1)
    const to = between + (<usize>y) * bytes
    for (let o: usize = 0; o < bytes; o += 8) put(to + o, f64x2.add(f64x2.add(f64x2.mul(a, doubles(padded + o)), f64x2.mul(b, doubles(padded + o + 4))), f64x2.mul(c, doubles(padded + o + 8))))
  }
  for (let y = 0; y < height; y++) {
    const p = lineAt(between, y - 1, width, height), q = lineAt(between, y, width, height), r = lineAt(between, y + 1, width, height)
    const to = plane + (<usize>y) * bytes
    for (let o: usize = 0; o < bytes; o += 8) put(to + o, f64x2.add(f64x2.add(f64x2.mul(a, doubles(p + o)), f64x2.mul(b, doubles(q + o))), f64x2.mul(c, doubles(r + o))))
  }
}

/** Sums of 8 x 8 pixels, each as a mean, w across. */
export function gatherEighths(plane: usize, small: usize, w: i32, h: i32, width: i32, height: i32): void {
  memory.fill(small, 0, (<usize>(w * h)) << 2)
  for (let y = 0; y < height; y++) {
    const row = small + ((<usize>((y >> 3) * w)) << 2)
    const line = plane + ((<usize>(y * width)) << 2)
    for (let x = 0; x < width; x++) {
      const at = row + ((<usize>(x >> 3)) << 2)
      store<f32>(at, load<f32>(at) + load<f32>(line + ((<usize>x) << 2)))
    }
  }
  for (let n = 0; n < w * h; n++) {
    const at = small + ((<usize>n) << 2)
    store<f32>(at, <f32>(<f64>load<f32>(at) / 64))
  }
}

/** Lays the wide glow (made at an eighth of the size) over a plane and lets it fall off to the corners, in place. columns, rows: which coarse places (i32) and how far to the next (f32); line: room for w + 1. */
export function glowAndFall(plane: usize, small: usize, line: usize, w: i32, columns: usize, columnShares: usize, rows: usize, rowShares: usize, fall: usize, glow: f64, width: i32, height: i32): void {
  for (let y = 0; y < height; y++) {
    const j = load<i32>(rows + ((<usize>y) << 2)) * w
    const fy = <f64>load<f32>(rowShares + ((<usize>y) << 2))
    for (let i = 0; i < w; i++) {
      const at = small + ((<usize>(j + i)) << 2)
      store<f32>(line + ((<usize>i) << 2), <f32>(<f64>load<f32>(at) * (1 - fy) + <f64>load<f32>(at + ((<usize>w) << 2)) * fy))
    }
    store<f32>(line + ((<usize>w) << 2), load<f32>(line + ((<usize>(w - 1)) << 2)))
    for (let x = 0; x < width; x++) {
      const i = line + ((<usize>load<i32>(columns + ((<usize>x) << 2))) << 2)
      const fx = <f64>load<f32>(columnShares + ((<usize>x) << 2))
      const wide = <f64>load<f32>(i) * (1 - fx) + <f64>load<f32>(i, 4) * fx
      const at = plane + ((<usize>(y * width + x)) << 2)
      const v = <f64>load<f32>(at) * (1 - glow) + glow * wide
      store<f32>(at, <f32>(max<f64>(0, v) * load<f64>(fall + ((<usize>(y * width + x)) << 3))))
    }
  }
}

// @ts-ignore: decorator
@inline
function mixed(value: v128): v128 {
  let h = value
  h = i32x4.mul(v128.xor(h, i32x4.shr_u(h, 16)), i32x4.splat(0x85ebca6b))
  h = i32x4.mul(v128.xor(h, i32x4.shr_u(h, 13)), i32x4.splat(0xc2b2ae35))
  return v128.xor(h, i32x4.shr_u(h, 16))
}

/** Deviates of a plane's pixels from a key: four 16-bit uniforms added. count: a multiple of four. */
export function deviates(noise: usize, key: i32, count: i32): void {
  const low = i32x4.splat(0xffff), two = f64x2.splat(2), size = f64x2.splat(1.7320508), share = f64x2.splat(1.0 / 65536)
  for (let n = 0; n < count; n += 4) {
    const a = mixed(i32x4.add(i32x4.splat(key), i32x4.mul(i32x4.add(i32x4.splat(n), i32x4(0, 1, 2, 3)), i32x4.splat(DIGIT))))
    const b = mixed(v128.xor(a, i32x4.splat(0x5bd1e995)))
    const sum = i32x4.add(i32x4.add(i32x4.shr_u(a, 16), v128.and(a, low)), i32x4.add(i32x4.shr_u(b, 16), v128.and(b, low)))
    const at = noise + ((<usize>n) << 2)
    put(at, f64x2.mul(f64x2.sub(f64x2.mul(f64x2.convert_low_i32x4_s(sum), share), two), size))
    put(at + 8, f64x2.mul(f64x2.sub(f64x2.mul(f64x2.convert_low_i32x4_s(v128.shuffle<i32>(sum, sum, 2, 3, 2, 3)), share), two), size))
  }
}

/** Adds grain to a plane in place: each deviate with a share of its right and lower neighbours', at the same variance, times the root of photon x light + read. Width even. */
export function addGrain(plane: usize, noise: usize, smear: f64, even: f64, photon: f64, read: f64, width: i32, height: i32): void {
  const s = f64x2.splat(smear), e = f64x2.splat(even), p = f64x2.splat(photon), r = f64x2.splat(read), zero = f64x2.splat(0)
  for (let y = 0; y < height; y++) {
    const below: usize = y + 1 < height ? (<usize>width) << 2 : 0
    const row = (<usize>(y * width)) << 2
    for (let x = 0; x < width; x += 2) {
      const at = noise + row + ((<usize>x) << 2)
      const own = doubles(at)
      // The last of a row has itself for its right neighbour.
      const right = x + 2 < width ? doubles(at + 4) : f64x2.splat(<f64>load<f32>(at, 4))
      const deviate = f64x2.mul(f64x2.add(f64x2.add(own, f64x2.mul(s, right)), f64x2.mul(s, doubles(at + below))), e)
      const to = plane + row + ((<usize>x) << 2)
      const v = doubles(to)
      put(to, f64x2.add(v, f64x2.mul(deviate, f64x2.sqrt(f64x2.add(f64x2.mul(p, f64x2.max(zero, v)), r)))))
    }
  }
}

/** A plane as codes of 8 bits (wide: 16), every third place of out from channel on, through a table over root-spaced light of `steps` + 1. */
export function codesOf(plane: usize, table: usize, out: usize, channel: i32, scale: f64, steps: f64, count: i32, wide: bool): void {
  for (let n = 0, o = channel; n < count; n++, o += 3) {
    const share = <f64>load<f32>(plane + ((<usize>n) << 2)) * scale
    const t = share <= 0 ? <f64>0 : share >= 1 ? steps - 1e-3 : Math.sqrt(share) * steps
    const k = <i32>t
    const a = <f64>load<f32>(table + ((<usize>k) << 2))
    const code = <i32>(a + (<f64>load<f32>(table + ((<usize>k) << 2), 4) - a) * (t - <f64>k) + 0.5)
    if (wide) store<u16>(out + ((<usize>o) << 1), <u16>code)
    else store<u8>(out + <usize>o, <u8>code)
  }
}
