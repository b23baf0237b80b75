import type { FloatImage } from '../data/index.ts'
import { makeImage } from '../data/index.ts'

// What of a filmed element is there: by its brightness on black, or by a colour that is taken out. Colours are linear.

/** How much of a pixel is there, and its own colour, not multiplied with that: 4 channels. */
export type CutOut = FloatImage

/**
 * An element filmed on black: what lies above the lift of the black is light of the element, so brightness is the matte (Porter & Duff 1984: a premultiplied picture over black). full: the level at which it hides all behind it.
 * Laid over whatever, colour x alpha is what was filmed less the lift.
 */
export function cutFromBlack({ width, height, channels, data }: FloatImage, lift: number, full: number): CutOut {
  const out = makeImage(width, height, 4)
  const span = 1 / Math.max(1e-6, full - lift)
  for (let n = 0, from = 0, to = 0; n < width * height; n++, from += channels, to += 4) {
    const r = Math.max(0, (data[from] as number) - lift)
    const g = Math.max(0, (data[from + 1] as number) - lift)
    const b = Math.max(0, (data[from + 2] as number) - lift)
    const alpha = Math.min(1, Math.max(r, g, b) * span)
    const over = alpha > 1e-6 ? 1 / alpha : 0
    out.data[to] = r * over
    out.data[to + 1] = g * over
    out.data[to + 2] = b * over
    out.data[to + 3] = alpha
  }
  return out
}

/** What decides how a colour is taken out. */
export interface ColourKey {
  /** Of the backing. */
  colour: readonly [number, number, number]
  /** Shares of the backing: of a pixel with at least so much less than all of it something is there, and with that much less it is there wholly. */
  near: number
  far: number
  /** Share of the backing's colour that is taken out of what stays. */
  spill: number
  /** Half the width of its soft edges, shares of the shorter side. */
  edge: number
}

/** How far the element's own colour is asked for, shares of the shorter side. */
const AROUND = 0.06
/** Share of it from which a pixel may belong to the element's core. */
const LIKELY = 0.5

/** Means of values over a square round each pixel, weighted. */
function around(
  values: Float32Array,
  weights: Float32Array,
  width: number,
  height: number,
  reach: number,
): Float32Array {
  const sums = (of: (n: number) => number): Float64Array => {
    const out = new Float64Array((width + 1) * (height + 1))
    for (let y = 0; y < height; y++) {
      let row = 0
      for (let x = 0; x < width; x++) {
        row += of(y * width + x)
        out[(y + 1) * (width + 1) + x + 1] = (out[y * (width + 1) + x + 1] ?? 0) + row
      }
    }
    return out
  }
  const [whole, own] = [sums((n) => weights[n] ?? 0), sums((n) => (weights[n] ?? 0) * (values[n] ?? 0))]
  const all = whole[whole.length - 1] ?? 0
  const mean = all > 0 ? (own[own.length - 1] ?? 0) / all : 0
  const out = new Float32Array(width * height)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const [x0, x1] = [Math.max(0, x - reach), Math.min(width, x + reach + 1)]
      const [y0, y1] = [Math.max(0, y - reach), Math.min(height, y + reach + 1)]
      const part = (table: Float64Array): number =>
        (table[y1 * (width + 1) + x1] ?? 0) -
        (table[y0 * (width + 1) + x1] ?? 0) -
        (table[y1 * (width + 1) + x0] ?? 0) +
        (table[y0 * (width + 1) + x0] ?? 0)
      const near = part(whole)
      out[y * width + x] = near > 0.5 ? part(own) / near : mean
    }
  return out
}

