import { LAYER_IMAGES, type LayerImage, type PictureLayer } from '../data/index.ts'

// Where in its part of the picture a layer has something: what it casts reaches much further than what is seen of it.

export interface Bounds {
  x: number
  y: number
  width: number
  height: number
}

const NOTHING: Bounds = { x: 0, y: 0, width: 0, height: 0 }
const known = new WeakMap<PictureLayer, Map<string, Bounds>>()

/** The rows and columns of an image that hold other values than `elsewhere`; undefined where none does. */
function extent(data: Float32Array, width: number, height: number, channels: number, elsewhere: number) {
  const line = width * channels
  const holds = (y: number): boolean => {
    for (let n = y * line; n < (y + 1) * line; n++) if (data[n] !== elsewhere) return true
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
    while (n < left && data[start + n] === elsewhere) n++
    left = Math.min(left, n)
    n = line - 1
    while (n > right && data[start + n] === elsewhere) n--
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
    const found = image && extent(image.data, layer.width, layer.height, channels, elsewhere)
    if (!found) continue
    left = Math.min(left, found.left)
    right = Math.max(right, found.right)
    top = Math.min(top, found.top)
    bottom = Math.max(bottom, found.bottom)
  }
  const bounds: Bounds =
    right < 0 ? NOTHING : { x: layer.x + left, y: layer.y + top, width: right - left + 1, height: bottom - top + 1 }
  of.set(key, bounds)
  return bounds
}
