import type { Crew } from '../base/index.ts'
import { type FloatImage, makeImage, type Picture, type PictureLayer } from '../data/index.ts'
import { dot, normalise, type Vec3 } from '../math/index.ts'
import type { FrameScene, Relief } from './passes.ts'
import type { LaidScene } from './scene.ts'

// Light on forms that are no meshes: what was filmed inside a matte. Worked out at points over it, and spread between them.

const HEAD = 2
const EACH = 5
const RAY_STACK = 32768

/** Light on a relief's points by each lit layer's lamps: HEAD + EACH x count numbers a point (kernels/assembly/setlight.ts). */
function litPoints(crew: Crew, relief: Relief, laid: LaidScene, count: number): Float32Array {
  const { heap } = crew
  const mark = heap.mark()
  try {
    const size = HEAD + EACH * count
    const all = relief.columns * relief.rows
    const stacks = heap.alloc(crew.threads * RAY_STACK)
    const lit = heap.alloc(Math.max(1, laid.lit.length) * 4)
    heap.i32(lit, laid.lit.length).set(laid.lit)
    const points = heap.alloc(all * 32)
    heap.f32(points, all * 8).set(relief.points)
    const out = heap.alloc(all * size * 4)
    const { wrap } = relief
    crew.run(
      'lightRelief',
      { scene: laid.scene, stacks, points, wrap, shadowed: Number(relief.shadowed), lit, count, out },
      all,
      64,
    )
    return heap.f32(out, all * size).slice()
  } finally {
    heap.release(mark)
  }
}

/** How the points round a pixel weigh; those that are none count nothing. */
function weightsAt(relief: Relief, x: number, y: number): { point: number; weight: number }[] {
  const [u, v] = [(x - relief.x) / relief.stride, (y - relief.y) / relief.stride]
  const [c, r] = [Math.floor(u), Math.floor(v)]
  const [fx, fy] = [u - c, v - r]
  const out: { point: number; weight: number }[] = []
  let sum = 0
  for (let n = 0; n < 4; n++) {
    const [i, j] = [Math.min(relief.columns - 1, c + (n & 1)), Math.min(relief.rows - 1, r + (n >> 1))]
    const point = j * relief.columns + i
    if (!relief.points[8 * point + 3]) continue
    const weight = (n & 1 ? fx : 1 - fx) * (n >> 1 ? fy : 1 - fy) + 1e-4
    out.push({ point, weight })
    sum += weight
  }
  return out.map(({ point, weight }) => ({ point, weight: weight / sum }))
}

const normalOf = ({ points }: Relief, point: number): Vec3 => [
  points[8 * point + 4] ?? 0,
  points[8 * point + 5] ?? 0,
  points[8 * point + 6] ?? 0,
]
/** How much of a far light a point gets. */
const facing = (relief: Relief, point: number, direction: Vec3): number =>
  Math.max(0, (dot(normalOf(relief, point), direction) + relief.wrap) / (1 + relief.wrap))

/**
 * Puts the lamps' light on a relief in the place of that on the set behind it. planes: of the whole picture, the sun's share and 5 for each lit layer (setLight.ts).
 * The light goes into the lamps' own layers, so that their exposure counts.
 */
export function lightReliefs(crew: Crew, frame: FrameScene, laid: LaidScene, planes: Float32Array): void {
  const { width, height } = frame.camera
  const area = width * height
  const count = laid.lit.filter((own) => own >= 0).length
  // What of a pixel has been taken from the set already: where several relights cover it they add up.
  const taken = new Float32Array(area)
  for (const { drawables } of frame.layers)
    for (const relief of drawables) {
      if (relief.kind !== 'relief' || relief.reflects || count === 0) continue
      const lit = relief.amount > 0 ? litPoints(crew, relief, laid, count) : undefined
      const size = HEAD + EACH * count
      const counts = frame.layers.map(({ id }) => relief.only === undefined || relief.only === id)
      eachPixel(relief, width, height, (n, x, y, covered) => {
        const weights = lit ? weightsAt(relief, x, y) : []
        const gain = relief.amount * (relief.share.data[n] ?? 1)
        const fresh = Math.max(0, covered - (taken[n] ?? 0))
        taken[n] = Math.max(taken[n] ?? 0, covered)
        laid.lit.forEach((own, layer) => {
          if (own < 0) return
          for (let c = 0; c < EACH; c++) {
            const at = (1 + own * EACH + c) * area + n
            let light = 0
            if (c < 3 && lit && counts[layer])
              for (const { point, weight } of weights)
                light += weight * gain * (lit[point * size + HEAD + own * EACH + c] ?? 0)
            // Of sun and sky nothing is kept off it.
            planes[at] = (planes[at] ?? 0) * (1 - fresh) + (c < 3 ? covered * light : fresh)
          }
        })
      })
    }
}

