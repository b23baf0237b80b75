// The layer stack in linear light. Images are four floats a pixel (one v128), row-major. Items are rows.

/** Gaussian blur along rows (step = 1 pixel) or columns (step = width) of a 4-channel image; weights: radius + 1 floats, centre first; edges repeat. */
export function blurLine(dst: usize, src: usize, weights: usize, radius: i32, width: i32, height: i32, vertical: i32, from: i32, to: i32): void {
  for (let y = from; y < to; y++)
    for (let x = 0; x < width; x++) {
      let sum = f32x4.mul(f32x4.splat(load<f32>(weights)), v128.load(src + ((<usize>(y * width + x)) << 4)))
      for (let n = 1; n <= radius; n++) {
        const a = vertical ? max(0, y - n) * width + x : y * width + max(0, x - n)
        const b = vertical ? min(height - 1, y + n) * width + x : y * width + min(width - 1, x + n)
        const both = f32x4.add(v128.load(src + ((<usize>a) << 4)), v128.load(src + ((<usize>b) << 4)))
        sum = f32x4.add(sum, f32x4.mul(f32x4.splat(load<f32>(weights + ((<usize>n) << 2))), both))
      }
      v128.store(dst + ((<usize>(y * width + x)) << 4), sum)
    }
}

/**
 * Light on the set: image = image x (1 + (shadow - 1) x shadowAmount + light x gain). Lane 3 of the image is the factor the plate's own grain was multiplied by, 1 at first.
 * light: r g b share of the plate's white light, shadow share. gain: 3 floats.
 */
export function compositeLight(image: usize, light: usize, gain: usize, shadowAmount: f32, width: i32, from: i32, to: i32): void {
  const g = f32x4(load<f32>(gain), load<f32>(gain, 4), load<f32>(gain, 8), 0)
  for (let n = from * width; n < to * width; n++) {
    const l = v128.load(light + ((<usize>n) << 4))
    const base: f32 = 1 + (f32x4.extract_lane(l, 3) - 1) * shadowAmount
    const factor = f32x4.add(f32x4.splat(base), f32x4.mul(l, g))
    const mean = (f32x4.extract_lane(factor, 0) + f32x4.extract_lane(factor, 1) + f32x4.extract_lane(factor, 2)) * <f32>(1.0 / 3.0)
    const at = image + ((<usize>n) << 4)
    v128.store(at, f32x4.mul(v128.load(at), f32x4.replace_lane(factor, 3, mean)))
  }
}

/**
 * Smoke over: image = image x (1 - alpha) + smoke. ambient: r g b premultiplied, anything; lit: r g b, anything; cover: alpha in lane 3.
 * The grade works on colour divided by alpha: black + colour x span, then x alpha again. grade: 12 floats: black r g b 0, span r g b 0, fire gain r g b, amount.
 */
export function compositeSmoke(image: usize, ambient: usize, lit: usize, cover: usize, grade: usize, width: i32, from: i32, to: i32): void {
  const black = v128.load(grade)
  const span = v128.load(grade, 16)
  const gain = v128.load(grade, 32)
  const amount = load<f32>(grade, 44)
  for (let n = from * width; n < to * width; n++) {
    const o = (<usize>n) << 4
    const alpha = load<f32>(cover + o, 12)
    if (alpha <= 0) continue
    const colour = f32x4.add(f32x4.mul(span, f32x4.add(v128.load(ambient + o), f32x4.mul(gain, v128.load(lit + o)))), f32x4.mul(black, f32x4.splat(alpha)))
    const keep: f32 = 1 - alpha * amount
    const below = v128.load(image + o)
    const next = f32x4.add(f32x4.mul(below, f32x4.splat(keep)), f32x4.mul(colour, f32x4.splat(amount)))
    v128.store(image + o, f32x4.replace_lane(next, 3, f32x4.extract_lane(below, 3) * keep))
  }
}

/** Fire added: image += fire x gain; lane 3 stays. */
export function compositeFire(image: usize, fire: usize, gain: usize, width: i32, from: i32, to: i32): void {
  const g = f32x4(load<f32>(gain), load<f32>(gain, 4), load<f32>(gain, 8), 0)
  for (let n = from * width; n < to * width; n++) {
    const o = (<usize>n) << 4
    v128.store(image + o, f32x4.add(v128.load(image + o), f32x4.mul(v128.load(fire + o), g)))
  }
}

