// Makes the demo's filmed elements:  node scripts/run-ts.mjs demo/src/clips.ts [--clip NAME]... [--out DIR] [--frames N] [--threads N]
// A flame and a burst of sparks filmed on black, and a puff of dust with alpha; each is said to have been shot faster than it is delivered. Burnt and pictured by the product's own gas.
import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { mkdirSync } from 'node:fs'
import { join } from 'node:path'
import { parseArgs } from 'node:util'
import type { Crew } from '@lantern/core/base'
import { hash01 } from '@lantern/core/base'
import type { Camera, GasFrame } from '@lantern/core/data'
import { type GasSettings, GasSimulation } from '@lantern/core/gas'
import { blackBodyTable, GLOW_FROM, GLOW_STEP, gatherEmitters, glowTable, SOOT_EXTINCTION } from '@lantern/core/light'
import { panTiltRoll } from '@lantern/core/math'
import { FINAL, type FlatPicture, type PlateLight, renderFlat } from '@lantern/core/picture'
import { z } from 'zod'
import { BRAZIER_GAS } from './brazier.ts'
import { gasCrew } from './crew.ts'

/** One clip: its size, frames a second as shot and as delivered, frames, and what each frame is. */
interface ClipSpec {
  name: string
  file: string
  width: number
  height: number
  shot: number
  delivered: number
  frames: number
  /** Whether its alpha is kept; else it is filmed on black. */
  alpha: boolean
}
const CLIPS: readonly ClipSpec[] = [
  { name: 'flame', file: 'flame.mp4', width: 360, height: 480, shot: 100, delivered: 50, frames: 72, alpha: false },
  { name: 'dust', file: 'dust-puff.webm', width: 480, height: 300, shot: 96, delivered: 24, frames: 72, alpha: true },
  { name: 'sparks', file: 'sparks.mp4', width: 480, height: 360, shot: 120, delivered: 30, frames: 90, alpha: false },
]

const ILLUMINANCE = 420
const glow = { from: GLOW_FROM, step: GLOW_STEP, table: glowTable(ILLUMINANCE, 1), bodies: blackBodyTable(ILLUMINANCE) }
/** What the camera on black shows of a flame, stops. */
const FLAME_STOPS = -4.6
/** How bright its black is, and how its noise goes with brightness. */
const [BLACK, READ, PHOTON] = [0.006, 0.0022, 0.006]

/** A camera that looks straight at a place, so many m wide. */
const cameraAt = ({ width, height }: ClipSpec, wide: number, middle: readonly [number, number, number]): Camera => {
  const away = 6
  return {
    position: [middle[0], middle[1], middle[2] + away],
    rotation: panTiltRoll(0, 0, 0),
    focalPx: (width * away) / wide,
    centre: [width / 2, height / 2],
    k1: 0,
    k2: 0,
    width,
    height,
  }
}

const base: GasSettings = { ...BRAZIER_GAS, preRoll: 0 }
const FLAME_GAS: GasSettings = {
  ...base,
  cell: 0.032,
  sources: [{ shape: { kind: 'disc', radius: 0.24, thickness: 0.05 }, perArea: false, stirSize: 0.1 }],
  sceneInputs: [
    {
      sources: [
        {
          centre: [0, 0.05, 0],
          rotation: [0, 0, 0, 1],
          heat: 210_000,
          smoke: 0,
          temperature: 400,
          speed: 0.2,
          aim: [0, 1, 0],
          stir: 0.3,
        },
      ],
      forces: [],
      wind: [0, 0, 0],
      solids: [],
    },
  ],
  bounds: { low: [-0.75, 0, -0.75], high: [0.75, 2.3, 0.75] },
  mostCells: 900_000,
  seed: 12,
}

/** Dust that a blow throws up, for so many seconds. */
const dustMoment = (now: boolean): GasSettings['sceneInputs'][number] => ({
  sources: [
    {
      centre: [0, 0.06, 0],
      rotation: [0, 0, 0, 1],
      heat: 0,
      smoke: now ? 0.022 : 0,
      temperature: 290,
      speed: now ? 1.5 : 0,
      aim: [0, 1, 0],
      stir: now ? 3.4 : 0,
    },
  ],
  forces: [],
  wind: [0.18, 0, 0],
  solids: [],
})
const DUST_GAS: GasSettings = {
  ...base,
  cell: 0.018,
  sources: [
    {
      shape: { kind: 'disc', radius: 0.3, thickness: 0.1 },
      perArea: false,
      stirSize: 0.16,
      pattern: { size: 0.13, share: 0.45 },
    },
  ],
  black: false,
  ambient: 290,
  fade: 1.3,
  settle: 0.12,
  confinement: 0.4,
  bounds: { low: [-1, 0, -0.6], high: [1.1, 1.15, 0.6] },
  mostCells: 1_400_000,
  seed: 21,
}

