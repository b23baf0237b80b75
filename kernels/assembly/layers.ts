import { exp2 } from './grade'

// The stack in linear light. Images are four floats a pixel (one v128), row-major; a layer's cover a part of the picture, at (x, y) in it.

/**
 * Reads an image of `channels` floats a pixel into lanes of another one, at a scale: each pixel of `out` is the mean of the source's that it covers, or lies smoothly between them where they are larger.
 * Three channels that begin at lane 0 fill the whole pixel: lane 3 becomes 0. scale: source pixels per pixel of out; (sx, sy): where out's corner lies in the source, px. Beyond the source its values are `elsewhere`. Items are rows of out.
 */
export function fitImage(src: usize, width: i32, height: i32, channels: i32, sx: f32, sy: f32, scale: f32, elsewhere: f32, out: usize, lane: i32, outWidth: i32, from: i32, to: i32): void {
  const whole = max(1, <i32>(scale + 0.01))
  const line = (<usize>(width * channels)) << 2, step = (<usize>channels) << 2
  const share: f32 = <f32>(whole * whole)
  const fills = channels == 3 && lane == 0
  for (let y = from; y < to; y++) {
    if (scale == 1) {
      copyRow(src, width, height, channels, <i32>floor(sx + 0.01), <i32>floor(sy + <f32>y + 0.01), elsewhere, fills, out + ((<usize>(y * outWidth)) << 4) + ((<usize>lane) << 2), outWidth)
      continue
    }
    for (let x = 0; x < outWidth; x++) {
      const o = out + ((<usize>(y * outWidth + x)) << 4) + ((<usize>lane) << 2)
      if (fills) store<f32>(o, 0, 12)
      if (scale >= 1) {
        const i = <i32>floor(sx + <f32>x * scale + 0.01), j = <i32>floor(sy + <f32>y * scale + 0.01)
        // Most pixels lie wholly within the source.
        if (i >= 0 && j >= 0 && i + whole <= width && j + whole <= height) {
          const p = src + (<usize>j) * line + (<usize>i) * step
          // The usual case, a picture twice as large, without loops.
          if (whole == 2 && fills) {
            const sum = f32x4.add(f32x4.add(f32x4.add(v128.load(p), v128.load(p + 12)), v128.load(p + line)), v128.load(p + line + 12))
            v128.store(o, f32x4.replace_lane(f32x4.mul(sum, f32x4.splat(0.25)), 3, 0))
            continue
          }
          if (whole == 2 && channels == 1) {
            store<f32>(o, 0.25 * (load<f32>(p) + load<f32>(p, 4) + load<f32>(p + line) + load<f32>(p + line, 4)))
            continue
          }
          for (let c = 0; c < channels; c++) {
            const at = p + ((<usize>c) << 2)
            if (whole == 1) {
              store<f32>(o + ((<usize>c) << 2), load<f32>(at))
              continue
            }
            let sum: f32 = 0
            for (let b = 0; b < whole; b++) for (let a = 0; a < whole; a++) sum += load<f32>(at + (<usize>b) * line + (<usize>a) * step)
            store<f32>(o + ((<usize>c) << 2), sum / share)
          }
          continue
        }
      }
      for (let c = 0; c < channels; c++) {
        let sum: f32 = 0
        if (scale >= 1) {
          const i = <i32>floor(sx + <f32>x * scale + 0.01), j = <i32>floor(sy + <f32>y * scale + 0.01)
          for (let b = 0; b < whole; b++) for (let a = 0; a < whole; a++) sum += read(src, width, height, channels, i + a, j + b, c, elsewhere)
          sum /= <f32>(whole * whole)
        } else {
          sum = smoothly(src, width, height, channels, sx + (<f32>x + 0.5) * scale - 0.5, sy + (<f32>y + 0.5) * scale - 0.5, c, elsewhere)
        }
        store<f32>(o + ((<usize>c) << 2), sum)
      }
    }
  }
}

/** A row of an image from (left, y) on into lanes of another one's row, pixel by pixel. */
function copyRow(src: usize, width: i32, height: i32, channels: i32, left: i32, y: i32, elsewhere: f32, fills: bool, out: usize, count: i32): void {
  const inside = y >= 0 && y < height
  const first = inside ? min(count, max(0, -left)) : count, last = inside ? max(first, min(count, width - left)) : count
  for (let x = 0; x < count; x++) {
    if (x == first && last > first) {
      let p = src + ((<usize>((y * width + left + x) * channels)) << 2)
      for (; x < last; x++) {
        const o = out + ((<usize>x) << 4)
        if (fills) {
          v128.store(o, f32x4.replace_lane(v128.load(p), 3, 0))
          p += 12
        } else if (channels == 3) {
          store<f32>(o, load<f32>(p))
          store<f32>(o, load<f32>(p, 4), 4)
          store<f32>(o, load<f32>(p, 8), 8)
          p += 12
        } else for (let c = 0; c < channels; c++) {
          store<f32>(o + ((<usize>c) << 2), load<f32>(p))
          p += 4
        }
      }
      if (x == count) break
    }
    for (let c = 0; c < channels; c++) store<f32>(out + ((<usize>x) << 4) + ((<usize>c) << 2), elsewhere)
    if (fills) store<f32>(out + ((<usize>x) << 4), 0, 12)
  }
}

