import { seat } from './seat'
import { fromSensor, throughSensor } from './sensor'

// The layer stack in linear light. Images are four floats a pixel (one v128), row-major. Items are rows.

/** Gaussian blur along rows (step = 1 pixel) or columns (step = width) of a 4-channel image; weights: radius + 1 floats, centre first; edges repeat. Items are rows. */
export function blurLine(dst: usize, src: usize, weights: usize, radius: i32, width: i32, height: i32, vertical: i32, from: i32, to: i32): void {
  for (let y = from; y < to; y++) {
    const row = (<usize>(y * width)) << 4
    if (vertical) {
      if (y >= radius && y + radius < height) blurInner(dst + row, src + row, weights, radius, (<usize>width) << 4, 0, width)
      else for (let x = 0; x < width; x++) v128.store(dst + row + ((<usize>x) << 4), blurEdge(src, weights, radius, width, height, x, y, true))
      continue
    }
    const inner = min(radius, width), end = max(inner, width - radius)
    for (let x = 0; x < inner; x++) v128.store(dst + row + ((<usize>x) << 4), blurEdge(src, weights, radius, width, height, x, y, false))
    blurInner(dst + row, src + row, weights, radius, 16, inner, end)
    for (let x = end; x < width; x++) v128.store(dst + row + ((<usize>x) << 4), blurEdge(src, weights, radius, width, height, x, y, false))
  }
}

/** A row's pixels from one to before another, all of whose neighbours lie in the picture; step: bytes from one to the next. Four at once, so that a weight is read once. */
function blurInner(dst: usize, src: usize, weights: usize, radius: i32, step: usize, from: i32, to: i32): void {
  let x = from
  for (; x + 4 <= to; x += 4) {
    const p = src + ((<usize>x) << 4), w = v128.load32_splat(weights)
    let s0 = f32x4.mul(w, v128.load(p)), s1 = f32x4.mul(w, v128.load(p, 16)), s2 = f32x4.mul(w, v128.load(p, 32)), s3 = f32x4.mul(w, v128.load(p, 48))
    let a = p - step, b = p + step
    for (let n = 1; n <= radius; n++) {
      const v = v128.load32_splat(weights + ((<usize>n) << 2))
      s0 = f32x4.add(s0, f32x4.mul(v, f32x4.add(v128.load(a), v128.load(b))))
      s1 = f32x4.add(s1, f32x4.mul(v, f32x4.add(v128.load(a, 16), v128.load(b, 16))))
      s2 = f32x4.add(s2, f32x4.mul(v, f32x4.add(v128.load(a, 32), v128.load(b, 32))))
      s3 = f32x4.add(s3, f32x4.mul(v, f32x4.add(v128.load(a, 48), v128.load(b, 48))))
      a -= step
      b += step
    }
    const o = dst + ((<usize>x) << 4)
    v128.store(o, s0)
    v128.store(o, s1, 16)
    v128.store(o, s2, 32)
    v128.store(o, s3, 48)
  }
  for (; x < to; x++) {
    const p = src + ((<usize>x) << 4)
    let sum = f32x4.mul(v128.load32_splat(weights), v128.load(p))
    let a = p - step, b = p + step
    for (let n = 1; n <= radius; n++) {
      sum = f32x4.add(sum, f32x4.mul(v128.load32_splat(weights + ((<usize>n) << 2)), f32x4.add(v128.load(a), v128.load(b))))
      a -= step
      b += step
    }
    v128.store(dst + ((<usize>x) << 4), sum)
  }
}

/** A pixel near an edge, which is repeated. */
function blurEdge(src: usize, weights: usize, radius: i32, width: i32, height: i32, x: i32, y: i32, vertical: bool): v128 {
  let sum = f32x4.mul(v128.load32_splat(weights), v128.load(src + ((<usize>(y * width + x)) << 4)))
  for (let n = 1; n <= radius; n++) {
    const a = vertical ? max(0, y - n) * width + x : y * width + max(0, x - n)
    const b = vertical ? min(height - 1, y + n) * width + x : y * width + min(width - 1, x + n)
    const both = f32x4.add(v128.load(src + ((<usize>a) << 4)), v128.load(src + ((<usize>b) << 4)))
    sum = f32x4.add(sum, f32x4.mul(v128.load32_splat(weights + ((<usize>n) << 2)), both))
  }
  return sum
}

