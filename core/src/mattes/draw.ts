import { type FloatImage, type MatteFrame, makeImage, matteFrameAt } from '../data/index.ts'
import { exp } from '../math/index.ts'
import { Areas } from './coverage.ts'
import { heightOf, squaredDistance, widthOf } from './helped/area.ts'
import { type Place, pointsAt, ringOf, softRing } from './outline.ts'
import type { MatteItem, MattePoint, MatteShape, MatteTaken } from './schema.ts'

// A matte as a picture: what was carried or painted, then its shapes and the mattes that it takes, in order.

/** Steps of a soft edge at least and at most. */
const SOFT_STEPS = { least: 8, most: 64 } as const
/** Moments of the open shutter at most. */
const MOST_MOMENTS = 64
/** Rings of a shape at most: with many moments a soft edge has fewer steps, for they blur it too. */
const MOST_RINGS = 512

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

/** A part of a matte: a shape of its own, or another matte. */
export type MattePart = { id: string; shape: MatteShape } | { id: string; taken: MatteTaken }
/** The shown parts of a matte in the order in which they count. */
export function partsInOrder({ shapes, takes }: Pick<MatteItem, 'shapes' | 'takes'>): MattePart[] {
  const all = [
    ...Object.entries(shapes).map(([id, shape]) => ({ id, shape })),
    ...Object.entries(takes).map(([id, taken]) => ({ id, taken })),
  ]
  return all
    .filter((part) => ownOf(part).shown)
    .sort((a, b) => ownOf(a).order - ownOf(b).order || (a.id < b.id ? -1 : 1))
}
const ownOf = (part: MattePart): MatteShape | MatteTaken => ('shape' in part ? part.shape : part.taken)

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

interface Ring {
  places: readonly Place[]
  weight: number
}
/** Part of a picture: from (x, y), so wide and high. */
interface Part {
  x: number
  y: number
  width: number
  height: number
  data: Float32Array
}

/** A shape's rings at one moment, px of the picture: one, or so many over its soft edge, each with its weight. */
function momentRings(points: readonly MattePoint[], grow: number, scale: number, moments: number): Ring[] {
  const ring = ringOf(points)
  const most = Math.min(SOFT_STEPS.most, Math.floor(MOST_RINGS / moments))
  const softest = Math.max(0, ...points.map(({ soft }) => soft)) * scale
  const steps = softest > 0 ? Math.min(most, Math.max(SOFT_STEPS.least, Math.ceil(2 * softest))) : 1
  return Array.from({ length: steps }, (_, k) => ({
    places: softRing(ring, softest > 0 ? (k + 0.5) / steps : 0, grow).map(([x, y]): Place => [x * scale, y * scale]),
    weight: 1 / (moments * steps),
  }))
}

/** Coverage by rings together, in the part of the picture that they reach. */
function coverageOf(rings: readonly Ring[], { width, height }: Pick<MatteView, 'width' | 'height'>): Part {
  let [x0, y0, x1, y1] = [width, height, 0, 0]
  for (const { places } of rings)
    for (const [x, y] of places) {
      x0 = Math.min(x0, Math.floor(x))
      y0 = Math.min(y0, Math.floor(y))
      x1 = Math.max(x1, Math.ceil(x))
      y1 = Math.max(y1, Math.ceil(y))
    }
  const [x, y] = [Math.max(0, x0), Math.max(0, y0)]
  const size = { width: Math.max(0, Math.min(width, x1) - x), height: Math.max(0, Math.min(height, y1) - y) }
  const part = { x, y, ...size, data: new Float32Array(size.width * size.height) }
  if (part.data.length === 0) return part
  const areas = new Areas(size.width, size.height)
  for (const { places, weight } of rings) {
    areas.add(places, x, y)
    areas.addTo(part.data, weight)
  }
  return part
}

/** One shape over the open shutter. */
function shapePart(shape: MatteShape, item: MatteItem, view: MatteView): Part {
  const { scale, opening, closing } = view
  const travel = item.blurs ? scale * travelOf(shape, opening, closing) : 0
  const moments = Math.min(MOST_MOMENTS, Math.max(1, Math.ceil(2 * travel)))
  const grow = shape.way === 'subtract' ? -item.grow : item.grow
  const rings = Array.from({ length: moments }, (_, n) => {
    const frame = item.blurs ? opening + ((closing - opening) * (n + 0.5)) / moments : (opening + closing) / 2
    return momentRings(pointsAt(shape, frame), grow, scale, moments)
  })
  return coverageOf(rings.flat(), view)
}

