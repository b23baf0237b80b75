import { type FloatImage, makeImage } from '../data/index.ts'

// Colours of what a matte covers, without the background that shows through its rim: so that it stands clean before something else.

/** Weights of a neighbour's colour: at least, and for each step of alpha between. */
const SMOOTH = { least: 1e-5, perAlpha: 1 } as const
/** Sweeps of a level: many while it is small. */
const SWEEPS = { small: 10, large: 2, smallEdge: 32 } as const

/** What a level of the solution holds: alpha, the picture, and the colours before and behind; 3 values a pixel but alpha. */
interface Level {
  width: number
  height: number
  alpha: Float32Array
  light: Float32Array
  front: Float32Array
  back: Float32Array
}

/** A picture at another size by its nearest pixels. */
function nearest(
  from: Float32Array,
  size: readonly [number, number],
  to: readonly [number, number],
  channels: number,
): Float32Array {
  const out = new Float32Array(to[0] * to[1] * channels)
  for (let y = 0; y < to[1]; y++)
    for (let x = 0; x < to[0]; x++) {
      const u = Math.min(size[0] - 1, Math.floor((x * size[0]) / to[0]))
      const v = Math.min(size[1] - 1, Math.floor((y * size[1]) / to[1]))
      for (let c = 0; c < channels; c++)
        out[(y * to[0] + x) * channels + c] = from[(v * size[0] + u) * channels + c] as number
    }
  return out
}

/** One sweep: every pixel's two colours fit the picture and their neighbours' (2 x 2 equations). */
function sweep({ width, height, alpha, light, front, back }: Level): void {
  const around = [0, 0, 0, 0]
  const weights = [0, 0, 0, 0]
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const n = y * width + x
      const a = alpha[n] as number
      const b = 1 - a
      around[0] = x > 0 ? n - 1 : n
      around[1] = x < width - 1 ? n + 1 : n
      around[2] = y > 0 ? n - width : n
      around[3] = y < height - 1 ? n + width : n
      let sum = 0
      for (let k = 0; k < 4; k++) {
        const weight = SMOOTH.least + SMOOTH.perAlpha * Math.abs(a - (alpha[around[k] as number] as number))
        weights[k] = weight
        sum += weight
      }
      const [aa, ab, bb] = [a * a + sum, a * b, b * b + sum]
      const whole = aa * bb - ab * ab
      for (let c = 0; c < 3; c++) {
        const own = light[3 * n + c] as number
        let f = a * own
        let g = b * own
        for (let k = 0; k < 4; k++) {
          const m = 3 * (around[k] as number) + c
          f += (weights[k] as number) * (front[m] as number)
          g += (weights[k] as number) * (back[m] as number)
        }
        front[3 * n + c] = Math.max(0, (bb * f - ab * g) / whole)
        back[3 * n + c] = Math.max(0, (aa * g - ab * f) / whole)
      }
    }
}

/** Mean colours of what is covered and of what is not. */
function meanColours(light: Float32Array, alpha: Float32Array): { front: number[]; back: number[] } {
  const front = [0, 0, 0, 1e-6]
  const back = [0, 0, 0, 1e-6]
  for (let n = 0; n < alpha.length; n++)
    for (const [into, weight] of [[front, alpha[n] as number] as const, [back, 1 - (alpha[n] as number)] as const]) {
      for (let c = 0; c < 3; c++) into[c] = (into[c] as number) + weight * (light[3 * n + c] as number)
      into[3] = (into[3] as number) + weight
    }
  const mean = (sums: number[]): number[] => sums.slice(0, 3).map((value) => value / (sums[3] as number))
  return { front: mean(front), back: mean(back) }
}

/**
 * The colours of what a matte covers (r g b, linear light), over the whole of a picture.
 * By the multi-level method: alpha x front + (1 - alpha) x back is the picture, and both are smooth where alpha changes (Germer, Uelwer, Conrad and Harmeling 2020). alpha: 1 channel of the picture's size.
 */
export function foregroundColours(picture: FloatImage, alpha: FloatImage): FloatImage {
  const { width, height } = picture
  const { front, back } = meanColours(picture.data, alpha.data)
  let level: Level = {
    width: 1,
    height: 1,
    alpha: new Float32Array(1),
    light: new Float32Array(3),
    front: Float32Array.from(front),
    back: Float32Array.from(back),
  }
  let levels = 1
  while (2 ** levels < Math.max(width, height)) levels++
  for (let n = 0; n <= levels; n++) {
    const w = n === levels ? width : Math.max(1, Math.round(width / 2 ** (levels - n)))
    const h = n === levels ? height : Math.max(1, Math.round(height / 2 ** (levels - n)))
    const [before, size] = [[level.width, level.height] as const, [w, h] as const]
    level = {
      width: w,
      height: h,
      alpha: nearest(alpha.data, [width, height], size, 1),
      light: nearest(picture.data, [width, height], size, 3),
      front: nearest(level.front, before, size, 3),
      back: nearest(level.back, before, size, 3),
    }
    const sweeps = Math.max(w, h) <= SWEEPS.smallEdge ? SWEEPS.small : SWEEPS.large
    for (let k = 0; k < sweeps; k++) sweep(level)
  }
  const out = makeImage(width, height, 3)
  out.data.set(level.front)
  return out
}
