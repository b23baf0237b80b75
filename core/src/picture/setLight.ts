import type { Crew } from '../base/index.ts'
import { type FloatImage, makeImage, type Picture, type PictureLayer } from '../data/index.ts'
import type { FrameScene } from './passes.ts'
import { lightDrawn, lightReliefs, reliefLayer } from './relief.ts'
import type { LaidScene } from './scene.ts'

// Light that fires throw on the set, and what smoke lets through to it: worked out at every few pixels and spread (kernels/assembly/setlight.ts).

const HEAD = 2
const EACH = 5
const RAY_STACK = 32768
/** Less than this is no light, and no shadow. */
const LEAST = 1e-4

/** Bounds of the pixels in which a layer lights or shadows the set; undefined where none is. */
function litBounds(planes: Float32Array, first: number, width: number, height: number) {
  const area = width * height
  let [x0, y0, x1, y1] = [width, height, -1, -1]
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const n = y * width + x
      const light =
        (planes[first * area + n] ?? 0) + (planes[(first + 1) * area + n] ?? 0) + (planes[(first + 2) * area + n] ?? 0)
      const through = Math.min(planes[(first + 3) * area + n] ?? 1, planes[(first + 4) * area + n] ?? 1)
      if (light <= LEAST && through >= 1 - LEAST) continue
      x0 = Math.min(x0, x)
      x1 = Math.max(x1, x)
      y0 = Math.min(y0, y)
      y1 = Math.max(y1, y)
    }
  return x1 < 0 ? undefined : { x: x0, y: y0, width: x1 - x0 + 1, height: y1 - y0 + 1 }
}

interface Part {
  x: number
  y: number
  width: number
  height: number
}
const union = (a: Part, b: Part): Part => {
  const [x, y] = [Math.min(a.x, b.x), Math.min(a.y, b.y)]
  return {
    x,
    y,
    width: Math.max(a.x + a.width, b.x + b.width) - x,
    height: Math.max(a.y + a.height, b.y + b.height) - y,
  }
}

/** An image cut or widened to another part of the picture; elsewhere: its value where it was not. */
function recut(image: FloatImage | undefined, from: Part, to: Part, elsewhere: number): FloatImage | undefined {
  if (!image || (from.x === to.x && from.y === to.y && from.width === to.width && from.height === to.height))
    return image
  const out = makeImage(to.width, to.height, image.channels)
  if (elsewhere) out.data.fill(elsewhere)
  for (let y = 0; y < from.height; y++) {
    const start = y * from.width * image.channels
    const row = image.data.subarray(start, start + from.width * image.channels)
    out.data.set(row, ((y + from.y - to.y) * to.width + from.x - to.x) * image.channels)
  }
  return out
}

/** A layer in a larger part of the picture. */
const widened = (layer: PictureLayer, to: Part): PictureLayer => ({
  id: layer.id,
  ...to,
  colour: recut(layer.colour, layer, to, 0),
  alpha: recut(layer.alpha, layer, to, 0),
  emission: recut(layer.emission, layer, to, 0),
  effect: recut(layer.effect, layer, to, 0),
  depth: recut(layer.depth, layer, to, 0),
  light: recut(layer.light, layer, to, 0),
  sun: recut(layer.sun, layer, to, 1),
  sky: recut(layer.sky, layer, to, 1),
  contact: recut(layer.contact, layer, to, 1),
})

/** Puts a lit layer's planes into its light and shadows. */
function takeLight(layer: PictureLayer, planes: Float32Array, first: number, width: number, height: number): void {
  const area = width * height
  const light = makeImage(layer.width, layer.height, 3)
  const through = (image: FloatImage | undefined): FloatImage => {
    if (image) return image
    const made = makeImage(layer.width, layer.height, 1)
    made.data.fill(1)
    return made
  }
  const [sun, sky] = [through(layer.sun), through(layer.sky)]
  for (let y = 0; y < layer.height; y++)
    for (let x = 0; x < layer.width; x++) {
      const [to, from] = [y * layer.width + x, (y + layer.y) * width + x + layer.x]
      for (let c = 0; c < 3; c++) light.data[to * 3 + c] = planes[(first + c) * area + from] ?? 0
      sun.data[to] = (sun.data[to] ?? 1) * (planes[(first + 3) * area + from] ?? 1)
      sky.data[to] = (sky.data[to] ?? 1) * (planes[(first + 4) * area + from] ?? 1)
    }
  layer.light = light
  layer.sun = sun
  layer.sky = sky
}

/** Adds the light on the set, and what gases shadow, to a picture's layers; fills its sunlit. The heap is left as it was found. */
export function lightSet(crew: Crew, frame: FrameScene, laid: LaidScene, picture: Picture): void {
  const { heap } = crew
  const { width, height } = picture
  const { scene, view } = laid
  const stride = frame.quality.lightStride
  const count = laid.lit.filter((own) => own >= 0).length
  const columns = Math.ceil(width / stride) + 1
  const rows = Math.ceil(height / stride) + 1
  const mark = heap.mark()
  try {
    const stacks = heap.alloc(crew.threads * RAY_STACK)
    const lit = heap.alloc(Math.max(1, laid.lit.length) * 4)
    heap.i32(lit, laid.lit.length).set(laid.lit)
    const points = heap.alloc(columns * rows * (HEAD + EACH * count) * 4)
    const set = heap.alloc(width * height * 4)
    const planesAt = heap.alloc(width * height * (1 + EACH * count) * 4)
    crew.run('lightPoints', { scene, view, stacks, stride, columns, lit, count, out: points }, rows)
    crew.run('castPieces', { scene, view, stacks, out: set }, height, 4)
    crew.run('spreadPoints', { points, stride, columns, rows, count, set, out: planesAt, width, height }, height, 8)
    const planes = heap.f32(planesAt, width * height * (1 + EACH * count)).slice()
    lightReliefs(crew, frame, laid, planes)
    lightDrawn(crew, frame, laid, picture)
    picture.sunlit.data.set(planes.subarray(0, width * height))
    frame.layers.forEach(({ id }, n) => {
      const own = laid.lit[n] ?? -1
      const part = own < 0 ? undefined : litBounds(planes, 1 + own * EACH, width, height)
      if (!part) return
      const before = picture.layers.findIndex((layer) => layer.id === id)
      const old = picture.layers[before]
      const layer = old ? widened(old, union(old, part)) : { id, ...part }
      takeLight(layer, planes, 1 + own * EACH, width, height)
      if (old) picture.layers[before] = layer
      else picture.layers.push(layer)
    })
    for (const { id, drawables } of frame.layers)
      for (const relief of drawables) {
        const own = relief.kind === 'relief' ? reliefLayer(id, relief, width, height) : undefined
        if (own) picture.layers.push(own)
      }
    const order = new Map(frame.layers.map(({ id }, n) => [id, n]))
    picture.layers.sort((a, b) => (order.get(a.id) ?? 0) - (order.get(b.id) ?? 0))
  } finally {
    heap.release(mark)
  }
}
