import { type FloatImage, makeImage } from '../data/index.ts'
import { exp } from '../math/index.ts'
import { Areas } from './coverage.ts'
import { pointsAt, ringOf, softRing } from './outline.ts'
import type { MatteItem, MattePoint, MatteShape } from './schema.ts'

// A drawn matte as a picture.

/** Steps of a soft edge at least and at most. */
const SOFT_STEPS = { least: 8, most: 64 } as const
/** Moments of the open shutter at most. */
const MOST_MOMENTS = 64

/** How a matte is drawn: the picture's size against the plate's, and the frames between which the shutter is open. */
export interface MatteView {
  width: number
  height: number
  /** Px of the picture a px of the plate. */
  scale: number
  opening: number
  closing: number
}

/** Shapes in the order in which they count. */
export const shapesInOrder = ({ shapes }: Pick<MatteItem, 'shapes'>): [string, MatteShape][] =>
  Object.entries(shapes).sort(([a, x], [b, y]) => x.order - y.order || (a < b ? -1 : 1))

/** How far a shape's points go between two frames, px. */
function travelOf(shape: MatteShape, from: number, to: number): number {
  if (from === to || shape.keys.length < 2) return 0
  const [a, b] = [pointsAt(shape, from), pointsAt(shape, to)]
  return Math.max(
    ...a.map(({ at }, n) => {
      const other = b[n]?.at ?? at
      return Math.sqrt((other[0] - at[0]) ** 2 + (other[1] - at[1]) ** 2)
    }),
  )
}

/** Adds a weight times a shape's coverage at one moment. */
function addMoment(
  areas: Areas,
  points: readonly MattePoint[],
  grow: number,
  scale: number,
  weight: number,
  out: Float32Array,
) {
  const ring = ringOf(points)
  const softest = Math.max(0, ...points.map(({ soft }) => soft)) * scale
  const steps = softest > 0 ? Math.min(SOFT_STEPS.most, Math.max(SOFT_STEPS.least, Math.ceil(2 * softest))) : 1
  for (let k = 0; k < steps; k++) {
    const places = softRing(ring, softest > 0 ? (k + 0.5) / steps : 0, grow)
    areas.add(places.map(([x, y]) => [x * scale, y * scale] as const))
    areas.addTo(out, weight / steps)
  }
}

/** One shape over the open shutter. */
function shapeImage(shape: MatteShape, item: MatteItem, view: MatteView, areas: Areas): Float32Array {
  const { scale, opening, closing, width, height } = view
  const out = new Float32Array(width * height)
  const travel = item.blurs ? scale * travelOf(shape, opening, closing) : 0
  const moments = Math.min(MOST_MOMENTS, Math.max(1, Math.ceil(2 * travel)))
  const grow = shape.way === 'subtract' ? -item.grow : item.grow
  for (let n = 0; n < moments; n++) {
    const frame = item.blurs ? opening + ((closing - opening) * (n + 0.5)) / moments : (opening + closing) / 2
    addMoment(areas, pointsAt(shape, frame), grow, scale, 1 / moments, out)
  }
  return out
}

/** A Gauss filter along rows and columns (radius: px at which it has fallen to a tenth), the edge's values held beyond it. */
export function softened({ width, height, data, channels }: FloatImage, radius: number): FloatImage {
  const out = makeImage(width, height, channels)
  out.data.set(data)
  const sigma = radius / 2.15
  if (sigma < 0.05) return out
  const reach = Math.ceil(3 * sigma)
  const weights = Array.from({ length: 2 * reach + 1 }, (_, n) => exp(-0.5 * ((n - reach) / sigma) ** 2))
  const whole = weights.reduce((sum, weight) => sum + weight, 0)
  const line = new Float32Array(Math.max(width, height))
  const along = (start: number, step: number, count: number): void => {
    for (let n = 0; n < count; n++) line[n] = out.data[start + n * step] ?? 0
    for (let n = 0; n < count; n++) {
      let sum = 0
      for (let k = -reach; k <= reach; k++)
        sum += (weights[k + reach] ?? 0) * (line[Math.min(count - 1, Math.max(0, n + k))] ?? 0)
      out.data[start + n * step] = sum / whole
    }
  }
  for (let y = 0; y < height; y++) along(y * width, 1, width)
  for (let x = 0; x < width; x++) along(x, width, height)
  return out
}

/** A drawn matte (1 channel, 0 to 1): its shapes in order, over the open shutter, grown and softened as it says. */
export function drawMatte(item: MatteItem, view: MatteView): FloatImage {
  const { width, height, scale } = view
  const areas = new Areas(width, height)
  const image = makeImage(width, height, 1)
  const shapes = shapesInOrder(item).filter(([, { shown }]) => shown)
  // What is cut away first is cut from all.
  if (shapes[0] && shapes[0][1].way !== 'add') image.data.fill(1)
  for (const [, shape] of shapes) {
    const own = shapeImage(shape, item, view, areas)
    for (let n = 0; n < own.length; n++) {
      const [before, value] = [image.data[n] ?? 0, shape.inverted ? 1 - (own[n] ?? 0) : (own[n] ?? 0)]
      image.data[n] =
        shape.way === 'add'
          ? Math.min(1, before + value)
          : before * (shape.way === 'subtract' ? Math.max(0, 1 - value) : Math.min(1, value))
    }
  }
  const soft = item.soften > 0 ? softened(image, item.soften * scale) : image
  if (item.inverted) for (let n = 0; n < soft.data.length; n++) soft.data[n] = 1 - (soft.data[n] ?? 0)
  return soft
}
