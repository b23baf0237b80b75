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

type ChannelHead = Pick<ExrChannel, 'name' | 'type'>

interface Head {
  channels: ChannelHead[]
  attributes: Record<string, string>
  compression: number
  /** left, top, right, bottom; inclusive: of what is kept, and of the whole picture. */
  window: number[]
  display: number[]
}

/** Reads numbers and texts from the bytes one after another. */
class Cursor {
  readonly view: DataView
  at = 0

  constructor(
    readonly bytes: Uint8Array,
    readonly broken: (what: string) => LanternError,
  ) {
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  }
  /** Goes on by so many bytes and returns where they begin. */
  need(count: number): number {
    if (count < 0 || this.at + count > this.bytes.length) throw this.broken('ends too early')
    const here = this.at
    this.at += count
    return here
  }
  word(): number {
    return this.view.getInt32(this.need(4), true)
  }
  text(): string {
    const start = this.at
    while (this.at < this.bytes.length && this.bytes[this.at] !== 0) this.at++
    this.need(1)
    return new TextDecoder().decode(this.bytes.subarray(start, this.at - 1))
  }
}

function readChannels(cursor: Cursor): ChannelHead[] {
  const channels: ChannelHead[] = []
  for (let name = cursor.text(); name; name = cursor.text()) {
    const type = PIXEL_TYPES[cursor.word()]
    cursor.need(4)
    const sampling = [cursor.word(), cursor.word()]
    if (!type || sampling[0] !== 1 || sampling[1] !== 1)
      throw cursor.broken(`has a channel ${name} of a kind that is not read here`)
    channels.push({ name, type })
    if (channels.length > MOST_CHANNELS) throw cursor.broken(`has more than ${MOST_CHANNELS} channels`)
  }
  return channels
}

function readHead(cursor: Cursor): Head {
  const head: Head = {
    channels: [],
    attributes: {},
    compression: COMPRESSION.none,
    window: [0, 0, -1, -1],
    display: [],
  }
  for (let name = cursor.text(); name; name = cursor.text()) {
    const type = cursor.text()
    const size = cursor.word()
    const start = cursor.need(size)
    if (type === 'chlist') {
      cursor.at = start
      head.channels.push(...readChannels(cursor))
      cursor.at = start + size
    } else if (type === 'compression') head.compression = cursor.bytes[start] ?? 0
    else if ((name === 'dataWindow' || name === 'displayWindow') && size === 16)
      head[name === 'dataWindow' ? 'window' : 'display'] = [0, 4, 8, 12].map((o) =>
        cursor.view.getInt32(start + o, true),
      )
    else if (type === 'string')
      head.attributes[name] = new TextDecoder().decode(cursor.bytes.subarray(start, start + size))
  }
  return head
}

/** Spreads the lines of an unpacked block over the channels' planes. */
function takeLines(plain: Uint8Array, planes: readonly ExrChannel[], width: number, from: number, rows: number): void {
  const halves = halfTable()
  let at = 0
  for (let y = from; y < from + rows; y++)
    for (const { type, data } of planes) {
      const row = data.subarray(y * width, (y + 1) * width)
      if (type === 'half' && LITTLE) {
        const codes = new Uint16Array(plain.buffer, at, width)
        for (let x = 0; x < width; x++) row[x] = halves[codes[x] ?? 0] ?? 0
      } else {
        const raw = new DataView(plain.buffer, at)
        for (let x = 0; x < width; x++)
          row[x] =
            type === 'half'
              ? (halves[raw.getUint16(2 * x, true)] ?? 0)
              : type === 'float'
                ? raw.getFloat32(4 * x, true)
                : raw.getUint32(4 * x, true)
      }
      at += bytesOf(type) * width
    }
}

/** The bytes of a block of lines, unpacked, at the start of a buffer of their own. */
function unpackBlock(packed: Uint8Array, length: number, deflate: Deflate, broken: Cursor['broken']): Uint8Array {
  let plain = packed
  if (packed.length < length)
    try {
      plain = unpredict(deflate.inflate(packed))
    } catch {
      throw broken('has a block that does not unpack')
    }
  if (plain.length !== length) throw broken('has a block of the wrong length')
  // At the start of a buffer of its own, a row of halves lies evenly.
  return plain.byteOffset === 0 ? plain : plain.slice()
}

