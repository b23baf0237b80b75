import { z } from 'zod'
import { LanternError } from '../base/index.ts'
import { emptyParticles, halfTable, type ParticleFrame, toHalf } from '../data/index.ts'
import { type Deflate, plainDeflate } from './deflate.ts'

// A kept frame of particles: "CLPF", u32 their number, then one zlib stream: ids (u32), positions (3 f32), then as halves velocities (3), size (mm), age (s), temperature (K), turns, then a byte of state each; "CLPT": after these how each is turned (4 halves). Little-endian, array after array.
const MAGIC = 0x46504c43
const TURNED = 0x54504c43
const MOST = 20_000_000
const BYTES = 4 + 12 + 6 + 2 + 2 + 2 + 2 + 1
const TURN_BYTES = 8

const headSchema = z.int().min(0).max(MOST)
const HALVES = ['sizes', 'ages', 'temperatures', 'spins'] as const
/** What a half holds of a value: sizes in mm. */
const PER = { sizes: 1000, ages: 1, temperatures: 1, spins: 1 } as const

export function writeParticleFrame(frame: ParticleFrame, deflate: Deflate = plainDeflate): Uint8Array<ArrayBuffer> {
  const { count } = frame
  const body = new Uint8Array(count * (BYTES + (frame.turns ? TURN_BYTES : 0)))
  const view = new DataView(body.buffer)
  let at = 0
  for (let n = 0; n < count; n++, at += 4) view.setUint32(at, frame.ids[n] as number, true)
  for (let n = 0; n < 3 * count; n++, at += 4) view.setFloat32(at, frame.positions[n] as number, true)
  for (let n = 0; n < 3 * count; n++, at += 2) view.setUint16(at, toHalf(frame.velocities[n] as number), true)
  for (const name of HALVES)
    for (let n = 0; n < count; n++, at += 2) view.setUint16(at, toHalf((frame[name][n] as number) * PER[name]), true)
  body.set(frame.states.subarray(0, count), at)
  at += count
  frame.turns?.forEach((value, n) => view.setUint16(at + 2 * n, toHalf(value), true))
  const packed = deflate.deflate(body)
  const out = new Uint8Array(8 + packed.length)
  const head = new DataView(out.buffer)
  head.setUint32(0, frame.turns ? TURNED : MAGIC, true)
  head.setUint32(4, count, true)
  out.set(packed, 8)
  return out
}

/** Throws LanternError 'particle-frame' on bytes that are none. */
export function readParticleFrame(bytes: Uint8Array, deflate: Deflate = plainDeflate): ParticleFrame {
  try {
    const head = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
    const magic = head.getUint32(0, true)
    if (magic !== MAGIC && magic !== TURNED) throw new RangeError('magic')
    const count = headSchema.parse(head.getUint32(4, true))
    const size = count * (BYTES + (magic === TURNED ? TURN_BYTES : 0))
    const body = deflate.inflate(bytes.subarray(8), size)
    if (body.length !== size) throw new RangeError('length')
    const view = new DataView(body.buffer, body.byteOffset, body.byteLength)
    const table = halfTable()
    const frame = emptyParticles(count)
    let at = 0
    for (let n = 0; n < count; n++, at += 4) frame.ids[n] = view.getUint32(at, true)
    for (let n = 0; n < 3 * count; n++, at += 4) frame.positions[n] = view.getFloat32(at, true)
    for (let n = 0; n < 3 * count; n++, at += 2) frame.velocities[n] = table[view.getUint16(at, true)] as number
    for (const name of HALVES)
      for (let n = 0; n < count; n++, at += 2) frame[name][n] = (table[view.getUint16(at, true)] as number) / PER[name]
    frame.states.set(body.subarray(at, at + count))
    at += count
    if (magic === MAGIC) return frame
    return {
      ...frame,
      turns: Float32Array.from({ length: 4 * count }, (_, n) => table[view.getUint16(at + 2 * n, true)] ?? 0),
    }
  } catch {
    throw new LanternError('particle-frame', 'A kept frame of particles is damaged.', 'Bake it again.')
  }
}
