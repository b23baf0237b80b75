import { z } from 'zod'
import { LanternError } from '../base/index.ts'
import type { MatteFrame } from '../data/index.ts'
import { type Deflate, plainDeflate } from './deflate.ts'

// A kept frame of a matte: "CLMF", u32 length of the JSON head, the head, then one zlib stream of the box's alpha (a byte a pixel) and of what counts as inside (a bit a pixel), little-endian.
const MAGIC = 0x464d4c43
const MOST = 16384

const size = z.int().min(1).max(MOST)
const place = z.int().min(0).max(MOST)
const headSchema = z
  .object({ width: size, height: size, x: place, y: place, wide: place, high: place })
  .refine(({ width, height, x, y, wide, high }) => x + wide <= width && y + high <= height)

export function writeMatteFrame(frame: MatteFrame, deflate: Deflate = plainDeflate): Uint8Array<ArrayBuffer> {
  const { width, height, x, y, wide, high, alpha, inside } = frame
  const head = new TextEncoder().encode(JSON.stringify({ width, height, x, y, wide, high }))
  const pixels = wide * high
  const body = new Uint8Array(pixels + Math.ceil(pixels / 8))
  body.set(alpha)
  for (let n = 0; n < pixels; n++)
    if (inside[n]) body[pixels + (n >> 3)] = (body[pixels + (n >> 3)] as number) | (1 << (n & 7))
  const packed = deflate.deflate(body)
  const out = new Uint8Array(8 + head.length + packed.length)
  const view = new DataView(out.buffer)
  view.setUint32(0, MAGIC, true)
  view.setUint32(4, head.length, true)
  out.set(head, 8)
  out.set(packed, 8 + head.length)
  return out
}

/** Throws LanternError 'matte-frame' on bytes that are none. */
export function readMatteFrame(bytes: Uint8Array, deflate: Deflate = plainDeflate): MatteFrame {
  const broken = (): LanternError =>
    new LanternError('matte-frame', 'A kept frame of a matte is damaged.', 'Carry the matte again.')
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (bytes.length < 8 || view.getUint32(0, true) !== MAGIC) throw broken()
  const length = view.getUint32(4, true)
  if (8 + length > bytes.length) throw broken()
  try {
    const head = headSchema.parse(JSON.parse(new TextDecoder().decode(bytes.subarray(8, 8 + length))))
    const pixels = head.wide * head.high
    const whole = pixels + Math.ceil(pixels / 8)
    const body = deflate.inflate(bytes.subarray(8 + length), whole)
    if (body.length !== whole) throw broken()
    const inside = new Uint8Array(pixels)
    for (let n = 0; n < pixels; n++) inside[n] = ((body[pixels + (n >> 3)] as number) >> (n & 7)) & 1
    return { ...head, alpha: body.slice(0, pixels), inside }
  } catch {
    throw broken()
  }
}