/**
 * Grain where something was added: the variance that the plate's law var = floor + slope x value asks for at the new brightness, less what the plate's own grain (scaled by lane 3) brings.
 * grain: 8 floats: floor r g b, slope r g b, neighbour weight, amount. The weight spreads each speck over its four neighbours (its size). plate: 4 floats a pixel.
 * rows: room for three rows of width + 2 pixels for each thread. more: 4 floats a pixel, the last how much more grain it has than the plate's (layers.ts). sensor: its curve (sensor.ts) where image and plate are the scene's light: the law is of what the sensor makes of it, so the speck is added there and taken back.
 */
export function compositeGrain(dst: usize, image: usize, plate: usize, more: usize, grain: usize, seed: i32, sensor: usize, rows: usize, width: i32, from: i32, to: i32): void {
  const spread = load<f32>(grain, 24)
  const amount = load<f32>(grain, 28)
  const norm: f32 = amount / sqrt(<f32>1 + <f32>4 * spread * spread)
  // The rows of specks that this thread holds, and the last of them that is made.
  const mine = rows + <usize>seat * 3 * speckBytes(width)
  let known = -2
  const floor = f32x4(load<f32>(grain), load<f32>(grain, 4), load<f32>(grain, 8), 0)
  const slope = f32x4(load<f32>(grain, 12), load<f32>(grain, 16), load<f32>(grain, 20), 0)
  const none = f32x4.splat(0), most = f32x4.splat(1.5)
  for (let y = from; y < to; y++) {
    let made = false
    const above = mine + rowOf(y - 1, width), row = mine + rowOf(y, width), below = mine + rowOf(y + 1, width)
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
      if (!made) {
        for (let j = spread > 0 ? y - 1 : y; j <= (spread > 0 ? y + 1 : y); j++) known = max(known, speckRow(mine, j, known, seed, width))
        made = true
      }
      const e = (<usize>(x + 1)) << 4
      let speck = v128.load(row + e)
      if (spread > 0) {
        const beside = f32x4.add(v128.load(row + e - 16), v128.load(row + e + 16))
        const upright = f32x4.add(v128.load(above + e), v128.load(below + e))
        speck = f32x4.add(speck, f32x4.mul(f32x4.splat(spread), f32x4.add(beside, upright)))
      }
      const strength = norm * max<f32>(0, 1 + load<f32>(more + o, 12))
      const added = f32x4.mul(f32x4.mul(speck, f32x4.splat(strength)), f32x4.sqrt(missing))
      if (!sensor) {
        v128.store(dst + o, f32x4.add(now, added))
        continue
      }
      const held = f32x4.pmin(f32x4.splat(CLIPPED), value)
      const speckled = f32x4.pmin(f32x4.splat(CLIPPED), f32x4.add(held, added))
      const back = fromSensor(speckled, sensor)
      // What is brighter than the sensor sees keeps its light: there the speck is a difference.
      const result = v128.any_true(f32x4.ne(held, value)) ? f32x4.add(now, f32x4.sub(back, fromSensor(held, sensor))) : back
      v128.store(dst + o, f32x4.replace_lane(result, 3, 1))
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

// @ts-ignore: decorator
@inline
function speckBytes(width: i32): usize {
  return (<usize>(width + 2)) << 4
}
/** Where a row's specks lie among the three that are held. */
// @ts-ignore: decorator
@inline
function rowOf(y: i32, width: i32): usize {
  return <usize>((y + 3) % 3) * speckBytes(width)
}
/** Makes a row's specks, with one beyond either end, unless they are at hand; returns the row. */
function speckRow(mine: usize, y: i32, known: i32, seed: i32, width: i32): i32 {
  if (y > known) {
    const at = mine + rowOf(y, width)
    for (let x = -1; x <= width; x++) v128.store(at + ((<usize>(x + 1)) << 4), specks(x, y, seed))
  }
  return y
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

/** Sums of two neighbours, weighed 1 and 3 eighths, to both sides. */
// @ts-ignore: decorator
@inline
function fourth(a: v128, b: v128, c: v128, d: v128): v128 {
  return f32x4.add(f32x4.mul(f32x4.splat(0.125), f32x4.add(a, d)), f32x4.mul(f32x4.splat(0.375), f32x4.add(b, c)))
}

/** A picture half as large: each pixel 1 3 3 1 eighths of four in both ways, which a spline of the second order asks for (see growLight); edges repeat. across: its width. Items are its rows. */
export function shrinkLight(dst: usize, src: usize, width: i32, height: i32, across: i32, from: i32, to: i32): void {
  for (let y = from; y < to; y++) {
    const r0 = src + ((<usize>(max(0, 2 * y - 1) * width)) << 4), r1 = src + ((<usize>(2 * y * width)) << 4)
    const r2 = src + ((<usize>(min(height - 1, 2 * y + 1) * width)) << 4), r3 = src + ((<usize>(min(height - 1, 2 * y + 2) * width)) << 4)
    let a = column(r0, r1, r2, r3, 0), b = a
    for (let x = 0; x < across; x++) {
      const c = column(r0, r1, r2, r3, min(width - 1, 2 * x + 1)), d = column(r0, r1, r2, r3, min(width - 1, 2 * x + 2))
      v128.store(dst + ((<usize>(y * across + x)) << 4), fourth(a, b, c, d))
      a = c
      b = d
    }
  }
}
// @ts-ignore: decorator
@inline
function column(r0: usize, r1: usize, r2: usize, r3: usize, x: i32): v128 {
  const e = (<usize>x) << 4
  return fourth(v128.load(r0 + e), v128.load(r1 + e), v128.load(r2 + e), v128.load(r3 + e))
}

/**
 * Adds a picture half as large to one: image += gain x small, 3 and 1 quarters of the two nearest in both ways. Such steps one after another draw a spline of the second order, whose joints can't be seen (Chaikin 1974).
 * gain: 3 floats. across, down: the small one's size. Items are rows of the large one.
 */
export function growLight(image: usize, small: usize, gain: usize, across: i32, down: i32, width: i32, from: i32, to: i32): void {
  const g = f32x4(load<f32>(gain), load<f32>(gain, 4), load<f32>(gain, 8), 0)
  const near = f32x4.splat(0.75), far = f32x4.splat(0.25)
  for (let y = from; y < to; y++) {
    const j = y >> 1
    const a = small + ((<usize>(min(down - 1, j) * across)) << 4)
    const b = small + ((<usize>(min(down - 1, max(0, y & 1 ? j + 1 : j - 1)) * across)) << 4)
    let before = f32x4.mul(g, f32x4.add(f32x4.mul(near, v128.load(a)), f32x4.mul(far, v128.load(b)))), here = before
    for (let i = 0; i < across; i++) {
      const e = (<usize>min(across - 1, i + 1)) << 4
      const next = f32x4.mul(g, f32x4.add(f32x4.mul(near, v128.load(a + e)), f32x4.mul(far, v128.load(b + e))))
      const most = f32x4.mul(near, here)
      const o = image + ((<usize>(y * width + 2 * i)) << 4)
      v128.store(o, f32x4.add(v128.load(o), f32x4.add(most, f32x4.mul(far, before))))
      if (2 * i + 1 < width) v128.store(o, f32x4.add(v128.load(o, 16), f32x4.add(most, f32x4.mul(far, next))), 16)
      before = here
      here = next
    }
  }
}
