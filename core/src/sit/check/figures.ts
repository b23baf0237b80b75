import type { FloatImage } from '../../data/index.ts'
import { log, pow } from '../../math/index.ts'
import { plainEdges } from '../edges.ts'
import { type GrainLaw, patchFigures } from '../grain.ts'
import { grown, isIn, type Region } from './region.ts'

// What an area of a picture is measured to be. Values are the plate's, linear, 1 at white.

/** Brightness below which a given share of an area lies. */
export interface Tones {
  p2: number
  p10: number
  p50: number
  p90: number
  p98: number
}

export interface CheckFigures {
  pixels: number
  tones: Tones
  /** Colour of its neutral parts: red and blue over green, in stops; undefined where it has none. */
  neutral?: readonly [red: number, blue: number]
  /** Its noise over what the plate's law asks at its brightness: 1 is as the plate; undefined where nothing is calm enough. */
  grain?: { level: number; size: number }
  /** Rise of its plain edges from 10 to 90 %, px, of upright ones, level ones, and both; undefined with too few. */
  sharp?: { upright: number; level: number; all: number; edges: number }
}

const log2 = (v: number): number => log(v) / Math.LN2
/** Added to tones before they are compared in stops: about one code value. */
export const BLACK_FLOOR = 0.004
export const stopsOf = (value: number): number => log2(Math.max(0, value) + BLACK_FLOOR)

const median = (values: number[]): number => values.sort((a, b) => a - b)[values.length >> 1] ?? Number.NaN

/** The brightness of each pixel of a region, as a mean with its eight neighbours, which are calmer than one alone; and its colours. */
function calmColours(image: FloatImage, region: Region): { light: Float32Array; colours: Float32Array } {
  const { width, height, channels, data } = image
  const light = new Float32Array(region.pixels)
  const colours = new Float32Array(region.pixels * 3)
  let k = 0
  for (let j = 0; j < region.height; j++)
    for (let i = 0; i < region.width; i++) {
      if (region.mask[j * region.width + i] !== 1) continue
      const sum: [number, number, number] = [0, 0, 0]
      for (let b = -1; b <= 1; b++)
        for (let a = -1; a <= 1; a++) {
          const x = Math.min(width - 1, Math.max(0, region.x + i + a))
          const y = Math.min(height - 1, Math.max(0, region.y + j + b))
          const at = (y * width + x) * channels
          for (let c = 0; c < 3; c++) sum[c as 0] += (data[at + c] ?? 0) / 9
        }
      colours.set(sum, k * 3)
      light[k++] = 0.2126 * sum[0] + 0.7152 * sum[1] + 0.0722 * sum[2]
    }
  return { light, colours }
}

function tonesOf(light: Float32Array): Tones {
  const sorted = light.slice().sort()
  const at = (share: number): number => sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))] ?? 0
  return { p2: at(0.02), p10: at(0.1), p50: at(0.5), p90: at(0.9), p98: at(0.98) }
}

/** Colours as near as this to one another are of one kind, stops of red and blue over green. */
const ALIKE = 0.3
/** Parts that are told by colour are at least so bright, and of so large a share. */
const LEAST_BRIGHT = 0.02
const LEAST_SHARE = 0.03
const ROUNDS = 12

/** The colour of what is nearest to neutral: the mean of the colours round it, moved to where they are densest (mean shift, Comaniciu and Meer 2002), so that a tinted copy gives the tinted colour. */
function neutralOf(colours: Float32Array, light: Float32Array): [number, number] | undefined {
  const stops: number[] = []
  for (let k = 0; k < light.length; k++) {
    const [r, g, b] = [colours[3 * k] ?? 0, colours[3 * k + 1] ?? 0, colours[3 * k + 2] ?? 0]
    if ((light[k] ?? 0) < LEAST_BRIGHT || Math.min(r, g, b) <= 0 || Math.max(r, g, b) > 0.95) continue
    stops.push(log2(r / g), log2(b / g))
  }
  const all = stops.length / 2
  if (all < 40) return undefined
  let [u, v] = [0, 0]
  let count = 0
  for (let round = 0; round < ROUNDS; round++) {
    // Wide at first, so that a tint leads it to the same colour.
    const reach = round < 3 ? 3 * ALIKE : ALIKE
    let [su, sv] = [0, 0]
    count = 0
    for (let k = 0; k < all; k++) {
      const [a, b] = [stops[2 * k] ?? 0, stops[2 * k + 1] ?? 0]
      if ((a - u) * (a - u) + (b - v) * (b - v) > reach * reach) continue
      su += a
      sv += b
      count++
    }
    if (count < LEAST_SHARE * all) return undefined
    ;[u, v] = [su / count, sv / count]
  }
  return count >= LEAST_SHARE * all ? [u, v] : undefined
}

