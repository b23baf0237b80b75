import { fromSensor, throughSensor } from './sensor'

// The layer stack in linear light. Images are four floats a pixel (one v128), row-major. Items are rows.

/** Gaussian blur along rows (step = 1 pixel) or columns (step = width) of a 4-channel image; weights: radius + 1 floats, centre first; edges repeat. */
export function blurLine(dst: usize, src: usize, weights: usize, radius: i32, width: i32, height: i32, vertical: i32, from: i32, to: i32): void {
  const step: usize = vertical ? (<usize>width) << 4 : 16
  for (let y = from; y < to; y++)
    for (let x = 0; x < width; x++) {
      const p = src + ((<usize>(y * width + x)) << 4)
      let sum = f32x4.mul(f32x4.splat(load<f32>(weights)), v128.load(p))
      const place = vertical ? y : x, last = (vertical ? height : width) - 1
      if (place >= radius && place + radius <= last) {
        let a = p - step, b = p + step
        for (let n = 1; n <= radius; n++) {
          sum = f32x4.add(sum, f32x4.mul(v128.load32_splat(weights + ((<usize>n) << 2)), f32x4.add(v128.load(a), v128.load(b))))
          a -= step
          b += step
        }
        v128.store(dst + ((<usize>(y * width + x)) << 4), sum)
        continue
      }
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
 * Grain where something was added: the variance that the plate's law var = floor + slope x value asks for at the new brightness, less what the plate's own grain (scaled by lane 3) brings.
 * grain: 8 floats: floor r g b, slope r g b, neighbour weight, amount. The weight spreads each speck over its four neighbours (its size). plate: 4 floats a pixel.
 * more: 4 floats a pixel, the last how much more grain it has than the plate's (layers.ts). sensor: its curve (sensor.ts) where image and plate are the scene's light: the law is of what the sensor makes of it, so the speck is added there and taken back.
 */
export function compositeGrain(dst: usize, image: usize, plate: usize, more: usize, grain: usize, seed: i32, sensor: usize, width: i32, from: i32, to: i32): void {
  const spread = load<f32>(grain, 24)
  const amount = load<f32>(grain, 28)
  const norm: f32 = amount / sqrt(<f32>1 + <f32>4 * spread * spread)
  const floor = f32x4(load<f32>(grain), load<f32>(grain, 4), load<f32>(grain, 8), 0)
  const slope = f32x4(load<f32>(grain, 12), load<f32>(grain, 16), load<f32>(grain, 20), 0)
  const none = f32x4.splat(0), most = f32x4.splat(1.5)
  for (let y = from; y < to; y++) {
    // The last place whose speck, and the next one's, are at hand.
    let known = -2, before = none, here = none, next = none
    for (let x = 0; x < width; x++) {
      const o = (<usize>(y * width + x)) << 4
      const now = f32x4.replace_lane(v128.load(image + o), 3, 1), was = f32x4.replace_lane(v128.load(plate + o), 3, 1)
      v128.store(dst + o, now)
      const changed = f32x4.ne(now, was)
      if (!v128.any_true(changed)) continue
      const own = load<f32>(image + o, 12)
      const value = sensor ? throughSensor(now, sensor) : now
      const wanted = f32x4.add(floor, f32x4.mul(slope, f32x4.pmin(most, f32x4.pmax(none, value))))
      const there = f32x4.mul(f32x4.splat(own * own), f32x4.add(floor, f32x4.mul(slope, f32x4.pmax(none, sensor ? throughSensor(was, sensor) : was))))
      const missing = v128.and(changed, f32x4.pmax(none, f32x4.sub(wanted, there)))
      if (!v128.any_true(missing)) continue
      let speck: v128
      if (spread > 0) {
        before = known == x - 1 ? here : specks(x - 1, y, seed)
        here = known == x - 1 ? next : specks(x, y, seed)
        next = specks(x + 1, y, seed)
        known = x
        speck = f32x4.add(here, f32x4.mul(f32x4.splat(spread), f32x4.add(f32x4.add(before, next), f32x4.add(specks(x, y - 1, seed), specks(x, y + 1, seed)))))
      } else speck = specks(x, y, seed)
      const strength = norm * max<f32>(0, 1 + load<f32>(more + o, 12))
      const added = f32x4.mul(f32x4.mul(speck, f32x4.splat(strength)), f32x4.sqrt(missing))
      if (!sensor) {
        v128.store(dst + o, f32x4.add(now, added))
        continue
      }
      // Back through the sensor as a difference, so that what is brighter than it sees keeps its light.
      const held = f32x4.pmin(f32x4.splat(CLIPPED), value)
      const speckled = f32x4.pmin(f32x4.splat(CLIPPED), f32x4.add(held, added))
      v128.store(dst + o, f32x4.replace_lane(f32x4.add(now, f32x4.sub(fromSensor(speckled, sensor), fromSensor(held, sensor))), 3, 1))
    }
  }
}

/** Light held to `most`, in the first three lanes. Items are pixels. */
export function holdLight(dst: usize, src: usize, most: f32, from: i32, to: i32): void {
  const limit = f32x4.splat(most)
  for (let n = from; n < to; n++) {
    const o = (<usize>n) << 4
    v128.store(dst + o, f32x4.replace_lane(f32x4.pmin(limit, v128.load(src + o)), 3, 0))
  }
}

/** A sensor's values beyond this show no grain. */
const CLIPPED: f32 = 0.995

// @ts-ignore: decorator
@inline
function mixLanes(v: v128): v128 {
  let h = v
  h = i32x4.mul(v128.xor(h, i32x4.shr_u(h, 16)), i32x4.splat(0x85ebca6b))
  h = i32x4.mul(v128.xor(h, i32x4.shr_u(h, 13)), i32x4.splat(0xc2b2ae35))
  return v128.xor(h, i32x4.shr_u(h, 16))
}

/** Noise of mean 0 and variance 1, near normal, of red, green and blue: four uniforms from two hashes each. */
// @ts-ignore: decorator
@inline
function specks(x: i32, y: i32, seed: i32): v128 {
  // Noise of three channels at once.
  const a = mixLanes(i32x4.add(i32x4.splat(x * 0x9e3779b1 + y * 0x85ebca77 + seed * 0x27d4eb2f), i32x4(0, 0xc2b2ae3d, 0x85655c7a, 0)))
  const b = mixLanes(i32x4.add(a, i32x4.splat(0x6d2b79f5)))
  const low = i32x4.splat(0xffff)
  const sum = i32x4.add(i32x4.add(v128.and(a, low), i32x4.shr_u(a, 16)), i32x4.add(v128.and(b, low), i32x4.shr_u(b, 16)))
  return f32x4.replace_lane(f32x4.mul(f32x4.convert_i32x4_s(i32x4.sub(sum, i32x4.splat(131070))), f32x4.splat(<f32>(1.0 / 37837.2))), 3, 0)
}

/** Display: exposure, then sRGB's curve (sensor 0) or the same behind the sensor (its curve), to bytes r g b 255. */
export function display(dst: usize, image: usize, gain: f32, sensor: usize, table: usize, width: i32, from: i32, to: i32): void {
  for (let n = from * width; n < to * width; n++) {
    const o = (<usize>n) << 4
    const light = f32x4.mul(v128.load(image + o), f32x4.splat(gain))
    const value = f32x4.pmin(f32x4.splat(1), f32x4.pmax(f32x4.splat(0), sensor ? throughSensor(light, sensor) : light))
    const entry = i32x4.trunc_sat_f32x4_s(f32x4.add(f32x4.mul(value, f32x4.splat(16383)), f32x4.splat(0.5)))
    store<u8>(dst + ((<usize>n) << 2), load<u8>(table + <usize>i32x4.extract_lane(entry, 0)))
    store<u8>(dst + ((<usize>n) << 2), load<u8>(table + <usize>i32x4.extract_lane(entry, 1)), 1)
    store<u8>(dst + ((<usize>n) << 2), load<u8>(table + <usize>i32x4.extract_lane(entry, 2)), 2)
    store<u8>(dst + ((<usize>n) << 2), 255, 3)
  }
}

/** A picture half as large, of the means of four pixels; at an odd edge of those that there are, and nothing beyond. across: its width. Items are its rows. */
export function halveLight(dst: usize, src: usize, width: i32, height: i32, across: i32, from: i32, to: i32): void {
  for (let y = from; y < to; y++)
    for (let x = 0; x < across; x++) {
      let sum = f32x4.splat(0)
      for (let j = 2 * y; j < min(height, 2 * y + 2); j++)
        for (let i = 2 * x; i < min(width, 2 * x + 2); i++) sum = f32x4.add(sum, v128.load(src + ((<usize>(j * width + i)) << 4)))
      v128.store(dst + ((<usize>(y * across + x)) << 4), f32x4.mul(sum, f32x4.splat(0.25)))
    }
}

/** A small picture's glow laid over a large one: image += gain x small, smoothly between the small one's pixels (each of them size x size of the large one's). gain: 3 floats. Items are rows of the large one. */
export function compositeGlow(image: usize, small: usize, gain: usize, size: i32, across: i32, down: i32, width: i32, from: i32, to: i32): void {
  const g = f32x4(load<f32>(gain), load<f32>(gain, 4), load<f32>(gain, 8), 0)
  const inv: f32 = 1 / <f32>size
  for (let y = from; y < to; y++) {
    const v = max<f32>(0, min<f32>(<f32>(down - 1) - 0.001, (<f32>y + 0.5) * inv - 0.5))
    const j = <i32>v
    const fy = f32x4.splat(v - <f32>j)
    const a = small + ((<usize>(j * across)) << 4), b = small + ((<usize>(min(down - 1, j + 1) * across)) << 4)
    for (let x = 0; x < width; x++) {
      const u = max<f32>(0, min<f32>(<f32>(across - 1) - 0.001, (<f32>x + 0.5) * inv - 0.5))
      const i = <i32>u
      const e = (<usize>i) << 4, e1 = (<usize>min(across - 1, i + 1)) << 4
      const fx = f32x4.splat(u - <f32>i)
      const top = v128.load(a + e), low = v128.load(b + e)
      const upper = f32x4.add(top, f32x4.mul(fx, f32x4.sub(v128.load(a + e1), top)))
      const lower = f32x4.add(low, f32x4.mul(fx, f32x4.sub(v128.load(b + e1), low)))
      const o = image + ((<usize>(y * width + x)) << 4)
      v128.store(o, f32x4.add(v128.load(o), f32x4.mul(g, f32x4.add(upper, f32x4.mul(fy, f32x4.sub(lower, upper))))))
    }
  }
}
