// Draws the demo plates:  node scripts/run-ts.mjs demo/src/generate.ts [--plate NAME]... [--variants] [--out DIR] [--exact DIR] [--frames N | --frame N...] [--seed N] [--threads N] [--stills png|exr] [--detail D] [--rays N] [--width W] [--burn N] [--cache DIR]
//   detail, rays, width, burn (frames of the brazier's run): less than the plates' own for a quick look or a test.
// What was made before and still holds is taken from the cache, so a stopped run goes on, and a changed lens or sensor is done again alone.
import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { mkdirSync } from 'node:fs'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import { writeExr } from '@lantern/core/formats'
import { z } from 'zod'
import { writeExact } from './exact.ts'
import { keep } from './made.ts'
import { BURN_FRAMES, burntBrazier, COST, develop, drawPlate, flamePlate, litYard, type Making } from './making.ts'
import { PLATES, type PlateSpec, VARIANTS } from './plates.ts'
import { FULL_LIGHT } from './scene/yardScene.ts'
import { SENSOR_LOOK, toCodes } from './sensor.ts'

/** Megabits a second of a 1280x720 movie: what cameras of the trade record. */
const MEGABITS = 19
const COLOUR = ['-colorspace', 'bt709', '-color_primaries', 'bt709', '-color_trc', 'iec61966-2-1']

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

async function writeStill(path: string, kind: 'png' | 'exr', planes: [Float32Array, Float32Array, Float32Array], spec: PlateSpec): Promise<void> {
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

const { values } = parseArgs({
  options: {
    plate: { type: 'string', multiple: true }, variants: { type: 'boolean', default: false }, out: { type: 'string', default: 'demo/plates' }, exact: { type: 'string', default: 'demo/exact' }, cache: { type: 'string', default: 'demo/.made' },
    frames: { type: 'string' }, frame: { type: 'string', multiple: true }, seed: { type: 'string' }, threads: { type: 'string', default: '2' }, stills: { type: 'string' }, detail: { type: 'string', default: '1' }, rays: { type: 'string' }, width: { type: 'string' }, burn: { type: 'string' },
  },
})
const whole = (least: number) => z.coerce.number().int().min(least)
const wanted = z.object({
  plate: z.array(z.enum([...PLATES, ...VARIANTS].map((spec) => spec.name) as [string, ...string[]])).optional(), variants: z.boolean(), out: z.string(), exact: z.string(), cache: z.string(),
  frames: whole(1).optional(), frame: z.array(whole(1)).optional(), seed: whole(0).optional(), threads: whole(1), stills: z.enum(['png', 'exr']).optional(), detail: z.coerce.number().min(0.02).max(2), rays: whole(1).optional(), width: whole(64).optional(), burn: whole(1).optional(),
}).safeParse(values)
if (!wanted.success) {
  for (const issue of wanted.error.issues) console.error(`--${issue.path.join(' ')}: ${issue.message}`)
  process.exit(2)
}
const asked = wanted.data
const specs = [...PLATES, ...VARIANTS]
  .filter((spec) => (asked.plate ? asked.plate.includes(spec.name) : asked.variants ? VARIANTS.includes(spec) : true))
  .map((spec) => (asked.width ? { ...spec, width: asked.width, height: 2 * Math.round((asked.width * 9) / 32) } : spec))
const framesOf = (spec: PlateSpec): number[] => asked.frame ?? Array.from({ length: Math.min(spec.frames, asked.frames ?? spec.frames) }, (_, n) => spec.first + n)
const seedOf = (spec: PlateSpec): number => asked.seed ?? spec.seed

const days = [...new Set(specs.map((spec) => spec.day))]
const size = (spec: PlateSpec): number => (spec.width * spec.height) / (1280 * 720)
const total = days.length * COST.bake + (asked.burn ?? BURN_FRAMES) * COST.burn + specs.reduce((sum, spec) => sum + framesOf(spec).length * ((COST.frame * size(spec) * spec.slices) / 8 + (COST.layer * spec.width) / 1280 + COST.develop * size(spec)), 0)
const started = performance.now()
let spent = 0
let told = -Infinity
const making: Making = {
  cache: asked.cache, threads: asked.threads, detail: asked.detail, burnFrames: asked.burn ?? BURN_FRAMES, light: asked.rays ? { ...FULL_LIGHT, rays: asked.rays } : FULL_LIGHT,
  say(text, done) {
    spent += done
    const now = performance.now()
    if (now - told < 2000 && spent < total) return
    told = now
    const left = ((now - started) / 1000 / Math.max(spent, 1e-6)) * Math.max(0, total - spent)
    console.log(`${text}; ${Math.floor(left / 60)} min ${Math.round(left % 60)} s left`)
  },
}

mkdirSync(asked.out, { recursive: true })
const brazier = burntBrazier(making, 24)
for (const day of days) {
  const today = specs.filter((spec) => spec.day === day)
  const yard = litYard(making, day)
  const linear = new Map(today.map((spec) => [spec.name, drawPlate(making, yard, spec, seedOf(spec), framesOf(spec), brazier.lights)]))
  yard.crew.end()
  for (const spec of today) {
    const flame = flamePlate(making, spec, seedOf(spec), framesOf(spec), brazier)
    const path = join(asked.out, `${spec.name}.${spec.frames > 1 ? 'mp4' : 'png'}`)
    const movie = asked.stills ? undefined : encoder(spec, path)
    for (const frame of framesOf(spec)) {
      const planes = develop(spec, seedOf(spec), frame, linear.get(spec.name) ?? '', flame)
      if (asked.stills) await writeStill(join(asked.out, `${spec.name}.${frame}`), asked.stills, planes, spec)
      else await movie?.frame(toCodes(planes, new Uint8Array(spec.width * spec.height * 3), 255, SENSOR_LOOK))
      making.say(`${spec.name}: developed ${frame}`, COST.develop * size(spec))
    }
    await movie?.end()
    if (!asked.frame) writeExact(asked.exact, spec, seedOf(spec), framesOf(spec).length, brazier.lights, linear.get(spec.name) ?? '')
  }
}
console.log(`done in ${Math.round((performance.now() - started) / 1000)} s`)
