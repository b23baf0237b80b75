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
  for (let n = 0; n < width * height; n++) {
    const own = [0, 1, 2].map((c) => Math.max(0, (data[n * channels + c] ?? 0) - lift)) as [number, number, number]
    const alpha = Math.min(1, Math.max(...own) / Math.max(1e-6, full - lift))
    const over = alpha > 1e-6 ? 1 / alpha : 0
    out.data.set([own[0] * over, own[1] * over, own[2] * over, alpha], 4 * n)
  }
  return out
}

/** What decides how a colour is taken out. */
export interface ColourKey {
  /** Of the backing. */
  colour: readonly [number, number, number]
  /** Distances of a pixel's hue from the backing's within which nothing, and beyond which all, of it is there; of chroma over level. */
  near: number
  far: number
  /** Share of the backing's colour that is taken out of what stays. */
  spill: number
}

/**
 * An element before an evenly coloured backing: alpha by how far a pixel's chroma lies from the backing's, and what the backing adds to half-covered pixels is taken away: colour = (filmed - (1 - alpha) backing) / alpha.
 */
export function cutByColour({ width, height, channels, data }: FloatImage, key: ColourKey): CutOut {
  const out = makeImage(width, height, 4)
  const [kr, kg, kb] = key.colour
  const most = [kr, kg, kb].indexOf(Math.max(kr, kg, kb))
  const others = [0, 1, 2].filter((c) => c !== most)
  const backing = key.colour[most] ?? 0
  const excess = backing - Math.max(...others.map((c) => key.colour[c] ?? 0))
  for (let n = 0; n < width * height; n++) {
    const own = [0, 1, 2].map((c) => data[n * channels + c] ?? 0) as [number, number, number]
    // Of the backing there is as much as the pixel has of its excess in the strongest channel.
    const side = Math.max(...others.map((c) => own[c] ?? 0))
    const share = excess > 1e-6 ? ((own[most] ?? 0) - side) / excess : 0
    const alpha = Math.min(1, Math.max(0, (1 - key.near - share) / Math.max(1e-6, key.far - key.near)))
    const colour = own.map((value, c) => {
      const plain = alpha > 1e-3 ? Math.max(0, (value - (1 - alpha) * (key.colour[c] ?? 0)) / alpha) : 0
      return plain
    }) as [number, number, number]
    const limit = Math.max(...others.map((c) => colour[c] ?? 0))
    const strong = colour[most] ?? 0
    if (strong > limit) colour[most] = strong - key.spill * (strong - limit)
    out.data.set([...colour, alpha], 4 * n)
  }
  return out
}

/** Frames of one size put together by their shares. */
export function mixed(images: readonly { image: FloatImage; share: number }[]): FloatImage | undefined {
  const [first] = images
  if (!first) return undefined
  if (images.length === 1) return first.image
  const { width, height, channels } = first.image
  const out = makeImage(width, height, channels)
  for (const { image, share } of images)
    for (let n = 0; n < out.data.length; n++) out.data[n] = (out.data[n] ?? 0) + share * (image.data[n] ?? 0)
  return out
}

/** Fades a cut-out towards its sides, so that no border of the filmed frame is seen. share: of its shorter side. */
export function feathered(image: CutOut, share: number): CutOut {
  if (share <= 0) return image
  const { width, height } = image
  const reach = Math.max(1, share * Math.min(width, height))
  const out = { ...image, data: image.data.slice() }
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const away = Math.min(x + 0.5, y + 0.5, width - x - 0.5, height - y - 0.5) / reach
      if (away >= 1) continue
      const t = Math.max(0, away)
      const at = 4 * (y * width + x) + 3
      out.data[at] = (out.data[at] ?? 0) * t * t * (3 - 2 * t)
    }
  return out
}

/** Sides of a cut-out that are never dark: how much of it there is along each, at most: top, right, bottom, left. */
export function borders(image: CutOut): readonly [number, number, number, number] {
  const { width, height, data } = image
  const at = (x: number, y: number): number => data[4 * (y * width + x) + 3] ?? 0
  const most = (count: number, place: (n: number) => number): number =>
    Array.from({ length: count }, (_, n) => place(n)).reduce((a, b) => Math.max(a, b), 0)
  return [
    most(width, (x) => at(x, 0)),
    most(height, (y) => at(width - 1, y)),
    most(width, (x) => at(x, height - 1)),
    most(height, (y) => at(0, y)),
  ]
}
