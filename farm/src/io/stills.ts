import { readdir, readFile } from 'node:fs/promises'
import { basename, dirname, extname, join } from 'node:path'
import { LanternError } from '@lantern/core/base'
import { guessPasses } from '@lantern/core/effects/renders'
import { exrChannels, readExr } from '@lantern/core/formats'
import sharp from 'sharp'
import { nodeDeflate } from './deflate.ts'
import { checkSize, decodeExrStill } from './movie.ts'

export interface Still {
  frame: number
  path: string
  name: string
}

/** What is read of a file by that name's ending, whatever its bytes say it is. */
const PICTURES = new Set<string>(['png', 'jpeg', 'tiff'])
const NUMBERED = /^(.*?)(\d+)(\.[A-Za-z0-9]+)$/
/** A still by itself gets its own number where that can be a frame's, else this one. */
const LONE_FRAME = 1001
const MOST_LONE_FRAME = 10_000_000

function loneStill(path: string): Still[] {
  const name = basename(path)
  const number = Number(NUMBERED.exec(name)?.[2] ?? LONE_FRAME)
  return [{ frame: number <= MOST_LONE_FRAME ? number : LONE_FRAME, path, name }]
}

/** The stills of dir/name.####.ext (any number of #), one still, or all numbered pictures of a folder, by number. Throws LanternError 'stills'. */
export async function findStills(pattern: string): Promise<Still[]> {
  if (!/#/.test(basename(pattern)) && /\.(png|jpe?g|tiff?|exr)$/i.test(pattern)) return loneStill(pattern)
  const isFolder = !/#/.test(basename(pattern)) && extname(pattern) === ''
  const folder = isFolder ? pattern : dirname(pattern)
  const wanted = isFolder ? undefined : basename(pattern).split(/#+/)
  const names = await readdir(folder).catch(() => [])
  const stills = names.flatMap((name) => {
    const parts = NUMBERED.exec(name)
    if (!parts || !/^\.(png|jpe?g|tiff?|exr)$/i.test(parts[3] ?? '')) return []
    if (wanted && (parts[1] !== wanted[0] || parts[3] !== wanted[1])) return []
    return [{ frame: Number(parts[2]), path: join(folder, name), name }]
  })
  if (stills.length === 0)
    throw new LanternError(
      'stills',
      `No numbered pictures like ${basename(pattern)} are there.`,
      'Name them name.0001.png and on: PNG, JPEG, TIFF or OpenEXR.',
      { file: basename(pattern) },
    )
  return stills.sort((a, b) => a.frame - b.frame)
}

/** Pixels up to which a still is held whole. */
const MOST_HELD = 16e6

/** alpha: how much of each pixel is there, of as many bits as the colours, where the file says so. */
export type StillPixels =
  | { width: number; height: number; bits: 8 | 16; data: Buffer; alpha?: Buffer }
  /** Too large to hold: read from its file, strip by strip. */
  | { width: number; height: number; bits: 8 | 16; file: string }
  | {
      width: number
      height: number
      bits: 32
      data: Float32Array
      alpha?: Float32Array
      /** Its file and the names of its channels, where these are more than colours and alpha. */
      passes?: { channels: readonly string[]; bytes: Uint8Array }
    }

/** Takes pixels of 4 channels apart. bytes: of a channel. */
export function splitAlpha(all: Buffer, bytes: 1 | 2): { data: Buffer; alpha: Buffer } {
  const pixels = all.length / (4 * bytes)
  const [data, alpha] = [Buffer.allocUnsafe(pixels * 3 * bytes), Buffer.allocUnsafe(pixels * bytes)]
  for (let n = 0; n < pixels; n++) {
    for (let b = 0; b < 3 * bytes; b++) data[n * 3 * bytes + b] = all[n * 4 * bytes + b] ?? 0
    for (let b = 0; b < bytes; b++) alpha[n * bytes + b] = all[n * 4 * bytes + 3 * bytes + b] ?? 0
  }
  return { data, alpha }
}

/** Throws LanternError 'still' on a damaged file, so that it is left out as a gap and named. */
function readWhole(bytes: Uint8Array, name: string, frame: number): ReturnType<typeof readExr> {
  try {
    return readExr(bytes, name, nodeDeflate)
  } catch {
    throw new LanternError('still', `${name} is damaged or breaks off.`, 'Write it again.', { file: name, frame })
  }
}

/** Values of all channels that are held of one file, at most. */
const MOST_VALUES = 2.5e8
/** A file of more channels than colours and alpha, as far as how they are packed is read here; undefined for others. */
async function readLayered(
  path: string,
  name: string,
  frame: number,
): Promise<(StillPixels & { bits: 32 }) | undefined> {
  const bytes = new Uint8Array(await readFile(path))
  let head: ReturnType<typeof exrChannels>
  try {
    head = exrChannels(bytes, name)
  } catch {
    // What is wrong with it is said by what reads all EXR files.
    return undefined
  }
  if (!head?.packed || head.names.every((one) => /^[RGBAY]$/.test(one))) return undefined
  if (head.pixels * head.names.length > MOST_VALUES)
    throw new LanternError(
      'still',
      `${name} has ${head.names.length} channels of ${Math.round(head.pixels / 1e6)} million pixels, which is more than is held at once.`,
      'Write fewer passes, or smaller ones.',
      { file: name, frame },
    )
  const { width, height, channels } = readWhole(bytes, name, frame)
  checkSize(width, height, name, frame)
  const { colour, alpha } = guessPasses(head.names)
  const plane = (wanted: string | undefined): Float32Array | undefined =>
    channels.find((channel) => channel.name === wanted)?.data
  const data = new Float32Array(width * height * 3)
  colour.forEach((one, c) => plane(one)?.forEach((value, n) => (data[3 * n + c] = value)))
  const own = plane(alpha[0])
  return { width, height, bits: 32, data, ...(own ? { alpha: own } : {}), passes: { channels: head.names, bytes } }
}

/** Reads one still as r g b. Throws LanternError 'still' naming the file. */
export async function readStill({ path, name, frame }: Still): Promise<StillPixels> {
  const unreadable = (what: string): LanternError =>
    new LanternError('still', `${name} ${what}.`, 'Write it again as PNG, JPEG, TIFF or OpenEXR.', {
      file: name,
      frame,
    })
  if (/\.exr$/i.test(name)) {
    const layered = await readLayered(path, name, frame)
    if (layered) return layered
    const { width, height, data, alpha } = await decodeExrStill(path, name).catch(() =>
      Promise.reject(unreadable('is not a picture that can be read')),
    )
    checkSize(width, height, name, frame)
    return { width, height, bits: 32, data, ...(alpha ? { alpha } : {}) }
  }
  const meta = await sharp(path, { limitInputPixels: false })
    .metadata()
    .catch(() => Promise.reject(unreadable('is not a picture')))
  // Drawings that refer to other files, among others.
  if (!PICTURES.has(meta.format)) throw unreadable('is not a picture')
  checkSize(meta.width, meta.height, name, frame)
  if (meta.depth === 'float' || meta.depth === 'double') throw unreadable('is a TIFF of floats, which is not read')
  const deep = meta.depth === 'ushort'
  if (meta.width * meta.height > MOST_HELD)
    return { width: meta.width, height: meta.height, bits: deep ? 16 : 8, file: path }
  try {
    const source = meta.hasAlpha ? sharp(path) : sharp(path).removeAlpha()
    const { data, info } = deep
      ? await source.toColourspace('rgb16').raw({ depth: 'ushort' }).toBuffer({ resolveWithObject: true })
      : await source.toColourspace('srgb').raw().toBuffer({ resolveWithObject: true })
    const own = { width: info.width, height: info.height, bits: deep ? (16 as const) : (8 as const) }
    return info.channels === 4 ? { ...own, ...splitAlpha(data, deep ? 2 : 1) } : { ...own, data }
  } catch {
    throw unreadable('is damaged')
  }
}
