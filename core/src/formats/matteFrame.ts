import { z } from 'zod'
import { LanternError } from '../base/index.ts'
import type { MatteBackground, MatteFrame } from '../data/index.ts'
import { type Deflate, plainDeflate } from './deflate.ts'

// A kept frame of a matte: "CLMF", u32 length of the JSON head, the head, then one zlib stream of the box's alpha (a byte a pixel) and of what counts as inside (a bit a pixel),
// then, where the head says so, one of what lies behind in as many bytes: deviation in sixteenths and one more (0: not known), lightness to 255, the two colours from -128. Little-endian.
const MAGIC = 0x464d4c43
const MOST = 16384

const size = z.int().min(1).max(MOST)
const place = z.int().min(0).max(MOST)
const headSchema = z
  .object({
    width: size,
    height: size,
    x: place,
    y: place,
    wide: place,
    high: place,
    /** Bytes of the second stream. */
    behind: z.int().min(0).default(0),
  })
  .refine(({ width, height, x, y, wide, high }) => x + wide <= width && y + high <= height)

const byte = (value: number): number => Math.min(255, Math.max(0, Math.round(value)))

function behindBytes({ lab, deviation, known }: MatteBackground): Uint8Array {
  const pixels = known.length
  const out = new Uint8Array(4 * pixels)
  for (let n = 0; n < pixels; n++) {
    if (!known[n]) continue
    out[n] = 1 + Math.min(254, byte(16 * (deviation[n] as number)))
    out[pixels + n] = byte(2.55 * (lab[3 * n] as number))
    out[2 * pixels + n] = byte(128 + (lab[3 * n + 1] as number))
    out[3 * pixels + n] = byte(128 + (lab[3 * n + 2] as number))
  }
  return out
}

export function writeMatteFrame(
  frame: MatteFrame,
  deflate: Deflate = plainDeflate,
  background?: MatteBackground,
): Uint8Array<ArrayBuffer> {
  const { width, height, x, y, wide, high, alpha, inside } = frame
  const behind = background ? deflate.deflate(behindBytes(background)) : new Uint8Array()
  const sizes = { width, height, x, y, wide, high, ...(background ? { behind: behind.length } : {}) }
  const head = new TextEncoder().encode(JSON.stringify(sizes))
  const pixels = wide * high
  const body = new Uint8Array(pixels + Math.ceil(pixels / 8))
  body.set(alpha)
  for (let n = 0; n < pixels; n++)
    if (inside[n]) body[pixels + (n >> 3)] = (body[pixels + (n >> 3)] as number) | (1 << (n & 7))
  const packed = deflate.deflate(body)
  const out = new Uint8Array(8 + head.length + packed.length + behind.length)
  const view = new DataView(out.buffer)
  view.setUint32(0, MAGIC, true)
  view.setUint32(4, head.length, true)
  out.set(head, 8)
  out.set(packed, 8 + head.length)
  out.set(behind, 8 + head.length + packed.length)
  return out
}

const broken = (): LanternError =>
  new LanternError('matte-frame', 'A kept frame of a matte is damaged.', 'Carry the matte again.')

function headOf(bytes: Uint8Array): { head: z.infer<typeof headSchema>; from: number } {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (bytes.length < 8 || view.getUint32(0, true) !== MAGIC) throw broken()
  const length = view.getUint32(4, true)
  if (8 + length > bytes.length) throw broken()
  const head = headSchema.parse(JSON.parse(new TextDecoder().decode(bytes.subarray(8, 8 + length))))
  if (8 + length + head.behind > bytes.length) throw broken()
  return { head, from: 8 + length }
}

/** What lies behind a kept matte; undefined where its file does not say. Throws LanternError 'matte-frame' on bytes that are none. */
export function readMatteBackground(bytes: Uint8Array, deflate: Deflate = plainDeflate): MatteBackground | undefined {
  try {
    const { head } = headOf(bytes)
    if (head.behind === 0) return undefined
    const pixels = head.wide * head.high
    const body = deflate.inflate(bytes.subarray(bytes.length - head.behind), 4 * pixels)
    if (body.length !== 4 * pixels) throw broken()
    const out = {
      lab: new Float32Array(3 * pixels),
      deviation: new Float32Array(pixels),
      known: new Uint8Array(pixels),
    }
    for (let n = 0; n < pixels; n++) {
      const code = body[n] as number
      out.known[n] = code > 0 ? 1 : 0
      out.deviation[n] = code > 0 ? (code - 1) / 16 : 9
      out.lab[3 * n] = (body[pixels + n] as number) / 2.55
      out.lab[3 * n + 1] = (body[2 * pixels + n] as number) - 128
      out.lab[3 * n + 2] = (body[3 * pixels + n] as number) - 128
    }
    return out
  } catch {
    throw broken()
  }
}

/** Throws LanternError 'matte-frame' on bytes that are none. */
export function readMatteFrame(bytes: Uint8Array, deflate: Deflate = plainDeflate): MatteFrame {
  try {
    const { head, from } = headOf(bytes)
    const pixels = head.wide * head.high
    const whole = pixels + Math.ceil(pixels / 8)
    const body = deflate.inflate(bytes.subarray(from, bytes.length - head.behind), whole)
    if (body.length !== whole) throw broken()
    const inside = new Uint8Array(pixels)
    for (let n = 0; n < pixels; n++) inside[n] = ((body[pixels + (n >> 3)] as number) >> (n & 7)) & 1
    const { behind: _, ...box } = head
    return { ...box, alpha: body.slice(0, pixels), inside }
  } catch {
    throw broken()
  }
}
