import type { FloatImage } from '../../data/index.ts'
import { lightAt, type Region, regionWhere } from './region.ts'

// Light that spreads round what is as bright as white: in lens and sensor.

/** What counts as clipped, and how many px of it make a highlight. */
const CLIPPED = 0.93
const LEAST_PIXELS = 9
/** Where a halo is looked for round a highlight, and where the picture is as it would be without: over the picture's width. */
const NEAR = [0.004, 0.012] as const
const FAR = [0.035, 0.05] as const

export interface HaloFigures {
  /** Light of the ring near highlights over that of the picture round them, of white. */
  level: number
  /** How red that is: red over green, less one. */
  red: number
  pixels: number
}

/** Distance to the nearest highlight by two passes (chamfer 3-4, Borgefors 1986), px; held at `most`. */
function distances(mask: Uint8Array, width: number, height: number, most: number): Float32Array {
  const far = new Float32Array(width * height).fill(most)
  const at = (x: number, y: number): number =>
    x < 0 || y < 0 || x >= width || y >= height ? most : (far[y * width + x] ?? most)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const n = y * width + x
      far[n] =
        mask[n] === 1
          ? 0
          : Math.min(most, at(x - 1, y) + 1, at(x, y - 1) + 1, at(x - 1, y - 1) + 4 / 3, at(x + 1, y - 1) + 4 / 3)
    }
  for (let y = height - 1; y >= 0; y--)
    for (let x = width - 1; x >= 0; x--) {
      const n = y * width + x
      far[n] = Math.min(
        far[n] ?? most,
        at(x + 1, y) + 1,
        at(x, y + 1) + 1,
        at(x + 1, y + 1) + 4 / 3,
        at(x - 1, y + 1) + 4 / 3,
      )
    }
  return far
}

/**
 * The halo round a picture's highlights. image: linear plate values; within: where highlights count; without: the same picture without its halo, where there is one, so that only that tells; else the ring further out does.
 * Undefined without highlights, or where they fill the ring.
 */
export function haloOf(image: FloatImage, within?: Region, without?: FloatImage): HaloFigures | undefined {
  const { width, height } = image
  const mask = new Uint8Array(width * height)
  const bright = regionWhere(
    width,
    height,
    (n) => lightAt(image, n) > CLIPPED && (!without || lightAt(without, n) < CLIPPED),
    within,
  )
  if (bright.pixels < LEAST_PIXELS) return undefined
  for (let j = 0; j < bright.height; j++)
    for (let i = 0; i < bright.width; i++)
      mask[(bright.y + j) * width + bright.x + i] = bright.mask[j * bright.width + i] ?? 0
  const most = FAR[1] * width + 1
  const far = distances(mask, width, height, most)
  const [near, outer]: [number[], number[]] = [
    [0, 0, 0, 0],
    [0, 0, 0, 0],
  ]
  for (let n = 0; n < far.length; n++) {
    const d = (far[n] ?? most) / width
    const ring = d >= NEAR[0] && d < NEAR[1] ? near : d >= FAR[0] && d < FAR[1] ? outer : undefined
    if (!ring || lightAt(image, n) > 0.8) continue
    for (let c = 0; c < 3; c++) {
      const base = without ? (without.data[n * without.channels + c] ?? 0) : 0
      ring[c] = (ring[c] ?? 0) + (image.data[n * image.channels + c] ?? 0) - base
    }
    ring[3] = (ring[3] ?? 0) + 1
  }
  const mean = (ring: readonly number[], c: number): number => (ring[c] ?? 0) / Math.max(1, ring[3] ?? 0)
  if ((near[3] ?? 0) < 20 || (!without && (outer[3] ?? 0) < 20)) return undefined
  const over = [0, 1, 2].map((c) => mean(near, c) - (without ? 0 : mean(outer, c)))
  const level = 0.2126 * (over[0] ?? 0) + 0.7152 * (over[1] ?? 0) + 0.0722 * (over[2] ?? 0)
  return { level, red: (over[0] ?? 0) / Math.max(1e-4, over[1] ?? 0) - 1, pixels: bright.pixels }
}