/**
 * The same for a layer that is moved, turned or scaled in the picture. map: 6 floats: from a pixel centre of out (x, y) to the source's, px: a x + b y + c, d x + e y + f. finer: so many samples along each side of a pixel.
 */
export function placeImage(src: usize, width: i32, height: i32, channels: i32, map: usize, finer: i32, elsewhere: f32, out: usize, lane: i32, outWidth: i32, from: i32, to: i32): void {
  const a = load<f32>(map), b = load<f32>(map, 4), c0 = load<f32>(map, 8), d = load<f32>(map, 12), e = load<f32>(map, 16), f = load<f32>(map, 20)
  const step: f32 = 1 / <f32>finer, share = step * step
  for (let y = from; y < to; y++)
    for (let x = 0; x < outWidth; x++) {
      const o = out + ((<usize>(y * outWidth + x)) << 4) + ((<usize>lane) << 2)
      if (channels == 3 && lane == 0) store<f32>(o, 0, 12)
      for (let c = 0; c < channels; c++) {
        let sum: f32 = 0
        for (let j = 0; j < finer; j++)
          for (let i = 0; i < finer; i++) {
            const px = <f32>x + (<f32>i + 0.5) * step, py = <f32>y + (<f32>j + 0.5) * step
            sum += smoothly(src, width, height, channels, a * px + b * py + c0 - 0.5, d * px + e * py + f - 0.5, c, elsewhere)
          }
        store<f32>(o + ((<usize>c) << 2), sum * share)
      }
    }
}

/** A source's value between its pixels. */
// @ts-ignore: decorator
@inline
function smoothly(src: usize, width: i32, height: i32, channels: i32, u: f32, v: f32, c: i32, elsewhere: f32): f32 {
  const i = <i32>floor(u), j = <i32>floor(v)
  const fx = u - <f32>i, fy = v - <f32>j
  const upper = read(src, width, height, channels, i, j, c, elsewhere) * (1 - fx) + read(src, width, height, channels, i + 1, j, c, elsewhere) * fx
  const lower = read(src, width, height, channels, i, j + 1, c, elsewhere) * (1 - fx) + read(src, width, height, channels, i + 1, j + 1, c, elsewhere) * fx
  return upper * (1 - fy) + lower * fy
}

// @ts-ignore: decorator
@inline
function read(src: usize, width: i32, height: i32, channels: i32, x: i32, y: i32, c: i32, elsewhere: f32): f32 {
  if (x < 0 || y < 0 || x >= width || y >= height) return elsewhere
  return load<f32>(src + ((<usize>((y * width + x) * channels + c)) << 2))
}

/**
 * A layer's shadow on the plate: factor (of the whole picture) x= 1 - what it takes of the sun's part and of the sky's, in their colours.
 * shade: sun and sky that it lets through, contact, and the sun's share of the plate's light. numbers: 12 floats: sun's colour 0, sky's colour 0 (each of luminance 1), amount, contact's amount.
 */
export function layShadow(factor: usize, shade: usize, numbers: usize, x: i32, y: i32, width: i32, fullWidth: i32, from: i32, to: i32): void {
  const sunColour = v128.load(numbers), skyColour = v128.load(numbers, 16)
  const amount = load<f32>(numbers, 32), contact = load<f32>(numbers, 36)
  const one = f32x4.splat(1)
  for (let r = from; r < to; r++)
    for (let c = 0; c < width; c++) {
      const s = v128.load(shade + ((<usize>(r * width + c)) << 4))
      const sunlit = f32x4.extract_lane(s, 3)
      const sun = f32x4.mul(sunColour, f32x4.splat(sunlit)), sky = f32x4.mul(skyColour, f32x4.splat(1 - sunlit))
      const near: f32 = 1 - contact * (1 - f32x4.extract_lane(s, 2))
      const takenSun: f32 = 1 - f32x4.extract_lane(s, 0), takenSky: f32 = 1 - f32x4.extract_lane(s, 1) * near
      if (takenSun == 0 && takenSky == 0) continue
      const whole = f32x4.pmax(f32x4.splat(1e-6), f32x4.add(sun, sky))
      const taken = f32x4.div(f32x4.add(f32x4.mul(sun, f32x4.splat(takenSun)), f32x4.mul(sky, f32x4.splat(takenSky))), whole)
      const at = factor + ((<usize>((r + y) * fullWidth + c + x)) << 4)
      v128.store(at, f32x4.mul(v128.load(at), f32x4.pmax(f32x4.splat(0), f32x4.sub(one, f32x4.mul(f32x4.splat(amount), taken)))))
    }
}

