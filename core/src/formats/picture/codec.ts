import { z } from 'zod'
import { LanternError } from '../../base/index.ts'
import {
  cropped,
  type FloatImage,
  halfTable,
  LAYER_IMAGE_NAMES,
  LAYER_IMAGES,
  type LayerImage,
  makeImage,
  PICTURE_IMAGE_NAMES,
  PICTURE_IMAGES,
  type Picture,
  type PictureLayer,
  type PlacedImage,
  toHalf,
} from '../../data/index.ts'
import { type Deflate, plainDeflate } from '../deflate.ts'

// A kept picture: "CLPF", u32 length of the JSON head, the head, then one zlib stream of the images that the head lists, little-endian: the picture's own, then each layer's within its part of the frame, what it casts in parts of their own.
// An image is its channels one after another, each as halves: all low bytes, then all high bytes, which packs better. The picture's depth is in floats. What is left of the plate and places in the world follow from the rest.
const MAGIC = 0x46504c43
const MOST_SIDE = 16384
const MOST_BYTES = 2e9

const side = z.int().nonnegative().max(MOST_SIDE)
const imageName = z.enum(LAYER_IMAGE_NAMES as [LayerImage])
const headSchema = z.object({
  width: side,
  height: side,
  layers: z
    .array(
      z.object({
        id: z.string().max(200),
        x: side,
        y: side,
        width: side,
        height: side,
        images: z.array(imageName),
        /** Where images lie that don't fill the layer's part. */
        placed: z.partialRecord(imageName, z.tuple([side, side, side, side])).default({}),
      }),
    )
    .max(64),
})

type HeadLayer = z.infer<typeof headSchema>['layers'][number]
/** The size of an image of a layer, and where it lies where that is told. */
function sizeOf({ width, height, placed }: HeadLayer, name: LayerImage) {
  const own = placed[name]
  return own ? { at: [own[0], own[1]] as const, width: own[2], height: own[3] } : { width, height }
}

/** Bytes of an image with so many channels. */
const bytesOf = (pixels: number, channels: number, floats: boolean): number => pixels * channels * (floats ? 4 : 2)

function putImage(out: Uint8Array, at: number, { data, channels }: FloatImage, floats: boolean): number {
  const pixels = data.length / channels
  if (floats) {
    out.set(new Uint8Array(data.buffer, data.byteOffset, data.byteLength), at)
    return at + data.byteLength
  }
  for (let c = 0; c < channels; c++) {
    const low = at + c * 2 * pixels
    for (let n = 0; n < pixels; n++) {
      const half = toHalf(data[n * channels + c] ?? 0)
      out[low + n] = half & 255
      out[low + pixels + n] = half >>> 8
    }
  }
  return at + bytesOf(pixels, channels, false)
}

function takeImage(from: Uint8Array, at: number, image: FloatImage, floats: boolean): number {
  const { data, channels } = image
  const pixels = data.length / channels
  if (floats) {
    new Uint8Array(data.buffer).set(from.subarray(at, at + data.byteLength))
    return at + data.byteLength
  }
  const values = halfTable()
  for (let c = 0; c < channels; c++) {
    const low = at + c * 2 * pixels
    const high = low + pixels
    for (let n = 0, to = c; n < pixels; n++, to += channels)
      data[to] = values[(from[low + n] as number) | ((from[high + n] as number) << 8)] as number
  }
  return at + bytesOf(pixels, channels, false)
}

