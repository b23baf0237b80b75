import { type CheckLine, LINE_KINDS, type LineName } from '@lantern/core/sit'

/** What a full bar stands for on each line, from where it begins; in the line's unit. */
const SPANS: Readonly<Record<LineName, readonly [number, number]>> = {
  black: [-8, 0],
  white: [-6, 0.2],
  colour: [-1, 1],
  contrast: [0, 7],
  grain: [0, 200],
  grainSize: [0.8, 2],
  sharpness: [0, 6],
  blur: [0, 20],
  slide: [0, 4],
  light: [0, 45],
  shadow: [0, 100],
  halo: [0, 20],
  speed: [0, 200],
}

/** Where a line's bars end, and where the plate's spread lies, as shares of the whole. */
export function barsOf({ name, plate, layer, difference, spread, parts }: CheckLine): {
  plate: number
  layer: number
  from: number
  to: number
} {
  const [low, high] = SPANS[name]
  const share = (value: number): number => Math.min(1, Math.max(0, (value - low) / (high - low)))
  // A colour's bars are of what it differs by: the plate's stands in the middle.
  const [a, b] = parts ? [0, difference] : [plate, layer]
  const band = LINE_KINDS[name].unit === '%' && name === 'grain' ? (plate * spread) / 100 : spread
  return { plate: share(a), layer: share(b), from: share(a - band), to: share(a + band) }
}