/** Light on the set: sum (of the whole picture) += light x gain. gain: 4 floats. */
export function layLight(sum: usize, light: usize, gain: usize, x: i32, y: i32, width: i32, fullWidth: i32, from: i32, to: i32): void {
  const g = v128.load(gain)
  for (let r = from; r < to; r++)
    for (let c = 0; c < width; c++) {
      const at = sum + ((<usize>((r + y) * fullWidth + c + x)) << 4)
      v128.store(at, f32x4.add(v128.load(at), f32x4.mul(g, v128.load(light + ((<usize>(r * width + c)) << 4)))))
    }
}

/** A layer's grade in memory, 32 floats: black 0, span (white less black, tint, exposure) amount, three unused, grain less 1, gain of its own light, whether its glow's fourth lane scales it; the grade's four numbers; whether it is graded, hides, stands in haze, wraps; haze's thickness a metre 0, its colour 0. */
const GRADED: usize = 80, HIDES: usize = 84, HAZED: usize = 88, WRAPS: usize = 92, THICKNESS: usize = 96, HAZE: usize = 112

/** Where a layer's own light lies, and its whole colour; set by laidAt for the pixel that it was asked for. */
let lightLaid: v128 = f32x4.splat(0)

/**
 * What of a layer is laid at a pixel, premultiplied; its alpha in the fourth lane, both times its amount. A layer that is graded comes graded (grade.ts).
 * glow: own light, or 0. effect: its fourth lane is distance times alpha where haze asks for it, or 0. wrap: what comes round its edges, or 0.
 */
// @ts-ignore: decorator
@inline
function laidAt(colour: usize, glow: usize, effect: usize, wrap: usize, curves: usize, numbers: usize, o: usize): v128 {
  const k = v128.load(colour + o), e = effect ? v128.load(effect + o) : f32x4.splat(0), g = glow ? v128.load(glow + o) : f32x4.splat(0)
  const alpha = f32x4.extract_lane(k, 3)
  if (alpha == 0 && !v128.any_true(f32x4.ne(v128.or(v128.or(k, e), g), f32x4.splat(0)))) {
    lightLaid = f32x4.splat(0)
    return f32x4.splat(0)
  }
  let body = k, light = g
  // What is graded is ready (grade.ts).
  if (load<f32>(numbers, GRADED) == 0) {
    const span = f32x4.replace_lane(v128.load(numbers, 16), 3, 0)
    body = f32x4.add(f32x4.mul(v128.load(numbers), f32x4.splat(alpha)), f32x4.mul(span, k))
    light = f32x4.mul(v128.load(numbers, 48), g)
  }
  if (wrap) body = f32x4.add(body, f32x4.mul(f32x4.splat(load<f32>(numbers, WRAPS) * alpha), v128.load(wrap + o)))
  if (load<f32>(numbers, HAZED) != 0 && alpha > 1e-6) {
    const through = seenThrough(f32x4.extract_lane(e, 3) / alpha, numbers + THICKNESS)
    body = f32x4.add(f32x4.mul(body, through), f32x4.mul(f32x4.splat(alpha), f32x4.mul(v128.load(numbers, HAZE), f32x4.sub(f32x4.splat(1), through))))
    light = f32x4.mul(light, through)
  }
  const part: f32 = load<f32>(numbers, 28) * (load<f32>(numbers, 60) != 0 ? f32x4.extract_lane(g, 3) : 1)
  lightLaid = f32x4.replace_lane(f32x4.mul(f32x4.splat(part), light), 3, 0)
  const whole = f32x4.mul(f32x4.splat(part), f32x4.add(body, light))
  return f32x4.replace_lane(whole, 3, min<f32>(1, part) * alpha)
}

/** What is left of light that comes so far through haze. thickness: a metre. */
// @ts-ignore: decorator
@inline
function seenThrough(distance: f32, thickness: usize): v128 {
  // Base 2: 1.4427 is one over the logarithm of 2.
  return exp2(f32x4.mul(f32x4.splat(-1.44269504 * distance), v128.load(thickness)))
}

