// Developing: kept scene light and flame through lens and sensor into a plate's file. One plate a thread, so that a look can be redone in little time.
import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { join } from 'node:path'
import { isMainThread, parentPort, Worker, workerData } from 'node:worker_threads'
import { writeExr } from '@lantern/core/formats'
import { type FlameLayer, layFlame } from './brazier.ts'
import { LENS_LOOK, throughLens } from './lens.ts'
import { keep, readFloats } from './made.ts'
import { framePath } from './making.ts'
import { PLATES, type PlateSpec, VARIANTS } from './plates.ts'
import { addNoise, SENSOR_LOOK, toCodes } from './sensor.ts'

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

type Planes = [Float32Array, Float32Array, Float32Array]

/** Megabits a second of a 1280x720 movie: what cameras of the trade record. */
const MEGABITS = 19
const COLOUR = ['-colorspace', 'bt709', '-color_primaries', 'bt709', '-color_trc', 'iec61966-2-1']

/** Scene light and flame of a frame, through lens and sensor: three planes of linear light with grain, before the curve. */
export function develop(spec: PlateSpec, seed: number, frame: number, linear: string, flame: string): Planes {
  const { values } = readFloats<object>(framePath(linear, frame))
  const layer = readFloats<Omit<FlameLayer, 'data'>>(framePath(flame, frame))
  const gain = spec.light * 2 ** (spec.exposure + spec.drift((frame - spec.first) / spec.rate))
  for (let n = 0; n < values.length; n++) values[n] = (values[n] as number) * gain
  layFlame(values, spec.width, { ...layer.head, data: layer.values }, gain)
  const planes = throughLens(values, spec.width, spec.height, LENS_LOOK)
  addNoise(planes, spec.width, spec.height, frame, seed, { ...SENSOR_LOOK, photon: SENSOR_LOOK.photon * spec.noise, read: SENSOR_LOOK.read * spec.noise })
  return planes
}

/** One ffmpeg that takes raw frames; ended by closing it. */
function encoder(spec: PlateSpec, path: string) {
  const movie = ['-vf', 'scale=out_color_matrix=bt709:out_range=tv', '-c:v', 'libx264', '-preset', 'medium', '-tune', 'grain', '-b:v', `${MEGABITS}M`, '-maxrate', `${MEGABITS * 1.5}M`, '-bufsize', `${MEGABITS}M`, '-g', '12', '-pix_fmt', 'yuv420p', ...COLOUR, '-threads', '1', '-flags', '+bitexact', '-fflags', '+bitexact']
  const still = ['-frames:v', '1', '-update', '1', '-pix_fmt', 'rgb24']
  const child = spawn('ffmpeg', ['-v', 'error', '-y', '-f', 'rawvideo', '-pix_fmt', 'rgb24', '-s', `${spec.width}x${spec.height}`, '-r', String(spec.rate), '-i', '-', ...(spec.frames > 1 ? movie : still), path], { stdio: ['pipe', 'inherit', 'inherit'] })
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

async function writeStill(path: string, kind: 'png' | 'exr', planes: Planes, spec: PlateSpec): Promise<void> {
  const [r, g, b] = planes
  if (kind === 'exr') {
    keep(`${path}.exr`, writeExr({ width: spec.width, height: spec.height, channels: [['R', r], ['G', g], ['B', b]].map(([name, data]) => ({ name: name as string, type: 'half', data: data as Float32Array })), attributes: {} }))
    return
  }
  const codes = toCodes(planes, new Uint16Array(spec.width * spec.height * 3), 65535, SENSOR_LOOK)
  const child = spawn('ffmpeg', ['-v', 'error', '-y', '-f', 'rawvideo', '-pix_fmt', 'rgb48le', '-s', `${spec.width}x${spec.height}`, '-i', '-', '-frames:v', '1', '-update', '1', `${path}.png`], { stdio: ['pipe', 'inherit', 'inherit'] })
  child.stdin.end(Buffer.from(codes.buffer))
  const [code] = (await once(child, 'close')) as [number]
  if (code !== 0) throw new Error(`ffmpeg ended with ${code} on ${path}.png`)
}

/** Develops one plate into its movie, its picture, or stills of its frames. */
async function developPlate(job: Development, done: (frame: number) => void): Promise<void> {
  const found = [...PLATES, ...VARIANTS].find((one) => one.name === job.plate)
  if (!found) throw new Error(`no plate is called ${job.plate}`)
  const spec = { ...found, width: job.width, height: job.height }
  const movie = job.stills ? undefined : encoder(spec, join(job.out, `${spec.name}.${spec.frames > 1 ? 'mp4' : 'png'}`))
  for (const frame of job.frames) {
    const planes = develop(spec, job.seed, frame, job.linear, job.flame)
    if (job.stills) await writeStill(join(job.out, `${spec.name}.${frame}`), job.stills, planes, spec)
    else await movie?.frame(toCodes(planes, new Uint8Array(spec.width * spec.height * 3), 255, SENSOR_LOOK))
    done(frame)
  }
  await movie?.end()
}

/** Develops plates, as many at once as there are threads, the longest first. `file`: the running program, which calls takePart. */
export async function developAll(jobs: readonly Development[], threads: number, file: string, done: (job: Development, frame: number) => void): Promise<void> {
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