// @ts-ignore: decorator
@inline
function mixBits(v: u32): u32 {
  let h = v
  h = (h ^ (h >>> 16)) * 0x85ebca6b
  h = (h ^ (h >>> 13)) * 0xc2b2ae35
  return h ^ (h >>> 16)
}

/** Noise of mean 0 and variance 1, near normal: four uniforms from two hashes. */
// @ts-ignore: decorator
@inline
function noise(x: i32, y: i32, c: i32, seed: i32): f32 {
  const a = mixBits(<u32>(x * 0x9e3779b1 + y * 0x85ebca77 + c * 0xc2b2ae3d + seed * 0x27d4eb2f))
  const b = mixBits(a + 0x6d2b79f5)
  const sum = <f32>(a & 0xffff) + <f32>(a >>> 16) + <f32>(b & 0xffff) + <f32>(b >>> 16)
  return (sum - 131070) * <f32>(1.0 / 37837.2)
}

/**
 * Grain where something was added: the variance that the plate's law var = floor + slope x value asks for at the new brightness, less what the plate's own grain (scaled by lane 3) brings.
 * grain: 8 floats: floor r g b, slope r g b, neighbour weight, amount. The weight spreads each speck over its four neighbours (its size). plate: 4 floats a pixel.
 */
export function compositeGrain(dst: usize, image: usize, plate: usize, grain: usize, seed: i32, width: i32, from: i32, to: i32): void {
  const spread = load<f32>(grain, 24)
  const amount = load<f32>(grain, 28)
  const norm: f32 = amount / sqrt(<f32>1 + <f32>4 * spread * spread)
  for (let y = from; y < to; y++)
    for (let x = 0; x < width; x++) {
      const o = (<usize>(y * width + x)) << 4
      const own = load<f32>(image + o, 12)
      for (let c = 0; c < 3; c++) {
        const at = o + ((<usize>c) << 2)
        const floor = load<f32>(grain + ((<usize>c) << 2))
        const slope = load<f32>(grain + ((<usize>c) << 2), 12)
        const value = load<f32>(image + at)
        const wanted = floor + slope * min<f32>(1.5, max<f32>(0, value))
        const there = (floor + slope * max<f32>(0, load<f32>(plate + at))) * own * own
        const missing = wanted - there
        let result = value
        if (missing > 0 && value != load<f32>(plate + at)) {
          let speck = noise(x, y, c, seed)
          if (spread > 0) speck += spread * (noise(x - 1, y, c, seed) + noise(x + 1, y, c, seed) + noise(x, y - 1, c, seed) + noise(x, y + 1, c, seed))
          result += speck * norm * sqrt(missing)
        }
        store<f32>(dst + at, result)
      }
      store<f32>(dst + o, 1, 12)
    }
}

/** Display: exposure, then sRGB's curve (way 0) or the same behind a soft shoulder (way 1), to bytes r g b 255. */
export function display(dst: usize, image: usize, gain: f32, way: i32, table: usize, width: i32, from: i32, to: i32): void {
  for (let n = from * width; n < to * width; n++) {
    const o = (<usize>n) << 4
    for (let c = 0; c < 3; c++) {
      let v = max<f32>(0, load<f32>(image + o + ((<usize>c) << 2)) * gain)
      if (way) v = shoulder(v)
      store<u8>(dst + ((<usize>n) << 2) + <usize>c, load<u8>(table + <usize>(<i32>(min<f32>(1, v) * 16383 + 0.5))))
    }
    store<u8>(dst + ((<usize>n) << 2), 255, 3)
  }
}

const KNEE: f32 = 0.75
const CEILING: f32 = 1.0

/** Values above the knee bend towards the ceiling with the same slope at the knee: knee + s (1 - 1 / (1 + (v - knee) / s)), s = ceiling - knee. */
// @ts-ignore: decorator
@inline
function shoulder(v: f32): f32 {
  if (v <= KNEE) return v
  const s: f32 = CEILING - KNEE
  const d = v - KNEE
  return KNEE + s * d / (s + d)
}