/**
 * A layer laid on: sum += its colour and light, lane 3 of sum the share of the plate that it hides; fire += its own light alone, and in lane 3 how much more grain its share has than the plate's.
 * colour: r g b alpha; glow: own light r g b, and what scales it; effect: in its fourth lane distance times alpha. numbers: as above. own: what was laid of the same layer before (of the whole picture), which this lies over, or 0.
 */
export function layOver(sum: usize, fire: usize, colour: usize, glow: usize, effect: usize, wrap: usize, curves: usize, numbers: usize, own: usize, x: i32, y: i32, width: i32, fullWidth: i32, from: i32, to: i32): void {
  const grain = load<f32>(numbers, 44), hides = load<f32>(numbers, HIDES)
  for (let r = from; r < to; r++)
    for (let c = 0; c < width; c++) {
      const o = (<usize>(r * width + c)) << 4
      let laid = laidAt(colour, glow, effect, wrap, curves, numbers, o)
      const alpha: f32 = f32x4.extract_lane(laid, 3) * hides
      laid = f32x4.replace_lane(laid, 3, alpha)
      const at = (<usize>((r + y) * fullWidth + c + x)) << 4
      if (own) {
        const before = v128.load(own + at)
        laid = f32x4.sub(laid, f32x4.mul(f32x4.splat(alpha), before))
        v128.store(own + at, f32x4.add(before, laid))
      }
      v128.store(sum + at, f32x4.add(v128.load(sum + at), laid))
      v128.store(fire + at, f32x4.add(v128.load(fire + at), f32x4.replace_lane(lightLaid, 3, alpha * grain)))
    }
}

/** Ways to blend that depend on what lies below (W3C, Compositing and Blending Level 1), by number. */
const SCREEN: i32 = 1, MULTIPLY: i32 = 2, LIGHTEN: i32 = 3

/** The W3C's soft light of one channel, both from 0 to 1. */
// @ts-ignore: decorator
@inline
function softLight(below: f32, own: f32): f32 {
  if (own <= 0.5) return below - (1 - 2 * own) * below * (1 - below)
  const d: f32 = below <= 0.25 ? ((16 * below - 12) * below + 4) * below : sqrt(below)
  return below + (2 * own - 1) * (d - below)
}
// @ts-ignore: decorator
@inline
function blended(below: f32, own: f32, way: i32): f32 {
  if (way == MULTIPLY) return below * own
  if (way == LIGHTEN) return max<f32>(below, own)
  const held = min<f32>(1, below)
  // Light beyond white stays as it is.
  if (way == SCREEN) return below + own * (1 - held)
  return below - held + softLight(held, min<f32>(1, own))
}

/**
 * A layer blended with what lies below it in its share of each pixel: change += share x (blended - below). Below are the plate with its shadows and light, what was laid before (lower), and earlier changes, of the share that later layers leave.
 * way: screen 1, multiply 2, lighten 3, soft light 4. sum: all that is laid over; lower: the sum as it was when this layer's turn came, in the layer's own part. A layer of light alone covers as much as it is bright.
 */
export function layBlend(change: usize, fire: usize, plate: usize, factor: usize, light: usize, sum: usize, lower: usize, colour: usize, glow: usize, effect: usize, wrap: usize, curves: usize, numbers: usize, way: i32, x: i32, y: i32, width: i32, fullWidth: i32, from: i32, to: i32): void {
  for (let r = from; r < to; r++)
    for (let c = 0; c < width; c++) {
      const o = (<usize>(r * width + c)) << 4
      const laid = laidAt(colour, glow, effect, wrap, curves, numbers, o)
      const own = lightLaid
      const brightest = min<f32>(1, max<f32>(f32x4.extract_lane(own, 0), max<f32>(f32x4.extract_lane(own, 1), f32x4.extract_lane(own, 2))))
      const alpha = f32x4.extract_lane(laid, 3)
      const share: f32 = alpha + (1 - alpha) * brightest
      if (share <= 1e-6) continue
      const at = (<usize>((r + y) * fullWidth + c + x)) << 4
      const before = v128.load(lower + o)
      const hidden: f32 = f32x4.extract_lane(v128.load(sum + at), 3)
      const left = max<f32>(1e-4, 1 - max<f32>(0, hidden - f32x4.extract_lane(before, 3)))
      const below = f32x4.mul(f32x4.add(f32x4.add(v128.load(change + at), before), f32x4.mul(v128.load(plate + at), plateShare(plate + at, factor ? factor + at : 0, light + at, max<f32>(0, 1 - hidden)))), f32x4.splat(1 / left))
      const straight = f32x4.mul(laid, f32x4.splat(1 / share))
      const result = f32x4(blended(f32x4.extract_lane(below, 0), f32x4.extract_lane(straight, 0), way), blended(f32x4.extract_lane(below, 1), f32x4.extract_lane(straight, 1), way), blended(f32x4.extract_lane(below, 2), f32x4.extract_lane(straight, 2), way), 0)
      const moved = f32x4.replace_lane(f32x4.mul(f32x4.splat(share), f32x4.sub(result, below)), 3, 0)
      v128.store(change + at, f32x4.add(v128.load(change + at), moved))
      v128.store(fire + at, f32x4.add(v128.load(fire + at), own))
    }
}