const DAY: PlateLight = {
  sunDirection: [0.45, 0.75, 0.48],
  sunShare: 0.45,
  sunColour: [1.05, 1, 0.9],
  skyColour: [0.92, 0.98, 1.1],
}
const QUALITY = { ...FINAL, few: 1, many: 4, most: 4, marches: 2, mostMarches: 2, lightWork: 3e6, lightStride: 64 }

/** A gas of a colour through a camera. */
const pictured = (crew: Crew, frame: GasFrame, camera: Camera, light: PlateLight, dust: boolean): FlatPicture =>
  renderFlat(crew, {
    pieces: [],
    camera,
    drawables: [
      {
        kind: 'gas',
        frames: [{ frame, weight: 1, ahead: 0 }],
        emitters: dust ? [] : gatherEmitters(frame, glow.table, 0.35, 32, SOOT_EXTINCTION, glow.bodies),
        glow,
        albedo: dust ? 0.92 : 0.35,
        forward: dust ? 0.3 : 0.6,
        extinctionPerSoot: dust ? 420 : SOOT_EXTINCTION,
        ...(dust ? { colour: [0.86, 0.74, 0.6] as const } : {}),
      },
    ],
    light,
    quality: QUALITY,
  })

/** What a sensor's colour sees of the others: so that what is very bright runs to white. */
const CROSS = 0.07
const through = (light: Float32Array, c: number): number =>
  (1 - CROSS) * (light[c] ?? 0) + (CROSS * ((light[0] ?? 0) + (light[1] ?? 0) + (light[2] ?? 0))) / 3

/** Linear r g b a of a frame, one after another. */
type Frames = (each: (n: number, image: Float32Array) => Promise<void>) => Promise<void>

const gasClip =
  (crew: Crew, spec: ClipSpec, settings: GasSettings, camera: Camera, runUp: number, dust: boolean): Frames =>
  async (each) => {
    const simulation = new GasSimulation(crew, settings, spec.shot)
    const gain = 2 ** FLAME_STOPS
    for (let n = -runUp; n < spec.frames; n++) {
      simulation.advance()
      if (n < 0) continue
      const { fire, smoke } = pictured(crew, simulation.keep(), camera, DAY, dust)
      const image = new Float32Array(spec.width * spec.height * 4)
      for (let k = 0; k < spec.width * spec.height; k++) {
        const alpha = dust ? Math.min(1, smoke.data[4 * k + 3] ?? 0) : 1
        for (let c = 0; c < 3; c++)
          image[4 * k + c] = dust
            ? alpha > 1e-4
              ? (smoke.data[4 * k + c] ?? 0) / alpha
              : 0
            : through(fire.data.subarray(3 * k, 3 * k + 3), c) * gain
        image[4 * k + 3] = alpha
      }
      await each(n, image)
    }
  }

const SPARKS = 260
/** Sparks of a grinder's blow: each flies under drag and weight, cools, and is drawn along its path while the shutter is open. */
function sparkData(spec: ClipSpec, camera: Camera, n: number): Float32Array {
  const open = 0.5 / spec.shot
  const out: number[] = []
  for (let k = 0; k < SPARKS; k++) {
    const dice = (j: number): number => hash01(7, k, j, 3)
    const born = 0.28 * dice(0) ** 1.6
    const life = 0.2 + 0.55 * dice(1)
    const age = n / spec.shot - born
    if (age < 0 || age > life) continue
    const around = 2 * Math.PI * dice(2)
    const steep = 0.35 + 1.15 * dice(3)
    const speed = 2 + 7 * dice(4) ** 2
    const place = (t: number): [number, number, number] => {
      const drag = 2.2 + 2 * dice(5)
      const way = (1 - Math.exp(-drag * t)) / drag
      const flat = speed * Math.cos(steep)
      const high = speed * Math.sin(steep) * way - 4.9 * t * t
      return [flat * Math.cos(around) * way, Math.abs(0.12 + high), flat * Math.sin(around) * way]
    }
    const seen = (t: number): [number, number, number] => {
      const [x, y, z] = place(t)
      const depth = camera.position[2] - z
      return [
        camera.centre[0] + (camera.focalPx * (x - camera.position[0])) / depth,
        camera.centre[1] - (camera.focalPx * (y - camera.position[1])) / depth,
        depth,
      ]
    }
    const heat = (1 - age / life) ** 1.5
    const power = 26 * heat * (0.4 + dice(6))
    const [a, b] = [seen(age), seen(age + open)]
    out.push(...a, ...b, 1.4, 0, power, power * (0.25 + 0.45 * heat), power * 0.22 * heat * heat, 0, 1, 1, 0, 0)
  }
  return Float32Array.from(out)
}

