import type { Crew } from '../base/index.ts'
import {
  type Bounds,
  type FloatImage,
  LAYER_IMAGES,
  type LayerImage,
  type PictureLayer,
  placeOf,
} from '../data/index.ts'
import { cos, pow, radians, sin } from '../math/index.ts'
import { type AtHand, numberOf } from './atHand.ts'
import type { StackLayer, StackPicture, StackScale, StackSettings } from './stackTypes.ts'

// Layers brought to the plate's size, in the part of it that they cover.

export const stops = (value: number): number => pow(2, value)

/** A part of the plate's picture. */
export interface Part {
  x: number
  y: number
  width: number
  height: number
}

/** A picture that is being laid; pointers to four floats a pixel. */
export interface Laying {
  crew: Crew
  width: number
  height: number
  scale: StackScale
  settings: StackSettings
  picture: StackPicture
  plate: number
  factor: number
  light: number
  sum: number
  fire: number
  /** What was made of the same frame before. */
  atHand?: AtHand
  put(values: readonly number[]): number
}

/** From pixels of the plate's size to where they lie in the picture, px of that: a x + b y + c, d x + e y + f. */
type Map6 = readonly [number, number, number, number, number, number]

const isMoved = ({ nudgeX, nudgeY, size, turned }: StackLayer): boolean =>
  nudgeX !== 0 || nudgeY !== 0 || size !== 1 || turned % 360 !== 0

/** Where a moved layer's pixels come from: px of this size in and out. */
function backMap({ width, height, scale }: Laying, { nudgeX, nudgeY, size, turned }: StackLayer): Map6 {
  const [cx, cy] = [width / 2, height / 2]
  const angle = radians(turned)
  const [c, s] = [cos(angle) / size, sin(angle) / size]
  const [dx, dy] = [cx + nudgeX * scale, cy + nudgeY * scale]
  return [c, s, cx - c * dx - s * dy, -s, c, cy + s * dx - c * dy]
}

/** Where a place of the layer comes to lie, px of this size. */
function forward([a, b, c, d, e, f]: Map6, x: number, y: number): [number, number] {
  const det = a * e - b * d
  const [u, v] = [x - c, y - f]
  return [(e * u - b * v) / det, (a * v - d * u) / det]
}

/** The part of the plate that a part of the picture covers, with room for a blur; of no size where that has none. */
export function partOf(laying: Laying, layer: Bounds, how: StackLayer, blurred: number): Part {
  const { picture, width, height } = laying
  if (layer.width === 0) return { x: 0, y: 0, width: 0, height: 0 }
  const k = width / picture.width
  const more = Math.ceil(3 * blurred) + 1
  let [left, top, right, bottom] = [layer.x * k, layer.y * k, (layer.x + layer.width) * k, (layer.y + layer.height) * k]
  if (isMoved(how)) {
    const map = backMap(laying, how)
    const corners = [forward(map, left, top), forward(map, right, top), forward(map, left, bottom)]
    corners.push(forward(map, right, bottom))
    const [xs, ys] = [corners.map(([x]) => x), corners.map(([, y]) => y)]
    ;[left, right, top, bottom] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)]
  }
  const x = Math.max(0, Math.floor(left) - more)
  const y = Math.max(0, Math.floor(top) - more)
  const [toX, toY] = [Math.min(width, Math.ceil(right) + more), Math.min(height, Math.ceil(bottom) + more)]
  return { x, y, width: Math.max(0, toX - x), height: Math.max(0, toY - y) }
}

/** Brings one image of a layer into lanes of another one. */
export function fit(
  laying: Laying,
  layer: PictureLayer,
  part: Part,
  how: StackLayer | undefined,
  image: FloatImage,
  name: LayerImage,
  to: { out: number; lane: number },
): void {
  const { crew, picture, width } = laying
  const { heap } = crew
  const scale = picture.width / width
  const { channels, elsewhere } = LAYER_IMAGES[name]
  const place = placeOf(layer, name)
  const mark = heap.mark()
  const src = heap.alloc(image.data.byteLength)
  heap.f32(src, image.data.length).set(image.data)
  const size = { src, width: place.width, height: place.height, channels, elsewhere, ...to, outWidth: part.width }
  if (how && isMoved(how)) {
    const [a, b, c, d, e, f] = backMap(laying, how)
    const map = [a, b, a * part.x + b * part.y + c, d, e, d * part.x + e * part.y + f].map((v) => v * scale)
    map[2] = (map[2] ?? 0) - place.x
    map[5] = (map[5] ?? 0) - place.y
    const at = heap.alloc(24)
    heap.f32(at, 6).set(map)
    const finer = Math.max(1, Math.min(8, Math.round(scale / how.size)))
    crew.run('placeImage', { ...size, map: at, finer }, part.height, 8)
  } else {
    const at = { sx: part.x * scale - place.x, sy: part.y * scale - place.y, scale }
    crew.run('fitImage', { ...size, ...at }, part.height, 8)
  }
  heap.release(mark)
}

