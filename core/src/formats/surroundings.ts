import { FloatType } from 'three'
import { HDRLoader } from 'three/examples/jsm/loaders/HDRLoader.js'
import { LanternError } from '../base/index.ts'
import { type FloatImage, makeImage } from '../data/index.ts'
import type { Deflate } from './deflate.ts'
import { readExr } from './exr/read.ts'
import { writeExr } from './exr/write.ts'

// A picture of all that is round a place: equirectangular, from straight up at its top to straight down, twice as wide as high.

const MOST_SIDE = 16384
/** What is kept of it, px: light is spread out, so no more is needed. */
const KEPT_WIDTH = 1024

const refuse = (file: string, what: string, remedy: string): LanternError =>
  new LanternError('surroundings', `${file} ${what}`, remedy, { field: file })

function readHdr(bytes: Uint8Array, file: string): FloatImage {
  let read: { width: number; height: number; data: ArrayLike<number> }
  try {
    read = new HDRLoader().setDataType(FloatType).parse(bytes.slice().buffer) as typeof read
  } catch (error) {
    throw refuse(
      file,
      `can’t be read: ${error instanceof Error ? error.message : 'it is damaged'}`,
      'Write it again as EXR or HDR.',
    )
  }
  const { width, height, data } = read
  const image = makeImage(width, height, 3)
  const channels = data.length / (width * height)
  for (let n = 0; n < width * height; n++)
    for (let c = 0; c < 3; c++) image.data[n * 3 + c] = data[n * channels + c] ?? 0
  return image
}

function readOpenExr(bytes: Uint8Array, file: string, deflate?: Deflate): FloatImage {
  const exr = readExr(bytes, file, deflate)
  const planes = ['R', 'G', 'B'].map((name) => exr.channels.find((channel) => channel.name === name))
  const grey = exr.channels.find(({ name }) => name === 'Y')
  if (!grey && planes.some((plane) => !plane)) throw refuse(file, 'has no R, G and B.', 'Write it with those channels.')
  const image = makeImage(exr.width, exr.height, 3)
  planes.forEach((plane, c) => (plane ?? grey)?.data.forEach((value, n) => (image.data[n * 3 + c] = value)))
  return image
}

/** A smaller one of so many px across, each the mean of those that it stands for. */
function shrunk(image: FloatImage, width: number): FloatImage {
  if (image.width <= width) return image
  const small = makeImage(width, Math.round(width / 2), 3)
  for (let y = 0; y < small.height; y++)
    for (let x = 0; x < width; x++) {
      const [x0, x1] = [x, x + 1].map((at) => Math.floor((at * image.width) / width))
      const [y0, y1] = [y, y + 1].map((at) => Math.floor((at * image.height) / small.height))
      for (let c = 0; c < 3; c++) {
        let [sum, count] = [0, 0]
        for (let v = y0 ?? 0; v < (y1 ?? 0); v++)
          for (let u = x0 ?? 0; u < (x1 ?? 0); u++) {
            sum += image.data[(v * image.width + u) * 3 + c] ?? 0
            count++
          }
        small.data[(y * width + x) * 3 + c] = sum / Math.max(1, count)
      }
    }
  return small
}

/**
 * Reads a surroundings picture (OpenEXR, or Radiance RGBE), 3 channels of linear light, made no wider than 1024.
 * Throws LanternError 'surroundings' naming the file where it is not 2:1, is too large, or can't be read.
 */
export function readSurroundings(bytes: Uint8Array, file: string, deflate?: Deflate): FloatImage {
  const image = bytes[0] === 0x76 ? readOpenExr(bytes, file, deflate) : readHdr(bytes, file)
  const { width, height, data } = image
  if (width > MOST_SIDE) throw refuse(file, `is ${width} px wide; ${MOST_SIDE} is the most.`, 'Make it smaller.')
  if (width !== 2 * height)
    throw refuse(
      file,
      `is ${width} × ${height} px, and not twice as wide as high.`,
      'Write it as a whole equirectangular picture, from straight up to straight down.',
    )
  for (let n = 0; n < data.length; n++) {
    const value = data[n] ?? 0
    data[n] = Number.isFinite(value) ? Math.max(0, value) : 0
  }
  if (!data.some((value) => value > 0)) throw refuse(file, 'is black all over.', 'Choose another one.')
  return shrunk(image, KEPT_WIDTH)
}

/** A surroundings picture as it is kept: OpenEXR, half floats. */
export function writeSurroundings({ width, height, data }: FloatImage, deflate?: Deflate): Uint8Array<ArrayBuffer> {
  const channels = ['R', 'G', 'B'].map((name, c) => ({
    name,
    type: 'half' as const,
    data: Float32Array.from({ length: width * height }, (_, n) => Math.min(65000, data[n * 3 + c] ?? 0)),
  }))
  return writeExr({ width, height, channels, attributes: {} }, deflate)
}