/** Side of the windows whose noise is compared, how many of them are calm, and how many there must be. */
const WINDOW = 6
const CALM_SHARE = 0.06
const LEAST_WINDOWS = 24
/** Brighter windows are near a clip, which flattens noise; darker ones hold nothing that a file keeps. */
const MOST_BRIGHT = 0.85
/** Less noise than this share of the plate's law was flattened by an encoder. */
const FLATTENED = 0.25

/** The finest differences of a part of an image, squared, and its values: three floats a pixel. Differences of differences along both axes, which pictures have little of (Immerkaer 1996). */
function finest(image: FloatImage, { x: left, y: top, width: w, height: h }: Region) {
  const { width, height, channels, data } = image
  const [squares, values] = [new Float32Array(w * h * 3), new Float32Array(w * h * 3)]
  for (let j = 0; j < h; j++)
    for (let i = 0; i < w; i++) {
      const [x, y] = [left + i, top + j]
      if (x < 1 || y < 1 || x >= width - 1 || y >= height - 1) continue
      for (let c = 0; c < 3; c++) {
        const n = (y * width + x) * channels + c
        const [up, down] = [n - width * channels, n + width * channels]
        const row = (m: number): number =>
          (data[m - channels] as number) - 2 * (data[m] as number) + (data[m + channels] as number)
        const fine = row(up) - 2 * row(n) + row(down)
        const at = 3 * (j * w + i) + c
        squares[at] = fine * fine
        values[at] = data[n] as number
      }
    }
  return { squares, values }
}

/** How much a window's finest differences vary, over what the plate's law asks there: 1 for its own grain. (x, y): in the part; w: its width. */
function windowNoise(
  { squares, values }: ReturnType<typeof finest>,
  w: number,
  x0: number,
  y0: number,
  law: GrainLaw,
): number | undefined {
  let ratio = 0
  for (let c = 0; c < 3; c++) {
    let [sum, square] = [0, 0]
    for (let y = y0; y < y0 + WINDOW; y++)
      for (let x = x0; x < x0 + WINDOW; x++) {
        const n = 3 * (y * w + x) + c
        sum += values[n] as number
        square += squares[n] as number
      }
    const mean = sum / (WINDOW * WINDOW)
    if (mean > MOST_BRIGHT) return undefined
    const wanted = Math.max(1e-9, (law.floor[c] ?? 0) + (law.slope[c] ?? 0) * Math.max(0, mean))
    ratio += square / (WINDOW * WINDOW * 36 * wanted) / 3
  }
  return ratio
}

