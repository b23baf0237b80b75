// The grade of a layer's colour: contrast about a pivot, gamma, saturation, curves. Powers are made of adds and multiplies alone, so they have the same bits in every engine.

/** Base-2 logarithm of positive lanes: the exponent, and the mantissa by the series of artanh; within 2e-7. */
// @ts-ignore: decorator
@inline
function log2(v: v128): v128 {
  const bits = i32x4.sub(v, i32x4.splat(0x3f3504f3))
  const exponent = i32x4.shr_s(bits, 23)
  const m = i32x4.sub(v, i32x4.shl(exponent, 23))
  const one = f32x4.splat(1)
  const s = f32x4.div(f32x4.sub(m, one), f32x4.add(m, one)), s2 = f32x4.mul(s, s)
  let p = f32x4.add(f32x4.splat(0.14285714), f32x4.mul(s2, f32x4.splat(0.11111111)))
  p = f32x4.add(f32x4.splat(0.2), f32x4.mul(s2, p))
  p = f32x4.add(f32x4.splat(0.33333333), f32x4.mul(s2, p))
  p = f32x4.add(one, f32x4.mul(s2, p))
  return f32x4.add(f32x4.convert_i32x4_s(exponent), f32x4.mul(f32x4.mul(s, p), f32x4.splat(2.88539008)))
}

/** Powers of two, of lanes from -126 to 126; within 2e-7 of themselves. */
// @ts-ignore: decorator
@inline
export function exp2(v: v128): v128 {
  const held = f32x4.pmin(f32x4.splat(126), f32x4.pmax(f32x4.splat(-126), v))
  const whole = f32x4.nearest(held)
  const f = f32x4.mul(f32x4.sub(held, whole), f32x4.splat(0.69314718))
  let p = f32x4.add(f32x4.splat(0.0013888889), f32x4.mul(f, f32x4.splat(0.00019841270)))
  p = f32x4.add(f32x4.splat(0.0083333333), f32x4.mul(f, p))
  p = f32x4.add(f32x4.splat(0.041666667), f32x4.mul(f, p))
  p = f32x4.add(f32x4.splat(0.16666667), f32x4.mul(f, p))
  p = f32x4.add(f32x4.splat(0.5), f32x4.mul(f, p))
  p = f32x4.add(f32x4.splat(1), f32x4.mul(f, p))
  p = f32x4.add(f32x4.splat(1), f32x4.mul(f, p))
  return f32x4.mul(p, i32x4.shl(i32x4.add(i32x4.trunc_sat_f32x4_s(whole), i32x4.splat(127)), 23))
}

// @ts-ignore: decorator
@inline
function ofCurve(v: f32, table: usize): f32 {
  if (v >= 1) return load<f32>(table, CURVE_STEPS * 4) + (v - 1) * load<f32>(table, CURVE_STEPS * 4 + 4)
  const at = sqrt(max<f32>(0, v)) * <f32>CURVE_STEPS
  const n = <usize>min<f32>(<f32>(CURVE_STEPS - 1), at)
  const a = load<f32>(table + (n << 2)), b = load<f32>(table + (n << 2), 4)
  return a + (at - <f32>n) * (b - a)
}
/** A curve's values at the squares of n / CURVE_STEPS, the last at 1, then its slope beyond. */
const CURVE_STEPS: usize = 1024
const CURVE_BYTES: usize = (CURVE_STEPS + 2) * 4

// Four pixels are graded at once, as their reds, greens and blues.

// @ts-ignore: decorator
@inline
function luminance(r: v128, g: v128, b: v128): v128 {
  return f32x4.add(f32x4.add(f32x4.mul(f32x4.splat(0.2126), r), f32x4.mul(f32x4.splat(0.7152), g)), f32x4.mul(f32x4.splat(0.0722), b))
}
// @ts-ignore: decorator
@inline
function redOf(a: v128, b: v128, c: v128, d: v128): v128 {
  return i64x2.shuffle(i32x4.shuffle(a, b, 0, 4, 1, 5), i32x4.shuffle(c, d, 0, 4, 1, 5), 0, 2)
}
// @ts-ignore: decorator
@inline
function greenOf(a: v128, b: v128, c: v128, d: v128): v128 {
  return i64x2.shuffle(i32x4.shuffle(a, b, 0, 4, 1, 5), i32x4.shuffle(c, d, 0, 4, 1, 5), 1, 3)
}
// @ts-ignore: decorator
@inline
function blueOf(a: v128, b: v128, c: v128, d: v128): v128 {
  return i64x2.shuffle(i32x4.shuffle(a, b, 2, 6, 3, 7), i32x4.shuffle(c, d, 2, 6, 3, 7), 0, 2)
}
// @ts-ignore: decorator
@inline
function fourthOf(a: v128, b: v128, c: v128, d: v128): v128 {
  return i64x2.shuffle(i32x4.shuffle(a, b, 2, 6, 3, 7), i32x4.shuffle(c, d, 2, 6, 3, 7), 1, 3)
}
// @ts-ignore: decorator
@inline
function pixelAt(image: usize, n: i32, left: i32): v128 {
  return left > n ? v128.load(image + ((<usize>n) << 4)) : f32x4.splat(0)
}
// @ts-ignore: decorator
@inline
function ofCurves(v: v128, table: usize): v128 {
  return f32x4(ofCurve(f32x4.extract_lane(v, 0), table), ofCurve(f32x4.extract_lane(v, 1), table), ofCurve(f32x4.extract_lane(v, 2), table), ofCurve(f32x4.extract_lane(v, 3), table))
}

