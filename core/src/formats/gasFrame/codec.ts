import { z } from 'zod'
import { LanternError } from '../../base/index.ts'
import { GAS_CHANNELS, type GasFrame, TILE, tileCounts } from '../../data/index.ts'
import { type Deflate, plainDeflate } from '../deflate.ts'

// A kept gas frame: "CLGF", u32 length of the JSON head, the head, then one zlib stream of the tile numbers (i32) and the channels' halves (u16), little-endian.
const MAGIC = 0x46474c43
const MOST_CELLS = 2147483648

const headSchema = z.object({
  box: z.object({
    cell: z.number().positive(),
    origin: z.tuple([z.number(), z.number(), z.number()]),
    size: z.tuple([z.int().positive(), z.int().positive(), z.int().positive()]),
  }),
  ambient: z.number().positive(),
  tiles: z.int().nonnegative(),
  /** How many there are; frames from before there was burnt fuel in them say none, and have six. */
  channels: z.int().min(6).max(7).default(6),
})

/** The largest finite half, and the bits that say that one is none. */
const [MOST, NO_NUMBER] = [0x7bff, 0x7c00]
/** Holds what is beyond a half's range at its most, and makes no number 0: where much dust is set free in one cell no light could be worked out. */
function holdFinite(halves: Uint16Array): Uint16Array {
  for (let n = 0; n < halves.length; n++) {
    const code = halves[n] ?? 0
    if ((code & NO_NUMBER) === NO_NUMBER) halves[n] = code & 0x03ff ? 0 : (code & 0x8000) | MOST
  }
  return halves
}

export function writeGasFrame(frame: GasFrame, deflate: Deflate = plainDeflate): Uint8Array<ArrayBuffer> {
  const head = new TextEncoder().encode(
    JSON.stringify({
      box: frame.box,
      ambient: frame.ambient,
      tiles: frame.tiles.length,
      channels: frame.channels.length,
    }),
  )
  const per = frame.tiles.length * TILE ** 3 * 2
  const body = new Uint8Array(frame.tiles.length * 4 + per * frame.channels.length)
  body.set(new Uint8Array(frame.tiles.buffer, frame.tiles.byteOffset, frame.tiles.byteLength))
  frame.channels.forEach((channel, n) =>
    body.set(new Uint8Array(channel.buffer, channel.byteOffset, channel.byteLength), frame.tiles.length * 4 + per * n),
  )
  const packed = deflate.deflate(body)
  const out = new Uint8Array(8 + head.length + packed.length)
  const view = new DataView(out.buffer)
  view.setUint32(0, MAGIC, true)
  view.setUint32(4, head.length, true)
  out.set(head, 8)
  out.set(packed, 8 + head.length)
  return out
}

/** Throws LanternError 'gas-frame' on bytes that are none. */
export function readGasFrame(bytes: Uint8Array, deflate: Deflate = plainDeflate): GasFrame {
  const broken = (): LanternError =>
    new LanternError('gas-frame', 'A kept gas frame is damaged.', 'Keep the gas again.')
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (bytes.length < 8 || view.getUint32(0, true) !== MAGIC) throw broken()
  const headLength = view.getUint32(4, true)
  if (8 + headLength > bytes.length) throw broken()
  try {
    const head = headSchema.parse(JSON.parse(new TextDecoder().decode(bytes.subarray(8, 8 + headLength))))
    const [tx, ty, tz] = tileCounts(head.box)
    if (head.box.size.reduce((a, b) => a * b, 1) > MOST_CELLS || head.tiles > tx * ty * tz) throw broken()
    const body = deflate.inflate(bytes.subarray(8 + headLength)).slice()
    const per = head.tiles * TILE ** 3
    const kept = head.channels
    if (body.length !== head.tiles * 4 + per * 2 * kept) throw broken()
    const tiles = new Int32Array(body.buffer, 0, head.tiles)
    const channels = GAS_CHANNELS.map((_, n) =>
      n < kept ? holdFinite(new Uint16Array(body.buffer, head.tiles * 4 + per * 2 * n, per)) : new Uint16Array(per),
    )
    return { box: head.box, ambient: head.ambient, tiles, channels }
  } catch {
    throw broken()
  }
}