/** Noise of a region's calm windows over the plate's law. */
function grainOf(image: FloatImage, region: Region, law: GrainLaw): { level: number; size: number } | undefined {
  const found: { ratio: number; x: number; y: number }[] = []
  const { x: left, y: top, width, height } = region
  const fine = finest(image, region)
  for (let y = Math.max(1, top + 1); y + WINDOW < Math.min(image.height - 1, top + height); y += WINDOW / 2)
    for (let x = Math.max(1, left + 1); x + WINDOW < Math.min(image.width - 1, left + width); x += WINDOW / 2) {
      if (![-1, WINDOW].every((a) => [-1, WINDOW].every((b) => isIn(region, x + a, y + b)))) continue
      const ratio = windowNoise(fine, width, x - left, y - top, law)
      if (ratio !== undefined && ratio > 0) found.push({ ratio, x, y })
    }
  if (found.length < LEAST_WINDOWS) return undefined
  found.sort((a, b) => a.ratio - b.ratio)
  const calm = found.slice(0, Math.max(12, Math.floor(found.length * CALM_SHARE)))
  const level = Math.sqrt(calm.reduce((sum, { ratio }) => sum + ratio, 0) / calm.length)
  // A file that has flattened the noise tells nothing of it.
  if (level < FLATTENED) return undefined
  let [lag, variance] = [0, 0]
  for (const { x, y } of calm) {
    const figures = patchFigures(image, x + 1, y + 1, 1)
    lag += figures.lag
    variance += figures.variance
  }
  const correlation = Math.min(0.49, Math.max(0, lag / Math.max(1e-12, variance) + 0.1))
  const spread = correlation > 0.02 ? (1 - Math.sqrt(1 - 4 * correlation * correlation)) / (4 * correlation) : 0
  // A speck that spreads to its neighbours is that much wider than a pixel.
  return { level, size: Math.sqrt(1 + (8 * spread) / (1 + 4 * spread)) }
}

/** 10 to 90 % of a step that was blurred by a Gaussian, in its standard deviations. */
export const RISE = 2.563
/** Lower steps of linear light are grain. */
const LEAST_STEP = 0.015
const LEAST_EDGES = 10
const MOST_EDGES = 300

/** How far the highest plain edges of a region are spread. */
function sharpOf(image: FloatImage, region: Region, around: number): CheckFigures['sharp'] {
  const margin = 18
  const { width, height, channels, data } = image
  const [x0, y0] = [Math.max(0, region.x - margin), Math.max(0, region.y - margin)]
  const [x1, y1] = [
    Math.min(width, region.x + region.width + margin),
    Math.min(height, region.y + region.height + margin),
  ]
  const [w, h] = [x1 - x0, y1 - y0]
  const light = new Float32Array(w * h)
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const at = ((y + y0) * width + x + x0) * channels
      light[y * w + x] = 0.2126 * (data[at] ?? 0) + 0.7152 * (data[at + 1] ?? 0) + 0.0722 * (data[at + 2] ?? 0)
    }
  const near = grown(region, around, width, height)
  const edges = plainEdges(light, w, h, LEAST_STEP)
    .filter(({ x, y }) => isIn(near, Math.floor(x + x0), Math.floor(y + y0)))
    .sort((a, b) => b.step - a.step)
    .slice(0, MOST_EDGES)
  if (edges.length < LEAST_EDGES) return undefined
  const sigma = (list: typeof edges): number =>
    list.length < LEAST_EDGES / 2 ? Number.NaN : RISE * Math.sqrt(median(list.map(({ variance }) => variance)))
  const [upright, level] = [
    sigma(edges.filter(({ across }) => across === 'x')),
    sigma(edges.filter(({ across }) => across === 'y')),
  ]
  return { upright, level, all: sigma(edges), edges: edges.length }
}

/**
 * Measures an area of a picture. image: 3 or 4 channels of linear plate values; law: the plate's own grain; edgesAround: px round the area in which edges count too, as a layer's rim.
 */
export function measureArea(image: FloatImage, region: Region, law: GrainLaw, edgesAround = 0): CheckFigures {
  const { light, colours } = calmColours(image, region)
  const neutral = neutralOf(colours, light)
  const grain = grainOf(image, region, law)
  const sharp = sharpOf(image, region, edgesAround)
  return {
    pixels: region.pixels,
    tones: tonesOf(light),
    ...(neutral ? { neutral } : {}),
    ...(grain ? { grain } : {}),
    ...(sharp ? { sharp } : {}),
  }
}

/** Stops between an area's dark and bright tones. */
export const contrastOf = ({ p10, p90 }: Tones): number => stopsOf(p90) - stopsOf(p10)
export const fromStops = (stops: number): number => Math.max(0, pow(2, stops) - BLACK_FLOOR)