/** Where in a layer's numbers (layers.ts) its grade stands: the pivot to the power of 1 / gamma, the pivot, contrast / gamma, saturation. */
const RAISED: usize = 64, PIVOT: usize = 68, POWER: usize = 72, SATURATION: usize = 76

/**
 * Grades four pixels and writes them back, as far as there are so many. Contrast and gamma are of how bright a colour is: its hue and saturation stay. Light that is less than nothing counts as none.
 * whole: what each of them is multiplied by in the end; fourth: their fourth lanes, which stay. curves: three tables one after another, or 0; black: where what they make of black is taken away.
 */
// @ts-ignore: decorator
@inline
function gradeFour(at: usize, left: i32, r0: v128, g0: v128, b0: v128, whole: v128, fourth: v128, black: v128, numbers: usize, curves: usize): void {
  const none = f32x4.splat(0)
  let r = f32x4.pmax(none, r0), g = f32x4.pmax(none, g0), b = f32x4.pmax(none, b0)
  const power = load<f32>(numbers, POWER)
  if (power != 1 || load<f32>(numbers, RAISED) != load<f32>(numbers, PIVOT)) {
    const bright = f32x4.pmax(f32x4.splat(1e-12), luminance(r, g, b))
    const raised = f32x4.mul(v128.load32_splat(numbers, RAISED), exp2(f32x4.mul(f32x4.splat(power), log2(f32x4.mul(bright, f32x4.splat(1 / load<f32>(numbers, PIVOT)))))))
    const gain = f32x4.div(raised, bright)
    r = f32x4.mul(r, gain)
    g = f32x4.mul(g, gain)
    b = f32x4.mul(b, gain)
  }
  if (load<f32>(numbers, SATURATION) != 1) {
    const grey = luminance(r, g, b), s = v128.load32_splat(numbers, SATURATION)
    r = f32x4.pmax(none, f32x4.add(grey, f32x4.mul(s, f32x4.sub(r, grey))))
    g = f32x4.pmax(none, f32x4.add(grey, f32x4.mul(s, f32x4.sub(g, grey))))
    b = f32x4.pmax(none, f32x4.add(grey, f32x4.mul(s, f32x4.sub(b, grey))))
  }
  if (curves) {
    r = f32x4.sub(ofCurves(r, curves), v128.and(black, v128.load32_splat(curves)))
    g = f32x4.sub(ofCurves(g, curves + CURVE_BYTES), v128.and(black, v128.load32_splat(curves + CURVE_BYTES)))
    b = f32x4.sub(ofCurves(b, curves + 2 * CURVE_BYTES), v128.and(black, v128.load32_splat(curves + 2 * CURVE_BYTES)))
  }
  r = f32x4.mul(whole, r)
  g = f32x4.mul(whole, g)
  b = f32x4.mul(whole, b)
  const rg = i32x4.shuffle(r, g, 0, 4, 1, 5), ba = i32x4.shuffle(b, fourth, 0, 4, 1, 5)
  const rg2 = i32x4.shuffle(r, g, 2, 6, 3, 7), ba2 = i32x4.shuffle(b, fourth, 2, 6, 3, 7)
  v128.store(at, i64x2.shuffle(rg, ba, 0, 2))
  if (left > 1) v128.store(at, i64x2.shuffle(rg, ba, 1, 3), 16)
  if (left > 2) v128.store(at, i64x2.shuffle(rg2, ba2, 0, 2), 32)
  if (left > 3) v128.store(at, i64x2.shuffle(rg2, ba2, 1, 3), 48)
}

/** The share of a pixel's darkest channel that may be a veil. */
const VEILED: f32 = 0.85

