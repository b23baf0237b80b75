// The stack in linear light. Images are four floats a pixel (one v128), row-major; a layer's cover a part of the picture, at (x, y) in it.

/**
 * Reads an image of `channels` floats a pixel into lanes of another one, at a scale: each pixel of `out` is the mean of the source's that it covers, or lies smoothly between them where they are larger.
 * scale: source pixels per pixel of out; (sx, sy): where out's corner lies in the source, px. Beyond the source its values are `elsewhere`. Items are rows of out.
 */
export function fitImage(src: usize, width: i32, height: i32, channels: i32, sx: f32, sy: f32, scale: f32, elsewhere: f32, out: usize, lane: i32, outWidth: i32, from: i32, to: i32): void {
  const whole = max(1, <i32>(scale + 0.01))
  for (let y = from; y < to; y++)
    for (let x = 0; x < outWidth; x++) {
      const o = out + ((<usize>(y * outWidth + x)) << 4) + ((<usize>lane) << 2)
      for (let c = 0; c < channels; c++) {
        let sum: f32 = 0
        if (scale >= 1) {
          const i = <i32>floor(sx + <f32>x * scale + 0.01), j = <i32>floor(sy + <f32>y * scale + 0.01)
          for (let b = 0; b < whole; b++) for (let a = 0; a < whole; a++) sum += read(src, width, height, channels, i + a, j + b, c, elsewhere)
          sum /= <f32>(whole * whole)
        } else {
          const u: f32 = sx + (<f32>x + 0.5) * scale - 0.5, v: f32 = sy + (<f32>y + 0.5) * scale - 0.5
          const i = <i32>floor(u), j = <i32>floor(v)
          const fx = u - <f32>i, fy = v - <f32>j
          const upper = read(src, width, height, channels, i, j, c, elsewhere) * (1 - fx) + read(src, width, height, channels, i + 1, j, c, elsewhere) * fx
          const lower = read(src, width, height, channels, i, j + 1, c, elsewhere) * (1 - fx) + read(src, width, height, channels, i + 1, j + 1, c, elsewhere) * fx
          sum = upper * (1 - fy) + lower * fy
        }
        store<f32>(o + ((<usize>c) << 2), sum)
      }
    }
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

/**
 * A layer laid on: sum += its colour and light, lane 3 of sum the share of the plate that it hides; fire += its own light alone, and in lane 3 how much more grain its share has than the plate's.
 * colour: r g b alpha; glow: own light r g b; effect: lit by effects r g b. numbers: 16 floats: black 0, span 0 (white less black, tint, exposure), gain of what effects light 0, gain of its own light 0; amount lies in span's fourth, grain less 1 in the effects' fourth.
 */
export function layOver(sum: usize, fire: usize, colour: usize, glow: usize, effect: usize, numbers: usize, x: i32, y: i32, width: i32, fullWidth: i32, from: i32, to: i32): void {
  const black = v128.load(numbers), span = f32x4.replace_lane(v128.load(numbers, 16), 3, 0)
  const amount = load<f32>(numbers, 28)
  const lit = f32x4.replace_lane(v128.load(numbers, 32), 3, 0), own = v128.load(numbers, 48)
  const grain = load<f32>(numbers, 44)
  const part = f32x4.splat(amount), hidden = min<f32>(1, amount)
  for (let r = from; r < to; r++)
    for (let c = 0; c < width; c++) {
      const o = (<usize>(r * width + c)) << 4
      const k = v128.load(colour + o)
      const alpha = f32x4.extract_lane(k, 3)
      // The grade is of colour divided by alpha, times alpha again.
      const body = f32x4.add(f32x4.mul(black, f32x4.splat(alpha)), f32x4.mul(span, f32x4.add(k, f32x4.mul(lit, v128.load(effect + o)))))
      const light = f32x4.mul(own, v128.load(glow + o))
      const at = (<usize>((r + y) * fullWidth + c + x)) << 4
      const laid = f32x4.replace_lane(f32x4.mul(part, f32x4.add(body, light)), 3, hidden * alpha)
      v128.store(sum + at, f32x4.add(v128.load(sum + at), laid))
      v128.store(fire + at, f32x4.add(v128.load(fire + at), f32x4.replace_lane(f32x4.mul(part, light), 3, hidden * alpha * grain)))
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

/** The result: plate x what is left of it x (shadows + light) + what is laid on. Shadows leave what shines of itself in the plate. Lane 3 is the factor that the plate's own grain was multiplied by. */
export function layPlate(image: usize, plate: usize, factor: usize, light: usize, sum: usize, width: i32, from: i32, to: i32): void {
  for (let n = from * width; n < to * width; n++) {
    const o = (<usize>n) << 4
    const s = v128.load(sum + o)
    const left: f32 = max<f32>(0, 1 - f32x4.extract_lane(s, 3))
    const p = v128.load(plate + o)
    const shadow = v128.load(factor + o)
    const kept = f32x4.add(shadow, f32x4.mul(f32x4.sub(f32x4.splat(1), shadow), f32x4.splat(ownLight(p))))
    const f = f32x4.mul(f32x4.splat(left), f32x4.add(kept, v128.load(light + o)))
    const mean: f32 = (f32x4.extract_lane(f, 0) + f32x4.extract_lane(f, 1) + f32x4.extract_lane(f, 2)) / 3
    v128.store(image + o, f32x4.replace_lane(f32x4.add(f32x4.mul(p, f), s), 3, mean))
  }
}
