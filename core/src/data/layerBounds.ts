import { type FloatImage, makeImage } from './image.ts'
import {
  HIDDEN_IMAGES,
  LAYER_IMAGES,
  type LayerImage,
  type Picture,
  type PictureLayer,
  type PlacedImage,
} from './picture.ts'

// Where in its part of the picture a layer has something: what it casts reaches much further than what is seen of it.

export interface Bounds {
  x: number
  y: number
  width: number
  height: number
}

const NOTHING: Bounds = { x: 0, y: 0, width: 0, height: 0 }
const known = new WeakMap<PictureLayer, Map<string, Bounds>>()

/** Where an image of a layer lies in the picture. */
export function placeOf(layer: PictureLayer, name: LayerImage): Bounds {
  const image: PlacedImage | undefined = layer[name]
  return image?.at ? { x: image.at[0], y: image.at[1], width: image.width, height: image.height } : layer
}

/** A layer's value at a pixel of the picture, of an image with one channel. */
export function layerValue(layer: PictureLayer, name: LayerImage, x: number, y: number): number {
  const { elsewhere } = LAYER_IMAGES[name]
  const place = placeOf(layer, name)
  const [i, j] = [x - place.x, y - place.y]
  if (i < 0 || j < 0 || i >= place.width || j >= place.height) return elsewhere
  return layer[name]?.data[j * place.width + i] ?? elsewhere
}

/** Halves this near to nothing, or to one, are that. */
const NEAR = [2 ** -25, 2 ** -12] as const

/** The rows and columns of an image that hold other values than `elsewhere`, as halves tell them apart; undefined where none does. */
function extent(data: Float32Array, width: number, height: number, channels: number, elsewhere: number) {
  const near = elsewhere === 0 ? NEAR[0] : NEAR[1]
  const [least, most] = [elsewhere - near, elsewhere + near]
  const line = width * channels
  const holds = (y: number): boolean => {
    for (let n = y * line; n < (y + 1) * line; n++)
      if ((data[n] as number) <= least || (data[n] as number) >= most) return true
    return false
  }
  let [top, bottom] = [0, height - 1]
  while (top < height && !holds(top)) top++
  if (top === height) return undefined
  while (!holds(bottom)) bottom--
  let [left, right] = [line, -1]
  for (let y = top; y <= bottom; y++) {
    const start = y * line
    let n = 0
    while (n < left && (data[start + n] as number) > least && (data[start + n] as number) < most) n++
    left = Math.min(left, n)
    n = line - 1
    while (n > right && (data[start + n] as number) > least && (data[start + n] as number) < most) n--
    right = Math.max(right, n)
  }
  return { top, bottom, left: Math.floor(left / channels), right: Math.floor(right / channels) }
}

/** The part of the picture in which these images of a layer hold something; of no size where they don't. */
export function boundsOf(layer: PictureLayer, names: readonly LayerImage[]): Bounds {
  const of = known.get(layer) ?? new Map<string, Bounds>()
  known.set(layer, of)
  const key = names.join()
  const there = of.get(key)
  if (there) return there
  let [left, top, right, bottom] = [Infinity, Infinity, -1, -1]
  for (const name of names) {
    const image = layer[name]
    const { channels, elsewhere } = LAYER_IMAGES[name]
    const place = placeOf(layer, name)
    const found = image && extent(image.data, place.width, place.height, channels, elsewhere)
    if (!found) continue
    left = Math.min(left, place.x + found.left)
    right = Math.max(right, place.x + found.right)
    top = Math.min(top, place.y + found.top)
    bottom = Math.max(bottom, place.y + found.bottom)
  }
  const bounds: Bounds = right < 0 ? NOTHING : { x: left, y: top, width: right - left + 1, height: bottom - top + 1 }
  of.set(key, bounds)
  return bounds
}

/** What is seen of a layer; the rest is what it casts, which reaches further and lies in parts of its own. */
const SEEN = ['colour', 'alpha', 'emission', 'effect', 'depth'] as const
const CAST = ['light', 'sun', 'sky', 'contact'] as const

/** A part of an image that lies elsewhere in the picture. */
function cut(image: FloatImage, from: Bounds, to: Bounds): FloatImage {
  const { channels, data } = image
  const out = makeImage(to.width, to.height, channels)
  for (let y = 0; y < to.height; y++) {
    const start = ((to.y - from.y + y) * from.width + to.x - from.x) * channels
    out.data.set(data.subarray(start, start + to.width * channels), y * to.width * channels)
  }
  return out
}

function croppedLayer(layer: PictureLayer): PictureLayer {
  const seen = boundsOf(layer, SEEN)
  const out: PictureLayer = { id: layer.id, ...seen }
  for (const name of SEEN) {
    const image = layer[name]
    if (image) out[name] = cut(image, placeOf(layer, name), seen)
  }
  const put = (name: (typeof CAST)[number] | (typeof HIDDEN_IMAGES)[number], place: Bounds): void => {
    const image = layer[name]
    if (image) out[name] = { ...cut(image, placeOf(layer, name), place), at: [place.x, place.y] }
  }
  for (const name of CAST) put(name, boundsOf(layer, [name]))
  // What is hidden lies in one part; images of it that hold nothing are left out.
  for (const name of HIDDEN_IMAGES) if (boundsOf(layer, [name]).width > 0) put(name, boundsOf(layer, HIDDEN_IMAGES))
  return out
}

/** A picture whose layers' images are cut down to where they hold something, as halves tell it. */
export const cropped = (picture: Picture): Picture => ({ ...picture, layers: picture.layers.map(croppedLayer) })
