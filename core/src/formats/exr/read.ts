import { LanternError } from '../../base/index.ts'
import { halfTable } from '../../data/index.ts'
import { type Deflate, plainDeflate } from '../deflate.ts'
import {
  bytesOf,
  COMPRESSION,
  type ExrChannel,
  type ExrImage,
  LINES_PER_BLOCK,
  MAGIC,
  PIXEL_TYPES,
  unpredict,
} from './layout.ts'

const MOST_EDGE = 32768
const MOST_CHANNELS = 256
const LITTLE = new Uint8Array(Uint16Array.of(1).buffer)[0] === 1

/**
 * Reads a single-part scan-line file without compression or with ZIP or ZIPS; half, float and uint channels.
 * Throws LanternError 'exr' that says what is wrong with the bytes.
 */
export function readExr(bytes: Uint8Array, file = 'picture.exr', deflate: Deflate = plainDeflate): ExrImage {
  const broken = (what: string): LanternError =>
    new LanternError('exr', `${file} ${what}`, 'Write it again as a single-part, scan-line OpenEXR file.', { file })
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  let at = 0
  const need = (count: number): number => {
    if (count < 0 || at + count > bytes.length) throw broken('ends too early')
    const here = at
    at += count
    return here
  }
  const word = (): number => view.getInt32(need(4), true)
  const text = (): string => {
    const start = at
    while (at < bytes.length && bytes[at] !== 0) at++
    need(1)
    return new TextDecoder().decode(bytes.subarray(start, at - 1))
  }
  if (bytes.length < 8 || word() !== MAGIC) throw broken('is not an OpenEXR file')
  const flags = word()
  if (flags & 0x1e00 & ~0x400) throw broken('is tiled, deep or multi-part, which is not read here')

  const channels: { name: string; type: (typeof PIXEL_TYPES)[number] }[] = []
  const attributes: Record<string, string> = {}
  let compression: number = COMPRESSION.none
  let window = [0, 0, -1, -1]
  for (;;) {
    const name = text()
    if (!name) break
    const type = text()
    const size = word()
    const start = need(size)
    if (type === 'chlist') {
      at = start
      for (let channel = text(); channel; channel = text()) {
        const kind = PIXEL_TYPES[word()]
        need(4)
        const sampling = [word(), word()]
        if (!kind || sampling[0] !== 1 || sampling[1] !== 1)
          throw broken(`has a channel ${channel} of a kind that is not read here`)
        channels.push({ name: channel, type: kind })
        if (channels.length > MOST_CHANNELS) throw broken(`has more than ${MOST_CHANNELS} channels`)
      }
      at = start + size
    } else if (type === 'compression') compression = bytes[start] ?? 0
    else if (name === 'dataWindow' && size === 16) window = [0, 4, 8, 12].map((o) => view.getInt32(start + o, true))
    else if (type === 'string') attributes[name] = new TextDecoder().decode(bytes.subarray(start, start + size))
  }
  const [left = 0, top = 0, right = -1, bottom = -1] = window
  const width = right - left + 1
  const height = bottom - top + 1
  if (width < 1 || height < 1 || width > MOST_EDGE || height > MOST_EDGE)
    throw broken(`says it is ${width} by ${height} pixels`)
  const lines = LINES_PER_BLOCK[compression]
  if (!lines) throw broken('has a compression that is not read here (ZIP, ZIPS and none are)')

  const planes: ExrChannel[] = channels.map(({ name, type }) => ({
    name,
    type,
    data: new Float32Array(width * height),
  }))
  const halves = halfTable()
  const lineBytes = channels.reduce((sum, { type }) => sum + bytesOf(type) * width, 0)
  const blocks = Math.ceil(height / lines)
  const offsetsAt = need(blocks * 8)
  for (let n = 0; n < blocks; n++) {
    const offset = Number(view.getBigUint64(offsetsAt + n * 8, true))
    if (!(offset >= 0 && offset + 8 <= bytes.length)) throw broken('has a block that lies outside of it')
    at = offset
    const firstLine = word() - top
    const size = word()
    const start = need(size)
    const rows = Math.min(lines, height - firstLine)
    if (firstLine < 0 || rows < 1) throw broken('has a block of lines outside the picture')
    let plain = bytes.subarray(start, start + size)
    if (size < rows * lineBytes) {
      try {
        plain = unpredict(deflate.inflate(plain))
      } catch {
        throw broken('has a block that does not unpack')
      }
    }
    if (plain.length !== rows * lineBytes) throw broken('has a block of the wrong length')
    // At the start of a buffer of its own, a row of halves lies evenly.
    if (plain.byteOffset !== 0) plain = plain.slice()
    let from = 0
    for (let y = firstLine; y < firstLine + rows; y++)
      for (const { type, data } of planes) {
        const row = data.subarray(y * width, (y + 1) * width)
        if (type === 'half' && LITTLE) {
          const codes = new Uint16Array(plain.buffer, from, width)
          for (let x = 0; x < width; x++) row[x] = halves[codes[x] ?? 0] ?? 0
        } else {
          const raw = new DataView(plain.buffer, from)
          for (let x = 0; x < width; x++)
            row[x] =
              type === 'half'
                ? (halves[raw.getUint16(2 * x, true)] ?? 0)
                : type === 'float'
                  ? raw.getFloat32(4 * x, true)
                  : raw.getUint32(4 * x, true)
        }
        from += bytesOf(type) * width
      }
  }
  return { width, height, channels: planes, attributes }
}