/** A mask without what lies within so many px of its outside; the frame's own border is none. */
function eroded(mask: Float32Array, width: number, height: number, reach: number): Float32Array {
  const along = (from: Float32Array, step: number, count: number, line: number, lines: number): Float32Array => {
    const out = new Float32Array(from.length)
    for (let l = 0; l < lines; l++) {
      const at = (n: number): number => l * line + n * step
      // How long ago, and how soon, it is outside.
      let away = Infinity
      for (let n = 0; n < count; n++) {
        away = from[at(n)] ? away + 1 : 0
        out[at(n)] = away > reach ? 1 : 0
      }
      away = Infinity
      for (let n = count - 1; n >= 0; n--) {
        away = from[at(n)] ? away + 1 : 0
        if (away <= reach) out[at(n)] = 0
      }
    }
    return out
  }
  return along(along(mask, 1, width, width, height), width, height, 1, width)
}

/**
 * An element before an evenly coloured backing. By how much the backing's strongest channel exceeds the mean of the others goes straight with its share; what the element itself has of that is asked of its core near by, which is all of it. What the backing adds to half-covered pixels is taken away: colour = (filmed - (1 - alpha) backing) / alpha.
 */
export function cutByColour({ width, height, channels, data }: FloatImage, key: ColourKey): CutOut {
  const out = makeImage(width, height, 4)
  const most = key.colour.indexOf(Math.max(...key.colour)) as 0 | 1 | 2
  const [one, two] = ([0, 1, 2] as const).filter((c) => c !== most) as [0 | 1 | 2, 0 | 1 | 2]
  const excessOf = (of: (c: number) => number): number => of(most) - (of(one) + of(two)) / 2
  const backing = Math.max(
    1e-6,
    excessOf((c) => key.colour[c] ?? 0),
  )
  const excess = new Float32Array(width * height)
  for (let n = 0; n < excess.length; n++) excess[n] = excessOf((c) => data[n * channels + c] ?? 0)
  const shorter = Math.min(width, height)
  const edge = Math.max(1, Math.round(key.edge * shorter))
  const likely = excess.map((value) => (value < (1 - LIKELY) * backing ? 1 : 0))
  // So far from all that is less than half there, all of it is there, of whatever colour.
  const core = eroded(likely, width, height, edge)
  const own = around(excess, core, width, height, edge + Math.max(2, Math.round(AROUND * shorter)))
  for (let n = 0; n < excess.length; n++) {
    const there = (backing - (excess[n] ?? 0)) / Math.max(1e-6, backing - (own[n] ?? 0))
    const share = Math.min(1, Math.max(0, (there - key.near) / Math.max(1e-6, key.far - key.near)))
    const alpha = core[n] ? 1 : share
    const colour = [0, 1, 2].map((c) =>
      alpha > 1e-3 ? Math.max(0, ((data[n * channels + c] ?? 0) - (1 - alpha) * (key.colour[c] ?? 0)) / alpha) : 0,
    ) as [number, number, number]
    // More of the backing's channel than the element has near by is the backing's light on it.
    const over = excessOf((c) => colour[c] ?? 0) - Math.max(0, own[n] ?? 0)
    if (over > 0) colour[most] = Math.max(0, colour[most] - key.spill * over)
    out.data.set([...colour, alpha], 4 * n)
  }
  return out
}

/** A frame that says by itself how much of each pixel is there. alpha: 1 channel, as large or larger. */
export function withAlpha(image: FloatImage, alpha: FloatImage): CutOut {
  const { width, height, channels, data } = image
  const out = makeImage(width, height, 4)
  const [sx, sy] = [alpha.width / width, alpha.height / height]
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const n = y * width + x
      const [u0, u1] = [Math.floor(x * sx), Math.max(Math.floor(x * sx) + 1, Math.floor((x + 1) * sx))]
      const [v0, v1] = [Math.floor(y * sy), Math.max(Math.floor(y * sy) + 1, Math.floor((y + 1) * sy))]
      let sum = 0
      for (let v = v0; v < v1; v++) for (let u = u0; u < u1; u++) sum += alpha.data[v * alpha.width + u] ?? 0
      for (let c = 0; c < 3; c++) out.data[4 * n + c] = data[n * channels + c] ?? 0
      out.data[4 * n + 3] = Math.min(1, Math.max(0, sum / ((u1 - u0) * (v1 - v0))))
    }
  return out
}

