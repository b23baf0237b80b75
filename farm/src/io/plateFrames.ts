import { LanternError } from '@lantern/core/base'
import { type FloatImage, makeImage } from '@lantern/core/data'
import { readExr, writeExr } from '@lantern/core/formats'
import { plateImage, resizeImage } from '@lantern/core/pipeline'
import type { PlateInfo } from '@lantern/core/shot'
import sharp from 'sharp'
import { nodeDeflate } from './deflate.ts'
import type { StillPixels } from './stills.ts'

export interface PlateFrameFiles {
  full: Uint8Array
  half: Uint8Array
  quarter: Uint8Array
  mediaType: string
}

const PNG = { compressionLevel: 2 } as const

/** One frame's files: full as PNG of its own depth (or half-float EXR for floats), half and quarter as 8-bit PNG (or EXR). */
export async function plateFiles(pixels: StillPixels): Promise<PlateFrameFiles> {
  const { width, height } = pixels
  const sizes = [2, 4].map((n) => [Math.max(1, Math.round(width / n)), Math.max(1, Math.round(height / n))] as const)
  if (pixels.bits === 32) {
    const image: FloatImage = { width, height, channels: 3, data: pixels.data }
    const [full, half, quarter] = [image, ...sizes.map(([w, h]) => resizeImage(image, w, h))].map((part) => {
      const plane = (c: number): Float32Array =>
        Float32Array.from({ length: part.width * part.height }, (_, n) => part.data[n * 3 + c] ?? 0)
      return writeExr(
        {
          width: part.width,
          height: part.height,
          attributes: {},
          channels: ['R', 'G', 'B'].map((name, c) => ({ name, type: 'half' as const, data: plane(c) })),
        },
        nodeDeflate,
      )
    }) as [Uint8Array, Uint8Array, Uint8Array]
    return { full, half, quarter, mediaType: 'image/x-exr' }
  }
  const wide = pixels.bits === 16
  const source = () =>
    'file' in pixels
      ? sharp(pixels.file, { limitInputPixels: false, sequentialRead: true }).removeAlpha().toColourspace('srgb')
      : sharp(
          wide ? new Uint16Array(pixels.data.buffer, pixels.data.byteOffset, pixels.data.byteLength / 2) : pixels.data,
          { raw: { width, height, channels: 3 } },
        )
  const small = ([w, h]: readonly [number, number]): Promise<Buffer> =>
    (wide ? source().toColourspace('srgb') : source())
      .resize(w, h, { kernel: 'linear', fit: 'fill' })
      .png(PNG)
      .toBuffer()
  const works = [
    () => (wide ? source().toColourspace('rgb16').png(PNG).toBuffer() : source().png(PNG).toBuffer()),
    () => small(sizes[0] ?? [1, 1]),
    () => small(sizes[1] ?? [1, 1]),
  ]
  const made: Buffer[] = []
  // A large one's sizes are made one after another, so that only one is held.
  if ('file' in pixels) for (const work of works) made.push(await work())
  else made.push(...(await Promise.all(works.map((work) => work()))))
  const [full, half, quarter] = made as [Buffer, Buffer, Buffer]
  return { full, half, quarter, mediaType: 'image/png' }
}

/** A frame's alpha: a grey PNG of its own depth, or EXR for floats; of one that has none, all of it is there. */
export async function alphaFile(pixels: StillPixels): Promise<Uint8Array> {
  const { width, height, bits } = pixels
  const area = width * height
  const alpha = 'alpha' in pixels ? pixels.alpha : undefined
  if (bits === 32) {
    const data = alpha instanceof Float32Array ? alpha : new Float32Array(area).fill(1)
    return writeExr({ width, height, attributes: {}, channels: [{ name: 'A', type: 'half', data }] }, nodeDeflate)
  }
  const bytes = alpha instanceof Buffer ? alpha : Buffer.alloc(area * (bits / 8), 255)
  const raw = { raw: { width, height, channels: 1 as const } }
  const source =
    bits === 16
      ? sharp(new Uint16Array(bytes.buffer, bytes.byteOffset, area), raw).toColourspace('grey16')
      : sharp(bytes, raw).toColourspace('b-w')
  return source.png(PNG).toBuffer()
}

/** A kept frame's alpha, 0 to 1. */
export async function alphaPlane(bytes: Uint8Array): Promise<FloatImage> {
  if (bytes[0] === 0x76 && bytes[1] === 0x2f) {
    const { width, height, channels } = readExr(bytes, 'alpha', nodeDeflate)
    return { width, height, channels: 1, data: channels[0]?.data ?? new Float32Array(width * height) }
  }
  const deep = (await sharp(bytes).metadata()).depth === 'ushort'
  const source = deep
    ? sharp(bytes).toColourspace('grey16').raw({ depth: 'ushort' })
    : sharp(bytes).toColourspace('b-w').raw()
  const { data, info } = await source.toBuffer({ resolveWithObject: true })
  const codes = deep ? new Uint16Array(data.buffer, data.byteOffset, data.byteLength / 2) : new Uint8Array(data)
  const image = makeImage(info.width, info.height, 1)
  const most = deep ? 65535 : 255
  for (let n = 0; n < image.data.length; n++) image.data[n] = (codes[n * info.channels] ?? 0) / most
  return image
}

/** A kept plate frame as linear light. */
export async function plateLinear(bytes: Uint8Array, encoding: PlateInfo['encoding']): Promise<FloatImage> {
  if (bytes[0] === 0x76 && bytes[1] === 0x2f) {
    const exr = readExr(bytes, 'plate frame', nodeDeflate)
    const image = makeImage(exr.width, exr.height, 3)
    ;['R', 'G', 'B'].forEach((name, c) => {
      const plane = exr.channels.find((channel) => channel.name === name)?.data
      if (plane) for (let n = 0; n < plane.length; n++) image.data[n * 3 + c] = plane[n] ?? 0
    })
    return image
  }
  const meta = await sharp(bytes)
    .metadata()
    .catch(() =>
      Promise.reject(new LanternError('plate-frame', 'A kept plate frame is damaged.', 'Take the plate in again.')),
    )
  const deep = meta.depth === 'ushort'
  const { data, info } = deep
    ? await sharp(bytes)
        .removeAlpha()
        .toColourspace('rgb16')
        .raw({ depth: 'ushort' })
        .toBuffer({ resolveWithObject: true })
    : await sharp(bytes).removeAlpha().raw().toBuffer({ resolveWithObject: true })
  const codes = deep ? new Uint16Array(data.buffer, data.byteOffset, data.byteLength / 2) : new Uint8Array(data)
  return plateImage(codes, info.width, info.height, encoding, info.channels)
}
