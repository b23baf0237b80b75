// Developing: kept scene light and flame through lens and sensor into a plate's file. One plate a thread, so that a look can be redone in little time.
import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { join } from 'node:path'
import { isMainThread, parentPort, Worker, workerData } from 'node:worker_threads'
import { writeExr } from '@lantern/core/formats'
import type { FlameLayer } from './brazier.ts'
import { type Developer, newDeveloper } from './developer.ts'
import { LENS_LOOK, type Planes } from './lens.ts'
import { keep, readFloats, readPlanes } from './made.ts'
import { framePath } from './making.ts'
import { PLATES, type PlateSpec, VARIANTS } from './plates.ts'
import { SENSOR_LOOK } from './sensor.ts'

/** One plate to be developed. */
export interface Development {
  plate: string
  width: number
  height: number
  seed: number
  frames: number[]
  /** Folders of the scene light and of the flame's layers. */
  linear: string
  flame: string
  out: string
  stills: 'png' | 'exr' | undefined
}

/** Megabits a second of a 1280x720 movie: what cameras of the trade record. */
const MEGABITS = 19
const COLOUR = ['-colorspace', 'bt709', '-color_primaries', 'bt709', '-color_trc', 'iec61966-2-1']

/** Lays the flame over three planes of scene light, in place. Layer: r g b of what it gives out, r g b of the light it throws back, and how much it hides, seven a pixel. */
function compositeFlame(
  planes: Planes,
  imageWidth: number,
  { x: left, y: top, width, height, data }: FlameLayer,
  gain: number,
): void {
  for (const [c, plane] of planes.entries())
    for (let y = 0; y < height; y++)
      for (let x = 0, o = y * width * 7, n = (y + top) * imageWidth + left; x < width; x++, o += 7, n++)
        plane[n] =
          (plane[n] as number) * (1 - (data[o + 6] as number)) +
          gain * ((data[o + 3 + c] as number) + (data[o + c] as number))
}

/** Scene light and flame of a frame, through lens and sensor: three planes of linear light with grain, before the curve. */
function develop(
  developer: Developer,
  spec: PlateSpec,
  seed: number,
  frame: number,
  linear: string,
  flame: string,
): void {
  const layer = readFloats<Omit<FlameLayer, 'data'>>(framePath(flame, frame))
  const gain = spec.light * 2 ** (spec.exposure + spec.drift((frame - spec.first) / spec.rate))
  readPlanes(framePath(linear, frame), developer.planes, gain)
  compositeFlame(developer.planes, spec.width, { ...layer.head, data: layer.values }, gain)
  developer.throughLens(LENS_LOOK)
  developer.addNoise(frame, seed, {
    ...SENSOR_LOOK,
    photon: SENSOR_LOOK.photon * spec.noise,
    read: SENSOR_LOOK.read * spec.noise,
  })
}

/** One ffmpeg that takes raw frames; ended by closing it. */
function encoder(spec: PlateSpec, path: string) {
  const movie = [
    '-vf',
    'scale=out_color_matrix=bt709:out_range=tv',
    '-c:v',
    'libx264',
    '-preset',
    'medium',
    '-tune',
    'grain',
    '-b:v',
    `${MEGABITS}M`,
    '-maxrate',
    `${MEGABITS * 1.5}M`,
    '-bufsize',
    `${MEGABITS}M`,
    '-g',
    '12',
    '-pix_fmt',
    'yuv420p',
    ...COLOUR,
    '-threads',
    '1',
    '-flags',
    '+bitexact',
    '-fflags',
    '+bitexact',
  ]
  const still = ['-frames:v', '1', '-update', '1', '-pix_fmt', 'rgb24']
  const child = spawn(
    'ffmpeg',
    [
      '-v',
      'error',
      '-y',
      '-f',
      'rawvideo',
      '-pix_fmt',
      'rgb24',
      '-s',
      `${spec.width}x${spec.height}`,
      '-r',
      String(spec.rate),
      '-i',
      '-',
      ...(spec.frames > 1 ? movie : still),
      path,
    ],
    { stdio: ['pipe', 'inherit', 'inherit'] },
  )
  const ended = once(child, 'close')
  return {
    async frame(bytes: Uint8Array): Promise<void> {
      if (!child.stdin.write(bytes)) await Promise.race([once(child.stdin, 'drain'), ended])
    },
    async end(): Promise<void> {
      child.stdin.end()
      const [code] = (await ended) as [number]
      if (code !== 0) throw new Error(`ffmpeg ended with ${code} on ${path}`)
    },
  }
}