/** Lays a part on a matte by what it does; beyond it it covers nothing, or, inverted, all. */
function combine(
  { data, width, height }: FloatImage,
  part: Part,
  { way, inverted }: Pick<MatteShape, 'way' | 'inverted'>,
): void {
  const everywhere = inverted || way === 'intersect'
  const [x0, y0] = everywhere ? [0, 0] : [part.x, part.y]
  const [x1, y1] = everywhere ? [width, height] : [part.x + part.width, part.y + part.height]
  for (let y = y0; y < y1; y++) {
    const v = y - part.y
    const row = v >= 0 && v < part.height ? v * part.width : -1
    for (let x = x0; x < x1; x++) {
      const u = x - part.x
      const covered = row >= 0 && u >= 0 && u < part.width ? (part.data[row + u] ?? 0) : 0
      const value = inverted ? 1 - covered : covered
      const n = y * width + x
      const before = data[n] ?? 0
      if (way === 'add') data[n] = Math.min(1, before + value)
      else if (way === 'difference') data[n] = Math.abs(before - value)
      else data[n] = before * (way === 'subtract' ? Math.max(0, 1 - value) : Math.min(1, value))
    }
  }
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

/** A carried frame as a picture, grown by so many px of the picture. */
function layCarried(image: FloatImage, frame: MatteFrame, grow: number): void {
  const { width, height, data } = image
  const [sx, sy] = [frame.width / width, frame.height / height]
  const reach = Math.abs(grow) + 2
  const [x0, x1] = [Math.floor(frame.x / sx - reach), Math.ceil((frame.x + frame.wide) / sx + reach)]
  const [y0, y1] = [Math.floor(frame.y / sy - reach), Math.ceil((frame.y + frame.high) / sy + reach)]
  const box = { x0: Math.max(0, x0), y0: Math.max(0, y0), x1: Math.min(width, x1), y1: Math.min(height, y1) }
  const [w, h] = [widthOf(box), heightOf(box)]
  if (frame.wide * frame.high === 0 || w <= 0 || h <= 0) return
  const part = new Float32Array(w * h)
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) part[y * w + x] = matteFrameAt(frame, (x + box.x0 + 0.5) * sx, (y + box.y0 + 0.5) * sy)
  const grown = grow === 0 ? part : movedRim(part, w, h, grow)
  for (let y = 0; y < h; y++) data.set(grown.subarray(y * w, (y + 1) * w), (y + box.y0) * width + box.x0)
}

/** Coverage with its rim moved outward by so many px: by the distance to where it is half. */
function movedRim(part: Float32Array, w: number, h: number, grow: number): Float32Array {
  const inside = new Uint8Array(w * h)
  for (let n = 0; n < part.length; n++) inside[n] = (part[n] as number) >= 0.5 ? 1 : 0
  const outside = inside.map((one) => 1 - one)
  const [toIn, toOut] = [squaredDistance(inside, w, h), squaredDistance(outside, w, h)]
  return part.map((_, n) => {
    const away = inside[n] ? Math.sqrt(toOut[n] as number) - 0.5 : 0.5 - Math.sqrt(toIn[n] as number)
    return Math.min(1, Math.max(0, 0.5 + away + grow))
  })
}

/** What a matte is drawn from besides its own shapes. */
export interface MatteSources {
  carried?: MatteFrame
  /** What is painted on surfaces, the picture's size. */
  painted?: FloatImage
  /** Another matte by itself, the picture's size; undefined where it has nothing to say. */
  other?(id: string): FloatImage | undefined
}

/** A picture joined to a matte where it covers more, its rim moved by so many px. */
function layPainted({ data, width, height }: FloatImage, painted: FloatImage, grow: number): void {
  const grown = grow === 0 ? painted.data : movedRim(painted.data, width, height, grow)
  for (let n = 0; n < data.length; n++) data[n] = Math.max(data[n] as number, grown[n] as number)
}

/** What another matte covers, as a part of the whole picture. It grows as the one that takes it does. */
function takenPart(
  { of, way }: MatteTaken,
  item: MatteItem,
  { width, height, scale }: MatteView,
  { other }: MatteSources,
): Part {
  const image = other?.(of)
  const grow = (way === 'subtract' ? -item.grow : item.grow) * scale
  if (!image) return { x: 0, y: 0, width: 0, height: 0, data: new Float32Array(0) }
  return { x: 0, y: 0, width, height, data: grow === 0 ? image.data : movedRim(image.data, width, height, grow) }
}

/** A matte (1 channel, 0 to 1) over the open shutter: what was carried or painted, then its parts in order, grown and softened as it says. */
export function drawMatte(item: MatteItem, view: MatteView, sources: MatteSources = {}): FloatImage {
  const { width, height, scale } = view
  const { carried, painted } = sources
  const image = makeImage(width, height, 1)
  const parts = partsInOrder(item)
  const [first] = parts
  if (carried) layCarried(image, carried, item.grow * scale)
  if (painted) layPainted(image, painted, item.grow * scale)
  // What is cut away first is cut from all.
  const begins = first && ['subtract', 'intersect'].includes(ownOf(first).way)
  if (begins && !item.helped && Object.keys(item.painted).length === 0) image.data.fill(1)
  for (const one of parts)
    combine(
      image,
      'shape' in one ? shapePart(one.shape, item, view) : takenPart(one.taken, item, view, sources),
      ownOf(one),
    )
  const soft = item.soften > 0 ? softened(image, item.soften * scale) : image
  if (item.inverted) for (let n = 0; n < soft.data.length; n++) soft.data[n] = 1 - (soft.data[n] ?? 0)
  return soft
}
