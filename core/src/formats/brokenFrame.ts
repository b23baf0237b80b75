import { z } from 'zod'
import { LanternError } from '../base/index.ts'
import { type BrokenFrame, type Convex, type ConvexFace, emptyBroken } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'
import { type Deflate, plainDeflate } from './deflate.ts'

// A kept frame of what breaks: "CLBF", u32 length of the JSON head, the head, then one zlib stream: the floats of each array, the states, and, in a run's first frame, the pieces as 32-bit numbers. Little-endian.
const MAGIC = 0x46424c43
const MOST_PIECES = 20_000
const MOST_DUST = 200_000
const MOST_WORDS = 100_000_000

const headSchema = z.object({
  count: z.int().min(0).max(MOST_PIECES),
  dust: z.int().min(0).max(MOST_DUST),
  /** Words of the pieces; 0: it has none. */
  words: z.int().min(0).max(MOST_WORDS),
})

const FRAME_ARRAYS = ['turns', 'places', 'velocities', 'spins'] as const
const DUST_ARRAYS = ['positions', 'velocities', 'areas', 'masses', 'impulses'] as const
const arraysOf = (frame: BrokenFrame): Float32Array[] => [
  ...FRAME_ARRAYS.map((name) => frame[name]),
  ...DUST_ARRAYS.map((name) => frame.dust[name]),
]

/** Pieces as words: how many bodies, and of each its corners (floats) and its faces (what lies beyond, then the ring). */
function pieceWords(pieces: readonly (readonly Convex[])[]): Int32Array<ArrayBuffer> {
  const out: number[] = []
  const float = new Float32Array(1)
  const bits = new Int32Array(float.buffer)
  for (const bodies of pieces) {
    out.push(bodies.length)
    for (const { corners, faces } of bodies) {
      out.push(corners.length, faces.length)
      for (const at of corners)
        for (const value of at) {
          float[0] = value
          out.push(bits[0] as number)
        }
      for (const { beyond, ring } of faces) out.push(beyond, ring.length, ...ring)
    }
  }
  return Int32Array.from(out)
}

function readPieces(words: Int32Array, count: number): Convex[][] {
  const floats = new Float32Array(words.buffer, words.byteOffset, words.length)
  let at = 0
  const next = (): number => {
    if (at >= words.length) throw new RangeError('words')
    return words[at++] as number
  }
  const some = (most: number): number => {
    const value = next()
    if (value < 0 || value > most) throw new RangeError('count')
    return value
  }
  return Array.from({ length: count }, () =>
    Array.from({ length: some(10_000) }, (): Convex => {
      const [corners, faces] = [some(words.length), some(words.length)]
      const places = Array.from({ length: corners }, (): Vec3 => {
        at += 3
        return [floats[at - 3] ?? 0, floats[at - 2] ?? 0, floats[at - 1] ?? 0]
      })
      const sides = Array.from({ length: faces }, (): ConvexFace => {
        const beyond = next()
        return { beyond, ring: Array.from({ length: some(corners) }, () => some(corners - 1)) }
      })
      return { corners: places, faces: sides }
    }),
  )
}

export function writeBrokenFrame(frame: BrokenFrame, deflate: Deflate = plainDeflate): Uint8Array<ArrayBuffer> {
  const words = frame.pieces ? pieceWords(frame.pieces) : new Int32Array()
  const head = new TextEncoder().encode(
    JSON.stringify({ count: frame.count, dust: frame.dust.count, words: words.length }),
  )
  const arrays = arraysOf(frame)
  const size = arrays.reduce((sum, array) => sum + array.byteLength, 0) + words.byteLength + frame.count
  const body = new Uint8Array(size)
  let at = 0
  for (const array of [...arrays, words, frame.states]) {
    body.set(new Uint8Array(array.buffer, array.byteOffset, array.byteLength), at)
    at += array.byteLength
  }
  const packed = deflate.deflate(body)
  const out = new Uint8Array(8 + head.length + packed.length)
  const view = new DataView(out.buffer)
  view.setUint32(0, MAGIC, true)
  view.setUint32(4, head.length, true)
  out.set(head, 8)
  out.set(packed, 8 + head.length)
  return out
}

/** Throws LanternError 'broken-frame' on bytes that are none. */
export function readBrokenFrame(bytes: Uint8Array, deflate: Deflate = plainDeflate): BrokenFrame {
  try {
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
    if (view.getUint32(0, true) !== MAGIC) throw new RangeError('magic')
    const length = view.getUint32(4, true)
    if (length > 1000) throw new RangeError('head')
    const text = new TextDecoder().decode(bytes.subarray(8, 8 + length))
    const { count, dust, words } = headSchema.parse(JSON.parse(text))
    const frame = emptyBroken(count, dust)
    const arrays = arraysOf(frame)
    const size = arrays.reduce((sum, array) => sum + array.byteLength, 0) + 4 * words + count
    const body = deflate.inflate(bytes.subarray(8 + length), size)
    if (body.length !== size) throw new RangeError('length')
    let at = 0
    const take = (into: Float32Array | Int32Array | Uint8Array): void => {
      new Uint8Array(into.buffer, into.byteOffset, into.byteLength).set(body.subarray(at, at + into.byteLength))
      at += into.byteLength
    }
    for (const array of arrays) take(array)
    const own = new Int32Array(words)
    take(own)
    take(frame.states)
    return words > 0 ? { ...frame, pieces: readPieces(own, count) } : frame
  } catch {
    throw new LanternError('broken-frame', 'A kept frame of pieces is damaged.', 'Bake it again.')
  }
}