/** What light from around a layer there is beside it: (1 - alpha) x the plate, for its edges. Items are rows of the layer's part. */
export function lightAround(around: usize, plate: usize, colour: usize, x: i32, y: i32, width: i32, fullWidth: i32, from: i32, to: i32): void {
  for (let r = from; r < to; r++)
    for (let c = 0; c < width; c++) {
      const o = (<usize>(r * width + c)) << 4
      const beside = f32x4.splat(1 - min<f32>(1, load<f32>(colour + o, 12)))
      v128.store(around + o, f32x4.replace_lane(f32x4.mul(beside, v128.load(plate + ((<usize>((r + y) * fullWidth + c + x)) << 4))), 3, 0))
    }
}

/** Haze before the set: image = image x what comes through + the haze's colour x the rest. depth: metres in lane 0, 0 where nothing stands: as far as can be. numbers: thickness a metre 0, colour 0. */
export function hazeSet(image: usize, depth: usize, numbers: usize, width: i32, from: i32, to: i32): void {
  for (let n = from * width; n < to * width; n++) {
    const o = (<usize>n) << 4
    const d = load<f32>(depth + o)
    const through = seenThrough(d > 0 ? d : 1e5, numbers)
    const p = v128.load(image + o)
    const seen = f32x4.add(f32x4.mul(p, through), f32x4.mul(v128.load(numbers, 16), f32x4.sub(f32x4.splat(1), through)))
    v128.store(image + o, f32x4.replace_lane(seen, 3, f32x4.extract_lane(p, 3)))
  }
}

/** What of a plate's pixel is light of its own, as flames have it: as bright, and as deeply coloured, as hardly any lit surface is. */
// @ts-ignore: decorator
@inline
function ownLight(p: v128): f32 {
  const r = f32x4.extract_lane(p, 0), g = f32x4.extract_lane(p, 1), b = f32x4.extract_lane(p, 2)
  const most = max<f32>(r, max<f32>(g, b)), least = min<f32>(r, min<f32>(g, b))
  const bright = min<f32>(1, max<f32>(0, (most - 0.75) * 5))
  const deep = min<f32>(1, max<f32>(0, (0.55 - least / max<f32>(most, 1e-6)) * 4))
  return bright * deep
}

/** What the plate is multiplied by at a pixel: its shadows (none where factor is 0), which leave what shines of itself, and light, of what is left of it. */
// @ts-ignore: decorator
@inline
function plateShare(plate: usize, factor: usize, light: usize, left: f32): v128 {
  if (!factor) return f32x4.splat(left)
  const p = v128.load(plate), shadow = v128.load(factor)
  const kept = f32x4.add(shadow, f32x4.mul(f32x4.sub(f32x4.splat(1), shadow), f32x4.splat(ownLight(p))))
  return f32x4.mul(f32x4.splat(left), f32x4.add(kept, v128.load(light)))
}

/** The result: plate x what is left of it x (shadows + light) + what is laid on. Shadows leave what shines of itself in the plate. Lane 3 is the factor that the plate's own grain was multiplied by. factor, sum: 0 where there is none. */
export function layPlate(image: usize, plate: usize, factor: usize, light: usize, sum: usize, width: i32, from: i32, to: i32): void {
  for (let n = from * width; n < to * width; n++) {
    const o = (<usize>n) << 4
    const s = sum ? v128.load(sum + o) : f32x4.splat(0)
    const left: f32 = max<f32>(0, 1 - f32x4.extract_lane(s, 3))
    const p = v128.load(plate + o)
    const f = plateShare(plate + o, factor ? factor + o : 0, light + o, left)
    const mean: f32 = (f32x4.extract_lane(f, 0) + f32x4.extract_lane(f, 1) + f32x4.extract_lane(f, 2)) / 3
    v128.store(image + o, f32x4.replace_lane(f32x4.add(f32x4.mul(p, f), s), 3, mean))
  }
}