/** Colours that were multiplied with alpha, divided by it; where nothing is there they stay. */
export function unmultiplied(image: CutOut): CutOut {
  const out = { ...image, data: image.data.slice() }
  for (let n = 0; n < out.data.length; n += 4) {
    const alpha = out.data[n + 3] ?? 0
    if (alpha > 1e-4) for (let c = 0; c < 3; c++) out.data[n + c] = (out.data[n + c] ?? 0) / alpha
  }
  return out
}

/** How often a frame is halved until it is no less than so many px tall. */
export function halvings({ width, height }: Pick<FloatImage, 'width' | 'height'>, least: number): number {
  let count = 0
  for (let [w, h] = [width, height]; h >= 2 * least && w >= 4 && h >= 4; w >>= 1, h >>= 1) count++
  return count
}

/** A frame of half its width and height, so often that it is no less than so many px tall; with alpha by what of it is there. Odd rows and columns at its end are left out. */
export function smaller(image: FloatImage, least: number): FloatImage {
  let own = image
  for (let n = halvings(image, least); n > 0; n--) own = halved(own)
  return own
}
function halved({ width, height, channels, data }: FloatImage): FloatImage {
  const out = makeImage(width >> 1, height >> 1, channels)
  const [row, weighted] = [width * channels, channels === 4]
  if (channels === 3) {
    for (let y = 0, to = 0; y < out.height; y++)
      for (let x = 0, at = 2 * y * row; x < out.width; x++, at += 6)
        for (let c = at; c < at + 3; c++, to++)
          out.data[to] =
            0.25 *
            ((data[c] as number) + (data[c + 3] as number) + (data[c + row] as number) + (data[c + row + 3] as number))
    return out
  }
  for (let y = 0, to = 0; y < out.height; y++)
    for (let x = 0, at = 2 * y * row; x < out.width; x++, at += 2 * channels, to += channels) {
      const corners = [at, at + channels, at + row, at + row + channels] as const
      let whole = 0
      for (const corner of corners) whole += weighted ? (data[corner + 3] as number) : 1
      for (let c = 0; c < channels; c++) {
        let [sum, plain] = [0, 0]
        for (const corner of corners) {
          const value = data[corner + c] as number
          sum += weighted && c < 3 ? value * (data[corner + 3] as number) : value
          plain += value
        }
        out.data[to + c] = !weighted || c === 3 ? plain / 4 : whole > 0 ? sum / whole : plain / 4
      }
    }
  return out
}

/** Frames of one size put together by their shares; those with alpha by what of them is there. */
export function mixed(images: readonly { image: FloatImage; share: number }[]): FloatImage | undefined {
  const [first] = images
  if (!first) return undefined
  if (images.length === 1) return first.image
  const { width, height, channels } = first.image
  const out = makeImage(width, height, channels)
  for (const { image, share } of images)
    for (let n = 0; n < out.data.length; n++) {
      const there = channels === 4 && n % 4 < 3 ? (image.data[n - (n % 4) + 3] ?? 0) : 1
      out.data[n] = (out.data[n] ?? 0) + share * there * (image.data[n] ?? 0)
    }
  return channels === 4 ? unmultiplied(out) : out
}

/** Fades a cut-out towards its sides, so that no border of the filmed frame is seen. share: of its shorter side. */
export function feathered(image: CutOut, share: number): CutOut {
  if (share <= 0) return image
  const { width, height } = image
  const reach = Math.max(1, share * Math.min(width, height))
  const out = { ...image, data: image.data.slice() }
  const rim = Math.ceil(reach)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      // What lies farther in than the border stays.
      if (x === rim && y >= rim && y < height - rim) x = Math.max(x, width - rim)
      const away = Math.min(x + 0.5, y + 0.5, width - x - 0.5, height - y - 0.5) / reach
      if (away >= 1) continue
      const t = Math.max(0, away)
      const at = 4 * (y * width + x) + 3
      out.data[at] = (out.data[at] ?? 0) * t * t * (3 - 2 * t)
    }
  return out
}