/** What colours so bright are multiplied by where so much is taken away of how bright they are: all of it from one and a half times that on, below ever less (a cube that goes on as steeply), so that dark parts keep their order and their hue. */
// @ts-ignore: decorator
@inline
function deepened(bright: v128, taken: v128): v128 {
  const held = f32x4.pmax(f32x4.splat(1e-9), bright)
  const whole = f32x4.div(f32x4.sub(held, taken), held), share = f32x4.div(held, f32x4.pmax(f32x4.splat(1e-9), taken))
  const toe = f32x4.mul(f32x4.splat(4.0 / 27.0), f32x4.mul(share, share))
  return v128.bitselect(whole, toe, f32x4.gt(held, f32x4.mul(f32x4.splat(1.5), taken)))
}

/**
 * Grades a layer's images in place: its colour, premultiplied, is divided by alpha for it and multiplied again; what has no alpha, and its own light, is graded as light. Fourth lanes stay.
 * A black below none is taken away. glow: own light, or 0 where there is none. numbers: the layer's, 32 floats (layers.ts). curves: three tables, or 0. Items are rows.
 */
export function gradeLayer(colour: usize, glow: usize, curves: usize, numbers: usize, width: i32, from: i32, to: i32): void {
  const zero = f32x4.splat(0), one = f32x4.splat(1), all = i32x4.splat(-1), light = i32x4(-1, -1, -1, 0)
  const black = f32x4.pmax(zero, v128.load32_splat(numbers)), deeper: f32 = -load<f32>(numbers)
  const spanRed = v128.load32_splat(numbers, 16), spanGreen = v128.load32_splat(numbers, 20), spanBlue = v128.load32_splat(numbers, 24)
  const ownRed = v128.load32_splat(numbers, 48), ownGreen = v128.load32_splat(numbers, 52), ownBlue = v128.load32_splat(numbers, 56)
  const end = to * width
  for (let n = from * width; n < end; n += 4) {
    const left = min(4, end - n)
    const k = colour + ((<usize>n) << 4)
    const a = v128.load(k), b = pixelAt(k, 1, left), c = pixelAt(k, 2, left), d = pixelAt(k, 3, left)
    if (v128.any_true(f32x4.ne(v128.or(v128.or(a, b), v128.or(c, d)), zero))) {
      const alpha = fourthOf(a, b, c, d)
      const lifted = f32x4.mul(black, alpha)
      const solid = f32x4.gt(alpha, f32x4.splat(1e-6))
      const whole = v128.bitselect(alpha, one, solid), inv = f32x4.div(one, whole)
      let r = f32x4.mul(f32x4.add(lifted, f32x4.mul(spanRed, redOf(a, b, c, d))), inv)
      let g = f32x4.mul(f32x4.add(lifted, f32x4.mul(spanGreen, greenOf(a, b, c, d))), inv)
      let u = f32x4.mul(f32x4.add(lifted, f32x4.mul(spanBlue, blueOf(a, b, c, d))), inv)
      if (deeper > 0) {
        // As of a veil first, as far as the darkest channel has it; the rest of how bright the pixel is, which leaves its hue.
        const taken = f32x4.splat(deeper)
        const veil = f32x4.pmax(zero, f32x4.pmin(taken, f32x4.mul(f32x4.splat(VEILED), f32x4.pmin(r, f32x4.pmin(g, u)))))
        r = f32x4.sub(r, veil)
        g = f32x4.sub(g, veil)
        u = f32x4.sub(u, veil)
        const gain = deepened(luminance(r, g, u), f32x4.sub(taken, veil))
        r = f32x4.mul(r, gain)
        g = f32x4.mul(g, gain)
        u = f32x4.mul(u, gain)
      }
      gradeFour(k, left, r, g, u, whole, alpha, v128.not(solid), numbers, curves)
    }
    if (!glow) continue
    const o = glow + ((<usize>n) << 4)
    const e = v128.load(o), f = pixelAt(o, 1, left), h = pixelAt(o, 2, left), i = pixelAt(o, 3, left)
    if (!v128.any_true(v128.and(light, f32x4.gt(f32x4.pmax(f32x4.pmax(e, f), f32x4.pmax(h, i)), zero)))) continue
    const r = f32x4.mul(ownRed, redOf(e, f, h, i)), g = f32x4.mul(ownGreen, greenOf(e, f, h, i)), u = f32x4.mul(ownBlue, blueOf(e, f, h, i))
    gradeFour(o, left, r, g, u, one, fourthOf(e, f, h, i), all, numbers, curves)
  }
}