const sparksClip =
  (crew: Crew, spec: ClipSpec, camera: Camera): Frames =>
  async (each) => {
    for (let n = 0; n < spec.frames; n++) {
      const image = new Float32Array(spec.width * spec.height * 4).fill(0)
      const data = sparkData(spec, camera, n)
      if (data.length > 0) {
        const { fire } = renderFlat(crew, {
          pieces: [],
          camera,
          drawables: [{ kind: 'splats', data }],
          light: DAY,
          quality: QUALITY,
        })
        for (let k = 0; k < spec.width * spec.height; k++)
          for (let c = 0; c < 3; c++) image[4 * k + c] = 0.16 * (fire.data[3 * k + c] ?? 0)
      }
      for (let k = 3; k < image.length; k += 4) image[k] = 1
      await each(n, image)
    }
  }

/** A level behind the camera: its black, its noise, a shoulder towards white, then sRGB. */
function developed(value: number, dice: number, black: number): number {
  const lit = value + black
  const noisy = Math.max(0, lit + (dice - 0.5) * 3.46 * Math.sqrt(READ * READ + PHOTON * PHOTON * lit))
  const held = noisy < 0.8 ? noisy : 1 - 0.2 * Math.exp(-(noisy - 0.8) / 0.2)
  const coded = held <= 0.0031308 ? 12.92 * held : 1.055 * held ** (1 / 2.4) - 0.055
  return Math.round(255 * Math.min(1, coded))
}

async function write(spec: ClipSpec, frames: Frames, out: string): Promise<void> {
  const { width, height, alpha } = spec
  const codec = alpha
    ? ['-c:v', 'libvpx-vp9', '-pix_fmt', 'yuva420p', '-b:v', '0', '-crf', '22', '-row-mt', '0', '-auto-alt-ref', '0']
    : ['-c:v', 'libx264', '-preset', 'slow', '-tune', 'grain', '-crf', '21', '-pix_fmt', 'yuv420p']
  const colours = ['-vf', 'scale=out_color_matrix=bt709:out_range=tv', '-colorspace', 'bt709', '-color_range', 'tv']
  const exact = ['-threads', '1', '-flags', '+bitexact', '-fflags', '+bitexact']
  const raw = [
    '-f',
    'rawvideo',
    '-pix_fmt',
    'rgba',
    '-s',
    `${width}x${height}`,
    '-r',
    String(spec.delivered),
    '-i',
    '-',
  ]
  const child = spawn('ffmpeg', ['-v', 'error', '-y', ...raw, ...colours, ...codec, ...exact, join(out, spec.file)], {
    stdio: ['pipe', 'inherit', 'inherit'],
  })
  const ended = once(child, 'close')
  await frames(async (n, image) => {
    const bytes = new Uint8Array(width * height * 4)
    for (let k = 0; k < width * height; k++) {
      for (let c = 0; c < 3; c++)
        bytes[4 * k + c] = developed(image[4 * k + c] ?? 0, hash01(n, k, c, 17), alpha ? 0 : BLACK)
      bytes[4 * k + 3] = Math.round(255 * (image[4 * k + 3] ?? 0))
    }
    if (!child.stdin.write(bytes)) await Promise.race([once(child.stdin, 'drain'), ended])
    console.log(`${spec.name}: ${n + 1} of ${spec.frames}`)
  })
  child.stdin.end()
  const [code] = (await ended) as [number]
  if (code !== 0) throw new Error(`ffmpeg ended with ${code} on ${spec.file}`)
}

/** The frames of a clip. */
function framesOf(crew: Crew, spec: ClipSpec): Frames {
  if (spec.name === 'flame') return gasClip(crew, spec, FLAME_GAS, cameraAt(spec, 1.5, [0, 0.95, 0]), spec.shot, false)
  if (spec.name === 'sparks') return sparksClip(crew, spec, cameraAt(spec, 2.6, [0, 0.9, 0]))
  const burst = Math.round(0.16 * spec.shot)
  const settings = {
    ...DUST_GAS,
    sceneInputs: Array.from({ length: spec.frames }, (_, n) => dustMoment(n < burst)),
  }
  return gasClip(crew, spec, settings, cameraAt(spec, 1.9, [0.1, 0.52, 0]), 0, true)
}

const whole = z.coerce.number().int().min(1)
async function main(): Promise<void> {
  const { values } = parseArgs({
    options: {
      clip: { type: 'string', multiple: true },
      out: { type: 'string', default: 'demo/clips' },
      frames: { type: 'string' },
      threads: { type: 'string', default: '2' },
    },
  })
  mkdirSync(values.out, { recursive: true })
  const crew = gasCrew(whole.parse(values.threads))
  for (const spec of CLIPS) {
    if (values.clip && !values.clip.includes(spec.name)) continue
    const wanted = values.frames ? Math.min(spec.frames, whole.parse(values.frames)) : spec.frames
    await write({ ...spec, frames: wanted }, framesOf(crew, { ...spec, frames: wanted }), values.out)
  }
  crew.end()
}
await main()
