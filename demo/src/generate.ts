// Draws the demo plates:  node scripts/run-ts.mjs demo/src/generate.ts [--plate NAME]... [--variants] [--out DIR] [--exact DIR] [--frames N | --frame N...] [--seed N] [--threads N] [--stills png|exr] [--detail D] [--rays N] [--width W] [--burn N] [--cache DIR]
//   detail, rays, width, burn (frames of the brazier's run): less than the plates' own for a quick look or a test.
// What was made before and still holds is taken from the cache, so a stopped run goes on, and a changed lens or sensor is done again alone.
import { mkdirSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'
import { z } from 'zod'
import { burnAside, burning } from './burning.ts'
import { type Development, developAll, takePart } from './developing.ts'
import { writeExact } from './exact.ts'
import { BURN_FRAMES, COST, drawPlate, flamePlate, isDrawn, linearFolder, litYard, type Making } from './making.ts'
import { PLATES, type PlateSpec, VARIANTS } from './plates.ts'
import { FULL_LIGHT } from './scene/yardScene.ts'
import { writeWorker } from './workerMask.ts'

if ((await takePart()) || burnAside()) process.exit(0)

const { values } = parseArgs({
  options: {
    plate: { type: 'string', multiple: true },
    variants: { type: 'boolean', default: false },
    out: { type: 'string', default: 'demo/plates' },
    exact: { type: 'string', default: 'demo/exact' },
    cache: { type: 'string', default: 'demo/.made' },
    frames: { type: 'string' },
    frame: { type: 'string', multiple: true },
    seed: { type: 'string' },
    threads: { type: 'string', default: '2' },
    stills: { type: 'string' },
    detail: { type: 'string', default: '1' },
    rays: { type: 'string' },
    width: { type: 'string' },
    burn: { type: 'string' },
  },
})
const whole = (least: number) => z.coerce.number().int().min(least)
const wanted = z
  .object({
    plate: z.array(z.enum([...PLATES, ...VARIANTS].map((spec) => spec.name) as [string, ...string[]])).optional(),
    variants: z.boolean(),
    out: z.string(),
    exact: z.string(),
    cache: z.string(),
    frames: whole(1).optional(),
    frame: z.array(whole(1)).optional(),
    seed: whole(0).optional(),
    threads: whole(1),
    stills: z.enum(['png', 'exr']).optional(),
    detail: z.coerce.number().min(0.02).max(2),
    rays: whole(1).optional(),
    width: whole(64).optional(),
    burn: whole(1).optional(),
  })
  .safeParse(values)
if (!wanted.success) {
  for (const issue of wanted.error.issues) console.error(`--${issue.path.join(' ')}: ${issue.message}`)
  process.exit(2)
}
const asked = wanted.data
const specs = [...PLATES, ...VARIANTS]
  .filter((spec) => (asked.plate ? asked.plate.includes(spec.name) : asked.variants ? VARIANTS.includes(spec) : true))
  .map((spec) => (asked.width ? { ...spec, width: asked.width, height: 2 * Math.round((asked.width * 9) / 32) } : spec))
const framesOf = (spec: PlateSpec): number[] =>
  asked.frame ?? Array.from({ length: Math.min(spec.frames, asked.frames ?? spec.frames) }, (_, n) => spec.first + n)
const seedOf = (spec: PlateSpec): number => asked.seed ?? spec.seed

const days = [...new Set(specs.map((spec) => spec.day))]
const size = (spec: PlateSpec): number => (spec.width * spec.height) / (1280 * 720)
const total =
  days.length * COST.bake +
  (asked.burn ?? BURN_FRAMES) * COST.burn +
  specs.reduce(
    (sum, spec) =>
      sum +
      framesOf(spec).length *
        ((COST.frame * size(spec) * spec.slices) / 8 + (COST.layer * spec.width) / 1280 + COST.develop * size(spec)),
    0,
  )
const started = performance.now()
let spent = 0
let told = -Infinity
const making: Making = {
  cache: asked.cache,
  threads: asked.threads,
  detail: asked.detail,
  burnFrames: asked.burn ?? BURN_FRAMES,
  light: asked.rays
    ? { ...FULL_LIGHT, rays: asked.rays, coarseRays: 2 * asked.rays, passes: Math.min(3, asked.rays) }
    : FULL_LIGHT,
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
const file = fileURLToPath(import.meta.url)
// The flame burns beside the light of the first day.
const burnt = burning(making, 24, file)
const jobs: Development[] = []
for (const day of days) {
  const today = specs.filter((spec) => spec.day === day)
  const toDraw = today.filter((spec) => !isDrawn(making, spec, seedOf(spec), framesOf(spec)))
  const yard = toDraw.length > 0 ? litYard(making, day) : undefined
  const brazier = await burnt
  if (yard) for (const spec of toDraw) drawPlate(making, yard, spec, seedOf(spec), framesOf(spec), brazier.lights)
  yard?.crew.end()
  const linear = new Map(today.map((spec) => [spec.name, linearFolder(making, spec, seedOf(spec))]))
  for (const spec of today) {
    const frames = framesOf(spec)
    const folder = linear.get(spec.name) ?? ''
    jobs.push({
      plate: spec.name,
      width: spec.width,
      height: spec.height,
      seed: seedOf(spec),
      frames,
      linear: folder,
      flame: flamePlate(making, spec, seedOf(spec), frames, brazier),
      out: asked.out,
      stills: asked.stills,
    })
    if (!asked.frame) writeExact(asked.exact, spec, seedOf(spec), frames.length, brazier.lights, folder)
    if (!asked.frame && spec.name === 'yard-walk' && frames.length === spec.frames)
      await writeWorker(asked.exact, spec, seedOf(spec))
  }
}
const drawn = performance.now()
await developAll(jobs, asked.threads, file, (job, frame) =>
  making.say(`${job.plate}: developed ${frame}`, (COST.develop * job.width * job.height) / (1280 * 720)),
)
console.log(`developed in ${Math.round((performance.now() - drawn) / 1000)} s`)
console.log(`done in ${Math.round((performance.now() - started) / 1000)} s`)
