import { spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { EXRLoader } from 'three/examples/jsm/loaders/EXRLoader.js'
import { fromHalf, toHalf } from '../../core/src/data/index.ts'
import { readExr, writeExr } from '../../core/src/formats/index.ts'
import { movieWriter } from '../../farm/src/io/movie.ts'
import type { Row } from './row.ts'

const [W, H] = [53, 39]
const plane = (seed: number): Float32Array =>
  Float32Array.from({ length: W * H }, (_, n) => fromHalf(toHalf(((n * 7919 + seed * 104729) % 4001) / 1000 - 0.5)))
const said = (command: string, args: readonly string[]): string =>
  spawnSync(command, args, { encoding: 'utf8', maxBuffer: 1 << 28 }).stdout

function exr(folder: string): Row[] {
  const names = ['R', 'G', 'B', 'A', 'fire.R', 'smoke.A', 'depth.Z']
  const channels = names.map((name, n) => ({
    name,
    type: name === 'depth.Z' ? ('float' as const) : ('half' as const),
    data: plane(n),
  }))
  const bytes = writeExr({ width: W, height: H, attributes: { software: 'Coal Lantern' }, channels })
  const path = join(folder, 'layers.exr')
  writeFileSync(path, bytes)
  const header = said('exrheader', [path])
  const listed = names.filter((name) =>
    header.includes(`    ${name}, ${name === 'depth.Z' ? 32 : 16}-bit floating-point`),
  ).length
  const raw = spawnSync('ffmpeg', ['-v', 'error', '-i', path, '-f', 'rawvideo', '-pix_fmt', 'gbrapf32le', '-'], {
    maxBuffer: 1 << 28,
  }).stdout
  const planes = new Float32Array(raw.buffer.slice(raw.byteOffset, raw.byteOffset + raw.byteLength))
  const order = ['G', 'B', 'R', 'A']
  let wrong = planes.length === 4 * W * H ? 0 : 1
  order.forEach((name, p) =>
    channels
      .find((one) => one.name === name)
      ?.data.forEach((value, n) => {
        if (planes[p * W * H + n] !== value) wrong++
      }),
  )
  const parsed = new EXRLoader().parse(
    writeExr({ width: W, height: H, attributes: {}, channels: channels.slice(0, 4) }).buffer,
  )
  const texels = parsed.data as Uint16Array
  let wrongThree = 0
  for (let y = 0; y < H; y++)
    for (let x = 0; x < W; x++)
      for (let c = 0; c < 4; c++)
        if (fromHalf(texels[((H - 1 - y) * W + x) * 4 + c] ?? 0) !== channels[c]?.data[y * W + x]) wrongThree++
  // In from elsewhere: ffmpeg writes an OpenEXR file (ZIP, float), ours reads it.
  const made = join(folder, 'made.exr')
  spawnSync(
    'ffmpeg',
    [
      '-v',
      'error',
      '-y',
      '-f',
      'rawvideo',
      '-pix_fmt',
      'gbrpf32le',
      '-s',
      `${W}x${H}`,
      '-i',
      '-',
      '-compression',
      'zip16',
      '-format',
      'float',
      made,
    ],
    { input: Buffer.from(new Float32Array([...plane(1), ...plane(2), ...plane(0)]).buffer) },
  )
  let wrongIn = 0
  const back = readExr(new Uint8Array(spawnSync('cat', [made], { maxBuffer: 1 << 28 }).stdout), 'made.exr')
  ;['R', 'G', 'B'].forEach((name, n) => {
    const data = back.channels.find((one) => one.name === name)?.data
    plane(n).forEach((value, i) => {
      if (data?.[i] !== value) wrongIn++
    })
  })
  const row = (name: string, reference: string, expected: number, measured: number): Row => ({
    case: name,
    reference,
    expected,
    measured,
    tolerance: 'exact',
    pass: expected === measured,
  })
  return [
    row('OpenEXR, channels named, half and float', 'exrheader (Debian openexr)', names.length, listed),
    row(
      'OpenEXR, compression named',
      'exrheader: zip, multi-scanline blocks',
      1,
      header.includes('zip, multi-scanline blocks') ? 1 : 0,
    ),
    row('OpenEXR, values that differ', 'ffmpeg', 0, wrong),
    row('OpenEXR, values that differ', 'EXRLoader of three', 0, wrongThree),
    row('OpenEXR in, values that differ', 'written by ffmpeg', 0, wrongIn),
  ]
}

async function movie(folder: string): Promise<Row[]> {
  const path = join(folder, 'out.mp4')
  const writer = movieWriter(path, 128, 72, [24000, 1001])
  for (let n = 0; n < 12; n++) await writer.frame(new Uint8Array(128 * 72 * 4).fill(100 + n))
  await writer.end()
  const told = said('ffprobe', [
    '-v',
    'error',
    '-count_frames',
    '-show_entries',
    'stream=codec_name,width,height,r_frame_rate,nb_read_frames,color_space,color_primaries,color_transfer,color_range',
    '-of',
    'default=nw=1',
    path,
  ])
    .trim()
    .split('\n')
    .sort()
    .join(' ')
  const wanted = [
    'codec_name=h264',
    'width=128',
    'height=72',
    'r_frame_rate=24000/1001',
    'nb_read_frames=12',
    'color_space=bt709',
    'color_primaries=bt709',
    'color_transfer=iec61966-2-1',
    'color_range=tv',
  ]
    .sort()
    .join(' ')
  return [
    {
      case: 'movie: rate, frames, size, colour tags',
      reference: 'ffprobe (Debian ffmpeg)',
      expected: wanted,
      measured: told,
      tolerance: 'exact',
      pass: told === wanted,
    },
  ]
}

export async function fileRows(): Promise<Row[]> {
  const folder = mkdtempSync(join(tmpdir(), 'lantern-validate-'))
  try {
    return [...exr(folder), ...(await movie(folder))]
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}