/** Tells a layer's mattes from others. */
export const mattesOf = ({ settings }: Laying, how: StackLayer): readonly number[] =>
  how.mattes.map(({ id }) => numberOf(settings.mattes?.get(id)))

/** A plate's picture of three channels on the heap. */
export function uploadPlate({ heap, run }: Crew, { width, height, data }: FloatImage): number {
  const out = heap.alloc(width * height * 16)
  const mark = heap.mark()
  const src = heap.alloc(data.byteLength)
  heap.f32(src, data.length).set(data)
  const size = { width, height, channels: 3, elsewhere: 0, out, lane: 0, outWidth: width }
  run('fitImage', { src, sx: 0, sy: 0, scale: 1, ...size }, height, 8)
  heap.release(mark)
  return out
}

/** Images of a layer in the lanes of one at the plate's size; what is not there is what it says elsewhere. */
export function packed(
  laying: Laying,
  layer: PictureLayer,
  part: Part,
  names: readonly LayerImage[],
  how?: StackLayer,
): number {
  const { heap } = laying.crew
  const out = heap.alloc(part.width * part.height * 16)
  const floats = heap.f32(out, part.width * part.height * 4)
  // An image of three channels fills the fourth too.
  const [first] = names
  if (!first || !layer[first] || LAYER_IMAGES[first].channels !== 3) floats.fill(0)
  let lane = 0
  for (const name of names) {
    const image = layer[name]
    const { channels, elsewhere } = LAYER_IMAGES[name]
    if (image) fit(laying, layer, part, how, image, name, { out, lane })
    else if (elsewhere) for (let n = lane; n < floats.length; n += 4) floats[n] = elsewhere
    lane += channels
  }
  return out
}

/** What a layer's mattes leave of it, written into the fourth lane of an image of its part; false where it has none. */
export function putMattes(laying: Laying, part: Part, how: StackLayer, image: number): boolean {
  const { crew, settings, width, height } = laying
  if (how.mattes.length === 0) return false
  const { heap } = crew
  const floats = heap.f32(image, part.width * part.height * 4)
  for (let n = 3; n < floats.length; n += 4) floats[n] = 1
  for (const { id, outside } of how.mattes) {
    const matte = settings.mattes?.get(id)
    const mark = heap.mark()
    const own = heap.alloc(part.width * part.height * 16)
    const values = heap.f32(own, part.width * part.height * 4).fill(0)
    if (matte) {
      const src = heap.alloc(matte.data.byteLength)
      heap.f32(src, matte.data.length).set(matte.data)
      const scale = matte.width / width
      const size = { src, width: matte.width, height: matte.height, channels: 1, elsewhere: 0, out: own, lane: 0 }
      const at = { sx: part.x * scale, sy: (part.y * matte.height) / height, scale, outWidth: part.width }
      crew.run('fitImage', { ...size, ...at }, part.height, 8)
    }
    for (let n = 3; n < floats.length; n += 4) {
      const covered = values[n - 3] ?? 0
      floats[n] = (floats[n] ?? 0) * (outside ? 1 - covered : covered)
    }
    heap.release(mark)
  }
  return true
}

/** What an image of a layer's part is multiplied by where mattes cut it: all lanes but the fourth, towards what stands for nothing. */
export function cutByMattes(laying: Laying, part: Part, how: StackLayer, image: number, nothing: number): void {
  if (how.mattes.length === 0) return
  const { heap } = laying.crew
  const mark = heap.mark()
  const own = heap.alloc(part.width * part.height * 16)
  putMattes(laying, part, how, own)
  const [to, shares] = [heap.f32(image, part.width * part.height * 4), heap.f32(own, part.width * part.height * 4)]
  for (let n = 0; n < to.length; n++) if (n % 4 !== 3) to[n] = nothing + (shares[n | 3] ?? 0) * ((to[n] ?? 0) - nothing)
  heap.release(mark)
}
