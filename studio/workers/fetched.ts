import { LanternError } from '@lantern/core/base'
import { type FloatImage, makeImage, type Picture, planesTogether, type SurfaceMesh } from '@lantern/core/data'
import { type BreakSettings, meshOfBreak } from '@lantern/core/effects/breaking'
import { readExr, readMeshAsset } from '@lantern/core/formats'

// What a computing thread keeps at hand, and fetches.

/** A few of the newest values, oldest dropped first. */
export function few<T>(most: number): { get(key: string): T | undefined; put(key: string, value: T): T } {
  const map = new Map<string, T>()
  return {
    get(key) {
      const value = map.get(key)
      if (value !== undefined) {
        map.delete(key)
        map.set(key, value)
      }
      return value
    },
    put(key, value) {
      map.set(key, value)
      if (map.size > most) map.delete(map.keys().next().value ?? '')
      return value
    },
  }
}

/** As many of the newest values as so many bytes hold, oldest dropped first; one is always kept. */
export function fewBytes<T>(most: number, bytesOf: (value: T) => number): ReturnType<typeof few<T>> {
  const map = new Map<string, { value: T; bytes: number }>()
  let all = 0
  return {
    get(key) {
      const there = map.get(key)
      if (!there) return undefined
      map.delete(key)
      map.set(key, there)
      return there.value
    },
    put(key, value) {
      all -= map.get(key)?.bytes ?? 0
      map.delete(key)
      const bytes = bytesOf(value)
      map.set(key, { value, bytes })
      all += bytes
      for (const [old, one] of map) {
        if (all <= most || map.size === 1) break
        map.delete(old)
        all -= one.bytes
      }
      return value
    },
  }
}

/** What the images of a picture take. */
export const pictureBytes = ({ layers, ...picture }: Picture): number =>
  [...layers.flatMap((layer) => Object.values(layer)), ...Object.values(picture)].reduce(
    (sum: number, image: unknown) => sum + ((image as FloatImage | undefined)?.data?.byteLength ?? 0),
    0,
  )

/** The bytes of an answer. Throws LanternError as the server says it. */
export async function fetched(path: string): Promise<Uint8Array> {
  try {
    return await bytesOf(path)
  } catch (error) {
    if (error instanceof LanternError) throw error
    // The browser's own cache may fail to write a large answer that is asked for twice at once: then past it.
    return bytesOf(path, { cache: 'no-store' })
  }
}

async function bytesOf(path: string, how?: RequestInit): Promise<Uint8Array> {
  const response = await fetch(path, how)
  if (!response.ok) {
    const body = (await response.json().catch(() => ({}))) as { message?: string; remedy?: string; code?: string }
    throw new LanternError(
      body.code ?? 'fetch',
      body.message ?? 'That could not be fetched.',
      body.remedy ?? 'Try again.',
    )
  }
  return new Uint8Array(await response.arrayBuffer())
}

/** A packed picture as r g b a bytes, as its file has them. */
export async function pixelsOf(bytes: Uint8Array, type?: string): Promise<ImageData> {
  const bitmap = await createImageBitmap(new Blob([bytes.slice()], type ? { type } : {}), {
    colorSpaceConversion: 'none',
    premultiplyAlpha: 'none',
  })
  const context = new OffscreenCanvas(bitmap.width, bitmap.height).getContext('2d', {
    willReadFrequently: true,
    colorSpace: 'srgb',
  })
  if (!context)
    throw new LanternError('canvas', 'The browser gives no canvas.', 'Close other pages and load this one again.')
  context.drawImage(bitmap, 0, 0)
  const pixels = context.getImageData(0, 0, bitmap.width, bitmap.height)
  bitmap.close()
  return pixels
}

/** The colours of an EXR file, linear. */
export function colourPlanes(bytes: Uint8Array): FloatImage {
  const exr = readExr(bytes, 'plate')
  const image = makeImage(exr.width, exr.height, 3)
  ;['R', 'G', 'B'].forEach((name, c) =>
    exr.channels.find((channel) => channel.name === name)?.data.forEach((value, n) => (image.data[n * 3 + c] = value)),
  )
  return image
}

/** Channels of a render's file as they are; those that it lacks are 0. */
export async function fetchedChannels(asset: string, frame: number, names: readonly string[]): Promise<FloatImage> {
  const exr = readExr(await fetched(`/api/assets/${asset}/${frame}?size=passes`), 'render')
  return planesTogether(
    exr.width,
    exr.height,
    names.map((name) => exr.channels.find((channel) => channel.name === name)?.data),
  )
}

/** A clip's alpha, 0 to 1. */
export async function alphaPlane(bytes: Uint8Array): Promise<FloatImage> {
  if (bytes[0] === 0x76) {
    const { width, height, channels } = readExr(bytes, 'alpha')
    return { width, height, channels: 1, data: channels[0]?.data ?? new Float32Array(width * height) }
  }
  const { width, height, data } = await pixelsOf(bytes)
  return {
    width,
    height,
    channels: 1,
    data: Float32Array.from({ length: width * height }, (_, n) => (data[4 * n] ?? 0) / 255),
  }
}

const meshPath = (shot: string, blob: string): string => `/api/shots/${encodeURIComponent(shot)}/meshes?blob=${blob}`
/** The bytes of a taken-in mesh. */
export const fetchedMesh = (shot: string, blob: string): Promise<Uint8Array> => fetched(meshPath(shot, blob))

/** The triangles of what breaks, where it is a taken-in mesh. */
export async function fetchedBreakMesh(
  shot: string,
  { mesh }: Pick<BreakSettings, 'mesh'>,
): Promise<SurfaceMesh | undefined> {
  return mesh && meshOfBreak(await readMeshAsset(await fetchedMesh(shot, mesh.blob)), mesh)
}