function eachPixel(
  { mask, x, y, stride, columns, rows }: Relief,
  width: number,
  height: number,
  put: (n: number, x: number, y: number, covered: number) => void,
): void {
  for (let py = y; py < Math.min(height, y + rows * stride); py++)
    for (let px = x; px < Math.min(width, x + columns * stride); px++) {
      const n = py * width + px
      const covered = mask.data[n] ?? 0
      if (covered > 0) put(n, px, py, covered)
    }
}

/** Puts the lamps' light on reliefs that are drawn themselves into their layers: a fire's as light of effects, a lamp's as colour. */
export function lightDrawn(crew: Crew, frame: FrameScene, laid: LaidScene, picture: Picture): void {
  const count = laid.lit.filter((own) => own >= 0).length
  const size = HEAD + EACH * count
  const setUp = frame.layers.map((_, n) => laid.lamps.some((lamp) => lamp.layer === n && lamp.setUp))
  for (const { id, drawables } of frame.layers)
    for (const relief of drawables) {
      if (relief.kind !== 'relief' || !relief.reflects || count === 0 || relief.amount <= 0) continue
      const layer = picture.layers.find((one) => one.id === id)
      if (!layer?.colour || !layer.alpha) continue
      const { colour, alpha, x: left, y: top } = layer
      const effect = layer.effect ?? makeImage(layer.width, layer.height, 3)
      const lit = litPoints(crew, relief, laid, count)
      for (let n = 0; n < layer.width * layer.height; n++) {
        const there = alpha.data[n] ?? 0
        if (there <= 0) continue
        const [x, y] = [left + (n % layer.width), top + Math.floor(n / layer.width)]
        const weights = weightsAt(relief, x, y)
        const own = relief.reflects.data.subarray(3 * (y * picture.width + x), 3 * (y * picture.width + x) + 3)
        laid.lit.forEach((place, number) => {
          if (place < 0) return
          const into = setUp[number] ? colour : effect
          for (let c = 0; c < 3; c++) {
            let light = 0
            for (const { point, weight } of weights)
              light += weight * (lit[point * size + HEAD + place * EACH + c] ?? 0)
            into.data[3 * n + c] = (into.data[3 * n + c] ?? 0) + there * relief.amount * (own[c] ?? 0) * light
          }
        })
      }
      layer.effect = effect
    }
}

/** A relief's own layer: the light from its side, or its form as grey; undefined where it has neither. */
export function reliefLayer(id: string, relief: Relief, width: number, height: number): PictureLayer | undefined {
  const { side, towards } = relief
  if (!side && !towards) return undefined
  const part = {
    x: relief.x,
    y: relief.y,
    width: Math.min(width - relief.x, relief.columns * relief.stride),
    height: Math.min(height - relief.y, relief.rows * relief.stride),
  }
  const image = (channels: number): FloatImage => makeImage(part.width, part.height, channels)
  const [light, colour, alpha] = [image(3), image(3), image(1)]
  const judged = towards && normalise([towards[0] - 0.6 * towards[2], towards[1] + 0.8, towards[2] + 0.6 * towards[0]])
  eachPixel(relief, width, height, (n, x, y, covered) => {
    const at = (y - part.y) * part.width + x - part.x
    const weights = weightsAt(relief, x, y)
    const mean = (of: (point: number) => number): number =>
      weights.reduce((sum, { point, weight }) => sum + weight * of(point), 0)
    if (judged) {
      const grey =
        0.05 +
        0.6 *
          Math.max(
            0,
            mean((point) => dot(normalOf(relief, point), judged)),
          )
      for (let c = 0; c < 3; c++) colour.data[3 * at + c] = covered * grey
      alpha.data[at] = covered
    } else if (side) {
      const share = covered * (relief.share.data[n] ?? 1) * mean((point) => facing(relief, point, side.direction))
      for (let c = 0; c < 3; c++) light.data[3 * at + c] = share * (side.colour[c] ?? 0)
    }
  })
  return judged ? { id, ...part, colour, alpha } : { id, ...part, light }
}
