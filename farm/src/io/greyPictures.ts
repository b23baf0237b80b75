import { encodeBase64, LanternError } from '@lantern/core/base'
import { readExr } from '@lantern/core/formats'
import { MOST_HEIGHTS, MOST_STAMP } from '@lantern/core/set'
import sharp from 'sharp'
import { nodeDeflate } from './deflate.ts'

// Grey pictures on the way in: brightness as a height, of 8 and 16 bits and of floats.

/** Pixels of a picture at most. */
const MOST_PIXELS = 2 ** 28

/** Heights as a crater's document names them, and what is to be said of them. */
export interface HeightsTaken {
  width: number
  height: number
  values: string
  notes: string[]
}

const refuse = (file: string, what: string, remedy: string): LanternError =>
  new LanternError('heights-file', `${file} ${what}.`, remedy, { file })

interface Grey {
  width: number
  height: number
  /** Rows from the top. */
  values: Float32Array
}

async function greyOf(bytes: Uint8Array, file: string): Promise<Grey> {
  if (/\.exr$/i.test(file)) {
    const { width, height, channels } = readExr(bytes, file, nodeDeflate)
    const wanted = ['Y', 'G', 'R'].map((name) => channels.find((one) => one.name === name)).find(Boolean) ?? channels[0]
    if (!wanted) throw refuse(file, 'has no channel', 'Write it with one called Y, or R, G and B.')
    return { width, height, values: Float32Array.from(wanted.data) }
  }
  try {
    const { data, info } = await sharp(bytes, { limitInputPixels: MOST_PIXELS })
      .removeAlpha()
      .toColourspace('grey16')
      .raw({ depth: 'ushort' })
      .toBuffer({ resolveWithObject: true })
    const words = new Uint16Array(data.buffer, data.byteOffset, data.byteLength / 2)
    const { width, height, channels } = info
    return {
      width,
      height,
      values: Float32Array.from({ length: width * height }, (_, n) => (words[n * channels] ?? 0) / 65_535),
    }
  } catch {
    throw refuse(file, 'can’t be read as a picture', 'Save it as PNG, JPEG, WebP or OpenEXR.')
  }
}

/** Means over what each kept pixel covers. */
function smaller({ width, height, values }: Grey, w: number, h: number): Float32Array {
  const out = new Float32Array(w * h)
  for (let j = 0; j < h; j++)
    for (let i = 0; i < w; i++) {
      const [x0, x1] = [
        Math.floor((i * width) / w),
        Math.max(Math.floor((i * width) / w) + 1, Math.floor(((i + 1) * width) / w)),
      ]
      const [y0, y1] = [
        Math.floor((j * height) / h),
        Math.max(Math.floor((j * height) / h) + 1, Math.floor(((j + 1) * height) / h)),
      ]
      let sum = 0
      for (let y = y0; y < y1; y++) for (let x = x0; x < x1; x++) sum += values[y * width + x] ?? 0
      out[j * w + i] = sum / ((x1 - x0) * (y1 - y0))
    }
  return out
}

/** Takes a grey picture in; its darkest is level, its brightest the whole height. Throws LanternError 'heights-file'. */
export async function takeHeights(bytes: Uint8Array, file: string): Promise<HeightsTaken> {
  const grey = await greyOf(bytes, file)
  const bad = grey.values.reduce((sum, value) => sum + (Number.isFinite(value) ? 0 : 1), 0)
  if (bad === grey.values.length) throw refuse(file, 'holds no numbers', 'Write it again.')
  const finite = grey.values.map((value) => (Number.isFinite(value) ? value : 0))
  const [least, most] = finite.reduce(([a, b], value) => [Math.min(a, value), Math.max(b, value)], [
    Infinity,
    -Infinity,
  ] as [number, number])
  if (most - least < 1e-6) throw refuse(file, 'is all of one grey', 'Choose a picture with darker and brighter parts.')
  const k = Math.min(1, MOST_HEIGHTS / Math.max(grey.width, grey.height))
  const [width, height] = [Math.max(1, Math.round(grey.width * k)), Math.max(1, Math.round(grey.height * k))]
  const values = smaller({ ...grey, values: finite }, width, height)
  const packed = new Uint8Array(2 * values.length)
  values.forEach((value, n) => {
    const word = Math.round((65_535 * (value - least)) / (most - least))
    packed[2 * n] = word & 255
    packed[2 * n + 1] = word >>> 8
  })
  return {
    width,
    height,
    values: encodeBase64(packed),
    notes: bad > 0 ? [`${bad.toLocaleString('en')} pixels of it are no numbers; they count as 0.`] : [],
  }
}

/** A small picture as a mark's document names it: r g b a as bytes. */
export interface StampTaken {
  width: number
  height: number
  values: string
}

/** Takes a picture in that is to be stamped. Throws LanternError 'heights-file'. */
export async function takeStamp(bytes: Uint8Array, file: string): Promise<StampTaken> {
  try {
    const { data, info } = await sharp(bytes, { limitInputPixels: MOST_PIXELS })
      .resize(MOST_STAMP, MOST_STAMP, { fit: 'inside', withoutEnlargement: true })
      .toColourspace('srgb')
      .ensureAlpha()
      .raw()
      .toBuffer({ resolveWithObject: true })
    return { width: info.width, height: info.height, values: encodeBase64(new Uint8Array(data)) }
  } catch {
    throw refuse(file, 'can’t be read as a picture', 'Save it as PNG, JPEG or WebP.')
  }
}