const brokenOf =
  (file: string) =>
  (what: string): LanternError =>
    new LanternError('exr', `${file} ${what}`, 'Write it again as a single-part, scan-line OpenEXR file.', { file })

/** Names of a file's channels, how many pixels it keeps, and whether readExr reads how they are packed; undefined where it is no single-part scan-line file. Throws LanternError 'exr' on a broken head. */
export function exrChannels(
  bytes: Uint8Array,
  file = 'picture.exr',
): { names: string[]; pixels: number; packed: boolean } | undefined {
  const cursor = new Cursor(bytes, brokenOf(file))
  if (bytes.length < 8 || cursor.word() !== MAGIC || cursor.word() & 0x1e00 & ~0x400) return undefined
  const { channels, compression, window } = readHead(cursor)
  const [left = 0, top = 0, right = -1, bottom = -1] = window
  const pixels = Math.max(0, right - left + 1) * Math.max(0, bottom - top + 1)
  return { names: channels.map(({ name }) => name), pixels, packed: LINES_PER_BLOCK[compression] !== undefined }
}

/** A picture read of a part of its whole frame, put where it lies in it; 0 beside it. */
function inFrame(image: ExrImage, [left = 0, top = 0]: readonly number[], display: readonly number[]): ExrImage {
  const [x0 = 0, y0 = 0, x1 = -1, y1 = -1] = display
  const [width, height] = [x1 - x0 + 1, y1 - y0 + 1]
  const [dx, dy] = [left - x0, top - y0]
  if (width < 1 || height < 1 || width > MOST_EDGE || height > MOST_EDGE) return image
  if (dx === 0 && dy === 0 && width === image.width && height === image.height) return image
  const [from, to] = [Math.max(0, -dx), Math.min(image.width, width - dx)]
  return {
    ...image,
    width,
    height,
    channels: image.channels.map((channel) => {
      const data = new Float32Array(width * height)
      for (let y = Math.max(0, -dy); y < Math.min(image.height, height - dy); y++)
        if (from < to)
          data.set(channel.data.subarray(y * image.width + from, y * image.width + to), (y + dy) * width + from + dx)
      return { ...channel, data }
    }),
  }
}

/**
 * Reads a single-part scan-line file without compression or with ZIP or ZIPS; half, float and uint channels, over the whole of its frame.
 * Throws LanternError 'exr' that says what is wrong with the bytes.
 */
export function readExr(bytes: Uint8Array, file = 'picture.exr', deflate: Deflate = plainDeflate): ExrImage {
  const broken = brokenOf(file)
  const cursor = new Cursor(bytes, broken)
  if (bytes.length < 8 || cursor.word() !== MAGIC) throw broken('is not an OpenEXR file')
  if (cursor.word() & 0x1e00 & ~0x400) throw broken('is tiled, deep or multi-part, which is not read here')
  const { channels, attributes, compression, window, display } = readHead(cursor)
  const [left = 0, top = 0, right = -1, bottom = -1] = window
  const [width, height] = [right - left + 1, bottom - top + 1]
  if (width < 1 || height < 1 || width > MOST_EDGE || height > MOST_EDGE)
    throw broken(`says it is ${width} by ${height} pixels`)
  const lines = LINES_PER_BLOCK[compression]
  if (!lines) throw broken('has a compression that is not read here (ZIP, ZIPS and none are)')

  const planes: ExrChannel[] = channels.map((channel) => ({ ...channel, data: new Float32Array(width * height) }))
  const lineBytes = channels.reduce((sum, { type }) => sum + bytesOf(type) * width, 0)
  const blocks = Math.ceil(height / lines)
  const offsetsAt = cursor.need(blocks * 8)
  for (let n = 0; n < blocks; n++) {
    const offset = Number(cursor.view.getBigUint64(offsetsAt + n * 8, true))
    if (!(offset >= 0 && offset + 8 <= bytes.length)) throw broken('has a block that lies outside of it')
    cursor.at = offset
    const firstLine = cursor.word() - top
    const size = cursor.word()
    const start = cursor.need(size)
    const rows = Math.min(lines, height - firstLine)
    if (firstLine < 0 || rows < 1) throw broken('has a block of lines outside the picture')
    const plain = unpackBlock(bytes.subarray(start, start + size), rows * lineBytes, deflate, broken)
    takeLines(plain, planes, width, firstLine, rows)
  }
  return inFrame({ width, height, channels: planes, attributes }, window, display)
}
