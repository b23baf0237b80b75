import { toHalf } from '../../data/index.ts'
import { type Deflate, plainDeflate } from '../deflate.ts'
import { bytesOf, COMPRESSION, type ExrImage, LINES_PER_BLOCK, MAGIC, PIXEL_TYPES, predict, VERSION } from './layout.ts'

class Writer {
  #parts: Uint8Array[] = []
  length = 0
  bytes(part: Uint8Array): this {
    this.#parts.push(part)
    this.length += part.length
    return this
  }
  text(value: string): this {
    return this.bytes(new TextEncoder().encode(value)).bytes(new Uint8Array(1))
  }
  words(values: readonly number[], kind: 'int' | 'float' = 'int'): this {
    const part = new DataView(new ArrayBuffer(values.length * 4))
    values.forEach((value, n) =>
      kind === 'int' ? part.setInt32(n * 4, value, true) : part.setFloat32(n * 4, value, true),
    )
    return this.bytes(new Uint8Array(part.buffer))
  }
  joined(): Uint8Array<ArrayBuffer> {
    const all = new Uint8Array(this.length)
    let at = 0
    for (const part of this.#parts) {
      all.set(part, at)
      at += part.length
    }
    return all
  }
}

const attribute = (writer: Writer, name: string, type: string, value: Uint8Array): Writer =>
  writer.text(name).text(type).words([value.length]).bytes(value)
const compare = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0)

/** A multi-layer scan-line OpenEXR file, ZIP-compressed in blocks of 16 lines. Channels are sorted by name as the format asks. */
export function writeExr(image: ExrImage, deflate: Deflate = plainDeflate): Uint8Array<ArrayBuffer> {
  const { width, height } = image
  const channels = [...image.channels].sort((a, b) => compare(a.name, b.name))
  const head = new Writer().words([MAGIC, VERSION])
  const list = new Writer()
  for (const channel of channels) list.text(channel.name).words([PIXEL_TYPES.indexOf(channel.type), 0, 1, 1])
  list.bytes(new Uint8Array(1))
  const window = new Writer().words([0, 0, width - 1, height - 1]).joined()
  attribute(head, 'channels', 'chlist', list.joined())
  attribute(head, 'compression', 'compression', Uint8Array.of(COMPRESSION.zip))
  attribute(head, 'dataWindow', 'box2i', window)
  attribute(head, 'displayWindow', 'box2i', window)
  attribute(head, 'lineOrder', 'lineOrder', Uint8Array.of(0))
  attribute(head, 'pixelAspectRatio', 'float', new Writer().words([1], 'float').joined())
  attribute(head, 'screenWindowCenter', 'v2f', new Writer().words([0, 0], 'float').joined())
  attribute(head, 'screenWindowWidth', 'float', new Writer().words([1], 'float').joined())
  // Rec. 709 primaries and D65, so that readers know what the numbers mean.
  attribute(
    head,
    'chromaticities',
    'chromaticities',
    new Writer().words([0.64, 0.33, 0.3, 0.6, 0.15, 0.06, 0.3127, 0.329], 'float').joined(),
  )
  for (const [name, value] of Object.entries(image.attributes))
    attribute(head, name, 'string', new TextEncoder().encode(value))
  head.bytes(new Uint8Array(1))

  const lines = LINES_PER_BLOCK[COMPRESSION.zip] ?? 16
  const lineBytes = channels.reduce((sum, channel) => sum + bytesOf(channel.type) * width, 0)
  const blocks: Uint8Array[] = []
  for (let top = 0; top < height; top += lines) {
    const rows = Math.min(lines, height - top)
    const raw = new DataView(new ArrayBuffer(rows * lineBytes))
    let at = 0
    for (let y = top; y < top + rows; y++)
      for (const { type, data } of channels)
        for (let x = 0; x < width; x++) {
          const value = data[y * width + x] ?? 0
          if (type === 'half') raw.setUint16(at, toHalf(value), true)
          else if (type === 'float') raw.setFloat32(at, value, true)
          else raw.setUint32(at, value, true)
          at += bytesOf(type)
        }
    const plain = new Uint8Array(raw.buffer)
    const packed = deflate.deflate(predict(plain))
    const body = packed.length < plain.length ? packed : plain
    blocks.push(new Writer().words([top, body.length]).bytes(body).joined())
  }
  const offsets = new DataView(new ArrayBuffer(blocks.length * 8))
  let position = head.length + blocks.length * 8
  blocks.forEach((block, n) => {
    offsets.setBigUint64(n * 8, BigInt(position), true)
    position += block.length
  })
  head.bytes(new Uint8Array(offsets.buffer))
  for (const block of blocks) head.bytes(block)
  return head.joined()
}