/** Packs a picture. Values are halves, so they keep 11 bits; images are cut down to where they hold something. */
export function writePicture(whole: Picture, deflate: Deflate = plainDeflate): Uint8Array<ArrayBuffer> {
  const picture = cropped(whole)
  const images: [FloatImage, boolean][] = PICTURE_IMAGE_NAMES.map((name) => [picture[name], name === 'depth'])
  const layers = picture.layers.map((layer) => {
    const names = LAYER_IMAGE_NAMES.filter((name) => layer[name])
    for (const name of names) {
      const image = layer[name]
      if (image) images.push([image, false])
    }
    const { id, x, y, width, height } = layer
    const placed = Object.fromEntries(
      names.flatMap((name) => {
        const image: PlacedImage | undefined = layer[name]
        return image?.at ? [[name, [...image.at, image.width, image.height]]] : []
      }),
    )
    return { id, x, y, width, height, images: names, placed }
  })
  const head = new TextEncoder().encode(JSON.stringify({ width: picture.width, height: picture.height, layers }))
  const size = images.reduce(
    (sum, [{ data, channels }, floats]) => sum + bytesOf(data.length / channels, channels, floats),
    0,
  )
  const body = new Uint8Array(size)
  let at = 0
  for (const [image, floats] of images) at = putImage(body, at, image, floats)
  const packed = deflate.deflate(body)
  const out = new Uint8Array(8 + head.length + packed.length)
  const view = new DataView(out.buffer)
  view.setUint32(0, MAGIC, true)
  view.setUint32(4, head.length, true)
  out.set(head, 8)
  out.set(packed, 8 + head.length)
  return out
}

/** The zlib stream of a kept picture's images, for who unpacks it by other means. */
export function pictureStream(bytes: Uint8Array): Uint8Array {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  return bytes.subarray(Math.min(bytes.length, 8 + (bytes.length < 8 ? 0 : view.getUint32(4, true))))
}

/** Reads a kept picture; `place` is empty. Throws LanternError 'picture' on bytes that are none. */
export function readPicture(bytes: Uint8Array, deflate: Deflate = plainDeflate): Picture {
  const broken = (): LanternError => new LanternError('picture', 'A kept picture is damaged.', 'Ask for it again.')
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (bytes.length < 8 || view.getUint32(0, true) !== MAGIC) throw broken()
  const headLength = view.getUint32(4, true)
  if (8 + headLength > bytes.length) throw broken()
  try {
    const head = headSchema.parse(JSON.parse(new TextDecoder().decode(bytes.subarray(8, 8 + headLength))))
    const own = head.width * head.height
    const expected =
      PICTURE_IMAGE_NAMES.reduce((sum, name) => sum + bytesOf(own, PICTURE_IMAGES[name], name === 'depth'), 0) +
      head.layers.reduce(
        (sum, layer) =>
          layer.images.reduce((all, name) => {
            const { width, height } = sizeOf(layer, name)
            return all + bytesOf(width * height, LAYER_IMAGES[name].channels, false)
          }, sum),
        0,
      )
    if (expected > MOST_BYTES) throw broken()
    const body = deflate.inflate(bytes.subarray(8 + headLength), expected)
    if (body.length !== expected) throw broken()
    let at = 0
    const picture = (channels: number, floats: boolean): FloatImage => {
      const image = makeImage(head.width, head.height, channels)
      at = takeImage(body, at, image, floats)
      return image
    }
    const once = Object.fromEntries(
      PICTURE_IMAGE_NAMES.map((name) => [name, picture(PICTURE_IMAGES[name], name === 'depth')]),
    ) as Pick<Picture, keyof typeof PICTURE_IMAGES>
    const layers = head.layers.map((one) => {
      const { images, placed: _, ...part } = one
      const layer: PictureLayer = { ...part }
      for (const name of images) {
        const { at: place, width, height } = sizeOf(one, name)
        const image = makeImage(width, height, LAYER_IMAGES[name].channels)
        at = takeImage(body, at, image, false)
        layer[name] = place ? { ...image, at: place } : image
      }
      return layer
    })
    const { width, height } = head
    return { width, height, layers, plate: plateLeft(layers, width, height), place: makeImage(0, 0, 3), ...once }
  } catch {
    throw broken()
  }
}

/** What the layers leave of the plate. */
export function plateLeft(layers: readonly PictureLayer[], width: number, height: number): FloatImage {
  const left = makeImage(width, height, 1)
  left.data.fill(1)
  for (const layer of layers) {
    if (!layer.alpha) continue
    for (let y = 0; y < layer.height; y++)
      for (let x = 0; x < layer.width; x++) {
        const n = (y + layer.y) * width + x + layer.x
        left.data[n] = Math.max(0, (left.data[n] ?? 1) - (layer.alpha.data[y * layer.width + x] ?? 0))
      }
  }
  return left
}
