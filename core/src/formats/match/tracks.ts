import { z } from 'zod'
import { LanternError } from '../../base/index.ts'
import type { Track } from '../../data/index.ts'

// Kept tracks: "CLTR", u32 length of the JSON head, the head (padded with spaces so that the numbers lie on 8 bytes), then x y of every place as f64, little-endian.
const MAGIC = 0x52544c43

const headSchema = z.array(
  z.object({
    id: z.int().nonnegative(),
    first: z.int().nonnegative(),
    count: z.int().positive(),
    weight: z.number().positive(),
  }),
)

export function writeTracks(tracks: readonly Track[]): Uint8Array<ArrayBuffer> {
  const text = JSON.stringify(
    tracks.map(({ id, first, places, weight }) => ({ id, first, count: places.length / 2, weight })),
  )
  const head = new TextEncoder().encode(text.padEnd(Math.ceil(text.length / 8) * 8))
  const out = new Uint8Array(8 + head.length + tracks.reduce((sum, { places }) => sum + places.byteLength, 0))
  const view = new DataView(out.buffer)
  view.setUint32(0, MAGIC, true)
  view.setUint32(4, head.length, true)
  out.set(head, 8)
  let at = 8 + head.length
  for (const { places } of tracks)
    for (const value of places) {
      view.setFloat64(at, value, true)
      at += 8
    }
  return out
}

/** Throws LanternError 'tracks' on bytes that are none. */
export function readTracks(bytes: Uint8Array): Track[] {
  const broken = (): LanternError => new LanternError('tracks', 'Kept tracks are damaged.', 'Track the plate again.')
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (bytes.length < 8 || view.getUint32(0, true) !== MAGIC) throw broken()
  const length = view.getUint32(4, true)
  if (8 + length > bytes.length) throw broken()
  let head: z.infer<typeof headSchema>
  try {
    head = headSchema.parse(JSON.parse(new TextDecoder().decode(bytes.subarray(8, 8 + length))))
  } catch {
    throw broken()
  }
  let at = 8 + length
  if (bytes.length !== at + 16 * head.reduce((sum, { count }) => sum + count, 0)) throw broken()
  return head.map(({ id, first, count, weight }) => {
    const places = new Float64Array(count * 2)
    for (let n = 0; n < places.length; n++, at += 8) places[n] = view.getFloat64(at, true)
    return { id, first, weight, places }
  })
}
