// The grade of a layer's colour: contrast about a pivot, gamma, saturation, curves. Powers are made of adds and multiplies alone, so they have the same bits in every engine.

/** How bright a colour is, in all lanes. */
// @ts-ignore: decorator
@inline
function luminance(c: v128): v128 {
  return f32x4.splat(0.2126 * f32x4.extract_lane(c, 0) + 0.7152 * f32x4.extract_lane(c, 1) + 0.0722 * f32x4.extract_lane(c, 2))
}

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

/**
 * Colour graded; the fourth lane is lost. numbers: 4 floats: the pivot to the power of 1 / gamma, the pivot, contrast / gamma, saturation. curves: three curves one after another, or 0.
 * Contrast and gamma are of how bright a colour is: its hue and saturation stay. Light that is less than nothing counts as none.
 */
// @ts-ignore: decorator
@inline
export function graded(v: v128, numbers: usize, curves: usize): v128 {
  const none = f32x4.splat(0)
  let c = f32x4.pmax(none, v)
  const power = load<f32>(numbers, 8)
  if (power != 1 || load<f32>(numbers) != load<f32>(numbers, 4)) {
    const bright = f32x4.pmax(f32x4.splat(1e-12), luminance(c))
    const raised = f32x4.mul(f32x4.splat(load<f32>(numbers)), exp2(f32x4.mul(f32x4.splat(power), log2(f32x4.div(bright, f32x4.splat(load<f32>(numbers, 4)))))))
    c = f32x4.mul(c, f32x4.div(raised, bright))
  }
  const saturation = load<f32>(numbers, 12)
  if (saturation != 1) {
    const grey = luminance(c)
    c = f32x4.pmax(none, f32x4.add(grey, f32x4.mul(f32x4.splat(saturation), f32x4.sub(c, grey))))
  }
  if (!curves) return c
  return f32x4(ofCurve(f32x4.extract_lane(c, 0), curves), ofCurve(f32x4.extract_lane(c, 1), curves + CURVE_BYTES), ofCurve(f32x4.extract_lane(c, 2), curves + 2 * CURVE_BYTES), 0)
}