async function writeStill(path: string, kind: 'png' | 'exr', developer: Developer, spec: PlateSpec): Promise<void> {
  const [r, g, b] = developer.planes
  if (kind === 'exr') {
    keep(
      `${path}.exr`,
      writeExr({
        width: spec.width,
        height: spec.height,
        channels: [
          ['R', r],
          ['G', g],
          ['B', b],
        ].map(([name, data]) => ({ name: name as string, type: 'half', data: data as Float32Array })),
        attributes: {},
      }),
    )
    return
  }
  const codes = developer.toCodes(65535, SENSOR_LOOK)
  const child = spawn(
    'ffmpeg',
    [
      '-v',
      'error',
      '-y',
      '-f',
      'rawvideo',
      '-pix_fmt',
      'rgb48le',
      '-s',
      `${spec.width}x${spec.height}`,
      '-i',
      '-',
      '-frames:v',
      '1',
      '-update',
      '1',
      `${path}.png`,
    ],
    { stdio: ['pipe', 'inherit', 'inherit'] },
  )
  child.stdin.end(Buffer.from(codes.buffer, codes.byteOffset, codes.byteLength))
  const [code] = (await once(child, 'close')) as [number]
  if (code !== 0) throw new Error(`ffmpeg ended with ${code} on ${path}.png`)
}

/** Develops one plate into its movie, its picture, or stills of its frames. */
async function developPlate(job: Development, done: (frame: number) => void): Promise<void> {
  const found = [...PLATES, ...VARIANTS].find((one) => one.name === job.plate)
  if (!found) throw new Error(`no plate is called ${job.plate}`)
  const spec = { ...found, width: job.width, height: job.height }
  const movie = job.stills ? undefined : encoder(spec, join(job.out, `${spec.name}.${spec.frames > 1 ? 'mp4' : 'png'}`))
  const developer = newDeveloper(spec.width, spec.height)
  for (const frame of job.frames) {
    develop(developer, spec, job.seed, frame, job.linear, job.flame)
    if (job.stills) await writeStill(join(job.out, `${spec.name}.${frame}`), job.stills, developer, spec)
    // A copy: the encoder may still be reading it when the next frame is written.
    else await movie?.frame(Uint8Array.from(developer.toCodes(255, SENSOR_LOOK)))
    done(frame)
  }
  await movie?.end()
}

/** Develops plates, as many at once as there are threads, the longest first. `file`: the running program, which calls takePart. */
export async function developAll(
  jobs: readonly Development[],
  threads: number,
  file: string,
  done: (job: Development, frame: number) => void,
): Promise<void> {
  const left = [...jobs].sort((a, b) => b.frames.length * b.width - a.frames.length * a.width)
  const hand = async (): Promise<void> => {
    for (let job = left.shift(); job; job = left.shift()) {
      const mine = job
      const worker = new Worker(file, { workerData: { develop: mine } })
      worker.on('message', (frame: number) => done(mine, frame))
      await new Promise<void>((resolve, reject) => worker.once('error', reject).once('exit', () => resolve()))
    }
  }
  await Promise.all(Array.from({ length: Math.max(1, Math.min(threads, jobs.length)) }, hand))
}

/** In a developing thread, does its part and tells true. */
export async function takePart(): Promise<boolean> {
  const job = isMainThread ? undefined : (workerData as { develop?: Development }).develop
  if (!job) return false
  await developPlate(job, (frame) => parentPort?.postMessage(frame))
  return true
}
