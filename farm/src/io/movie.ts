import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { basename } from 'node:path'
import { LanternError } from '@lantern/core/base'
import { z } from 'zod'

export interface MovieInfo {
  width: number
  height: number
  rate: [number, number]
  /** Frames as the container tells them; undefined where it does not. */
  frames?: number
  bits: number
  /** Whether it says how much of each pixel is there, and the decoder that reads it where that is not the usual one. */
  alpha?: true
  decoder?: string
}

/** Pixel formats with alpha, as ffmpeg calls them. */
const WITH_ALPHA = /^(yuva|gbrap|rgba|bgra|argb|abgr|ya\d)/

const probeSchema = z.object({
  streams: z
    .array(
      z.object({
        width: z.int().optional(),
        height: z.int().optional(),
        r_frame_rate: z.string().optional(),
        avg_frame_rate: z.string().optional(),
        nb_frames: z.string().optional(),
        pix_fmt: z.string().optional(),
        codec_name: z.string().optional(),
        tags: z.record(z.string(), z.string()).optional(),
      }),
    )
    .default([]),
})
export const MOST_EDGE = 16384
const MOST_PIXELS = 1e6 * z.coerce.number().positive().catch(200).parse(process.env.LANTERN_PICTURE_MPX)

/** Forms of file that are pictures themselves: playlists and scripts, which name other files to be read, are none. */
const DEMUXERS = [
  ...['mov', 'matroska', 'avi', 'mxf', 'mpegts', 'mpeg', 'ogg', 'asf', 'flv', 'gif', 'apng'],
  ...['h264', 'hevc', 'm4v', 'mjpeg', 'dv', 'ivf', 'nut'],
  ...['png_pipe', 'jpeg_pipe', 'tiff_pipe', 'exr_pipe', 'webp_pipe', 'bmp_pipe', 'dpx_pipe'],
]
const GUARDED = ['-protocol_whitelist', 'file,pipe', '-format_whitelist', DEMUXERS.join(',')]

const collect = async (
  command: string,
  args: readonly string[],
): Promise<{ code: number; out: string; err: string }> => {
  const child = spawn(command, args, { stdio: ['ignore', 'pipe', 'pipe'] })
  let [out, err] = ['', '']
  child.stdout.on('data', (part: Buffer) => (out += part.toString()))
  child.stderr.on('data', (part: Buffer) => (err += part.toString()))
  const [code] = (await once(child, 'close')) as [number]
  return { code, out, err }
}

/** Refuses pictures no one could hold. */
export function checkSize(width: number, height: number, file: string, frame?: number): void {
  if (width > MOST_EDGE || height > MOST_EDGE)
    throw new LanternError(
      'plate-size',
      `${file} is ${width} by ${height} pixels; ${MOST_EDGE} is the most along an edge.`,
      'Scale it down, then take it in again.',
      { file, frame },
    )
  if (width * height > MOST_PIXELS)
    throw new LanternError(
      'plate-size',
      `${file} has ${Math.round((width * height) / 1e6)} million pixels; ${MOST_PIXELS / 1e6} million is the most.`,
      'Scale it down, then take it in again; LANTERN_PICTURE_MPX sets another limit.',
      { file, frame },
    )
}

/** Throws LanternError 'movie' where ffprobe finds no picture in the file. */
export async function probeMovie(path: string, name = basename(path)): Promise<MovieInfo> {
  const { code, out } = await collect('ffprobe', [
    '-v',
    'error',
    ...GUARDED,
    '-select_streams',
    'v:0',
    '-show_streams',
    '-of',
    'json',
    path,
  ])
  const stream = code === 0 ? probeSchema.safeParse(JSON.parse(out || '{}')).data?.streams[0] : undefined
  if (!stream?.width || !stream.height)
    throw new LanternError(
      'movie',
      `${name} is not a movie that can be read here.`,
      'Write it again as H.264 or ProRes, or as numbered stills.',
      { file: name },
    )
  checkSize(stream.width, stream.height, name)
  const rate = [stream.r_frame_rate, stream.avg_frame_rate]
    .map((text) => text?.split('/').map(Number))
    .find((pair) => pair && (pair[0] ?? 0) > 0 && (pair[1] ?? 0) > 0)
  // VP8 and VP9 keep alpha in a stream of its own, which only their own library decodes.
  const apart = Object.entries(stream.tags ?? {}).some(([key, value]) => /^alpha_mode$/i.test(key) && value === '1')
  const decoder = { vp8: 'libvpx', vp9: 'libvpx-vp9' }[stream.codec_name ?? '']
  return {
    ...(apart || WITH_ALPHA.test(stream.pix_fmt ?? '') ? { alpha: true } : {}),
    ...(apart && decoder ? { decoder } : {}),
    width: stream.width,
    height: stream.height,
    rate: [rate?.[0] ?? 24, rate?.[1] ?? 1],
    frames: stream.nb_frames ? Number(stream.nb_frames) : undefined,
    bits: /1[0246]|48/.test(stream.pix_fmt ?? '') ? 16 : 8,
  }
}

/**
 * Decodes a movie frame by frame as r g b, and alpha where it has one (8 or 16 bits a channel). `take` gets each frame's bytes, which it must not keep, and returns false to end.
 * broken: the file ends before its last frame. Throws LanternError 'movie' when nothing could be decoded.
 */
