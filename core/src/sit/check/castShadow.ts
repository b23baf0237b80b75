import type { FloatImage } from '../../data/index.ts'
import { log } from '../../math/index.ts'

// How much of the plate's light a shadow takes, and what colour is left.

export interface ShadowFigures {
  /** Share of the light that the plate's own sun would be missed of there, and that is missed. */
  plate: number
  layer: number
  /** Colour that is left, red and blue over green, against what the plate's sky leaves: stops. */
  red: number
  blue: number
  pixels: number
}

/** Light is taken this wholly in a shadow's core. */
const CORE = 0.2
const LEAST_SUN = 0.12
const LEAST_PIXELS = 150

const add = (sums: number[], c: number, value: number): void => {
  sums[c] = (sums[c] ?? 0) + value
}

/**
 * A layer's shadow on the set. shadows: what is left of the plate's light by all shadows, plate: the scene's light without them, at one size; sun, sky: what the layer lets through of either, sunlit: the sun's share of the light there; place: the plate's pixel of each of these; covered: what hides the plate, a plate's pixel.
 * sunColour, skyColour: of luminance 1. Undefined where too little of a core is seen.
 */
export function shadowFigures(
  shadows: FloatImage,
  plate: FloatImage,
  { sun, sky, place }: { sun: Float32Array; sky: Float32Array; place?: (n: number) => number },
  sunlit: Float32Array,
  covered: Float32Array,
  colours: { sun: readonly number[]; sky: readonly number[] },
): ShadowFigures | undefined {
  const [taken, expected, before]: [number[], number[], number[]] = [
    [0, 0, 0],
    [0, 0, 0],
    [0, 0, 0],
  ]
  let pixels = 0
  for (let n = 0; n < sun.length; n++) {
    const share = sunlit[n] ?? 0
    const at = place?.(n) ?? n
    if ((sun[n] ?? 1) > CORE || share < LEAST_SUN || (covered[at] ?? 0) > 0.03) continue
    pixels++
    for (let c = 0; c < 3; c++) {
      const value = plate.data[at * plate.channels + c] ?? 0
      const [s, a] = [(colours.sun[c] ?? 1) * share, (colours.sky[c] ?? 1) * (1 - share)]
      add(before, c, value)
      add(taken, c, value * (shadows.data[at * shadows.channels + c] ?? 1))
      add(expected, c, value * (1 - ((1 - (sun[n] ?? 1)) * s + (1 - (sky[n] ?? 1)) * a) / Math.max(1e-6, s + a)))
    }
  }
  if (pixels < LEAST_PIXELS) return undefined
  const light = ([r = 0, g = 0, b = 0]: readonly number[]): number => 0.2126 * r + 0.7152 * g + 0.0722 * b
  const tint = (c: number): number => {
    const ratio = (of: readonly number[]): number => (of[c] ?? 0) / Math.max(1e-6, of[1] ?? 0)
    return log(Math.max(1e-6, ratio(taken)) / Math.max(1e-6, ratio(expected))) / Math.LN2
  }
  return {
    plate: 1 - light(expected) / Math.max(1e-6, light(before)),
    layer: 1 - light(taken) / Math.max(1e-6, light(before)),
    red: tint(0),
    blue: tint(2),
    pixels,
  }
}