export async function decodeMovie(
  path: string,
  info: MovieInfo,
  name: string,
  take: (n: number, bytes: Buffer) => Promise<boolean>,
): Promise<{ count: number; stopped: boolean; broken: boolean }> {
  const size = info.width * info.height * (info.alpha ? 4 : 3) * (info.bits === 16 ? 2 : 1)
  const child = spawn(
    'ffmpeg',
    [
      '-v',
      'error',
      '-nostdin',
      ...GUARDED,
      ...(info.decoder ? ['-c:v', info.decoder] : []),
      '-i',
      path,
      '-map',
      '0:v:0',
      '-fps_mode',
      'passthrough',
      '-f',
      'rawvideo',
      '-pix_fmt',
      info.alpha ? (info.bits === 16 ? 'rgba64le' : 'rgba') : info.bits === 16 ? 'rgb48le' : 'rgb24',
      '-',
    ],
    { stdio: ['ignore', 'pipe', 'pipe'] },
  )
  let complaint = ''
  child.stderr.on('data', (part: Buffer) => (complaint = (complaint + part.toString()).slice(-2000)))
  const closed = once(child, 'close')
  const frame = Buffer.allocUnsafe(size)
  let [filled, count] = [0, 0]
  try {
    for await (const part of child.stdout as AsyncIterable<Buffer>) {
      for (let at = 0; at < part.length; ) {
        const n = Math.min(part.length - at, size - filled)
        part.copy(frame, filled, at, at + n)
        filled += n
        at += n
        if (filled === size) {
          if (!(await take(count++, frame))) return { count, stopped: true, broken: false }
          filled = 0
        }
      }
    }
  } finally {
    if (child.exitCode === null) child.kill()
  }
  await closed
  if (count === 0)
    throw new LanternError(
      'movie',
      `No frame of ${name} could be decoded.`,
      'Write it again as H.264 or ProRes, or as numbered stills.',
      { file: name },
    )
  return { count, stopped: false, broken: complaint !== '' || (info.frames !== undefined && count < info.frames - 1) }
}

/** One EXR still as float r g b, and alpha where it has one, by ffmpeg. */
export async function decodeExrStill(
  path: string,
  name: string,
): Promise<{ width: number; height: number; data: Float32Array; alpha?: Float32Array }> {
  const info = await probeMovie(path, name)
  const channels = info.alpha ? 4 : 3
  const child = spawn(
    'ffmpeg',
    [
      '-v',
      'error',
      '-nostdin',
      ...GUARDED,
      '-i',
      path,
      '-f',
      'rawvideo',
      '-pix_fmt',
      info.alpha ? 'gbrapf32le' : 'gbrpf32le',
      '-',
    ],
    { stdio: ['ignore', 'pipe', 'ignore'] },
  )
  const parts: Buffer[] = []
  for await (const part of child.stdout as AsyncIterable<Buffer>) parts.push(part)
  const all = Buffer.concat(parts)
  const pixels = info.width * info.height
  if (all.length !== pixels * 4 * channels)
    throw new LanternError('still', `${name} is damaged or breaks off.`, 'Write it again.', { file: name })
  const planes = new Float32Array(all.buffer.slice(all.byteOffset, all.byteOffset + all.length))
  const data = new Float32Array(pixels * 3)
  for (let n = 0; n < pixels; n++) [1, 2, 0].forEach((c, plane) => (data[n * 3 + c] = planes[plane * pixels + n] ?? 0))
  return {
    width: info.width,
    height: info.height,
    data,
    ...(info.alpha ? { alpha: planes.slice(3 * pixels) } : {}),
  }
}

/** Writes r g b 8-bit frames as an H.264 movie that any player opens. */
export function movieWriter(
  path: string,
  width: number,
  height: number,
  rate: readonly [number, number],
): { frame(bytes: Uint8Array): Promise<void>; end(): Promise<void> } {
  const child = spawn(
    'ffmpeg',
    [
      '-v',
      'error',
      '-y',
      '-f',
      'rawvideo',
      '-pix_fmt',
      'rgba',
      '-s',
      `${width}x${height}`,
      '-r',
      `${rate[0]}/${rate[1]}`,
      '-i',
      '-',
      '-vf',
      'scale=trunc(iw/2)*2:trunc(ih/2)*2:out_color_matrix=bt709:out_range=tv',
      '-c:v',
      'libx264',
      '-preset',
      'medium',
      '-crf',
      '14',
      '-pix_fmt',
      'yuv420p',
      '-colorspace',
      'bt709',
      '-color_primaries',
      'bt709',
      '-color_trc',
      'iec61966-2-1',
      '-color_range',
      'tv',
      '-movflags',
      '+faststart',
      path,
    ],
    { stdio: ['pipe', 'ignore', 'pipe'] },
  )
  let complaint = ''
  child.stderr.on('data', (part: Buffer) => (complaint += part.toString()))
  child.stdin.on('error', () => undefined)
  const closed = once(child, 'close')
  return {
    async frame(bytes) {
      if (!child.stdin.write(bytes)) await Promise.race([once(child.stdin, 'drain'), closed])
    },
    async end() {
      child.stdin.end()
      const [code] = (await closed) as [number]
      if (code !== 0)
        throw new LanternError(
          'movie-write',
          `The movie could not be written: ${complaint.split('\n')[0] ?? ''}`,
          'Check the folder and its space.',
          { file: basename(path) },
        )
    },
  }
}
