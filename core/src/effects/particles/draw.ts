import { type Camera, type ParticleFrame, projectPoint } from '../../data/index.ts'
import { blackBodyTable, GLOW_ENTRIES, GLOW_FROM, GLOW_STEP } from '../../light/index.ts'
import type { Vec3 } from '../../math/index.ts'
import {
  dropClasses,
  dropSpeed,
  type Falling,
  type FallSettings,
  fallingAt,
  rainSizes,
  snowSizes,
  splashesAt,
  terminalSpeed,
} from '../../particles/index.ts'
import type { Drawable, Lamp, Splats } from '../../picture/index.ts'
import type { DrawContext, EffectInstance } from '../effect.ts'
import type { FallLook, ParticleLook } from './instances.ts'

// Particles as the picture draws them: a splat each, along its way while the shutter is open.

const FLOATS = 16
/** Floats of an entry of the table of glow. */
const ENTRY = 4
/** Px below which a splat's kernel is not drawn any smaller: its light stays. */
const LEAST_RADIUS = 2
/** m before the camera within which nothing is drawn. */
const NEAREST = 0.05
/** Particles of a look at most. */
const MOST_IN_LOOK = 20_000
const CLASSES = 14
/** Snow by its melted drops: flakes are so many times as wide, and so dense. */
const FLAKE = { wide: 3, density: 60 } as const

interface Point {
  at: Vec3
  velocity: Vec3
  /** m. */
  diameter: number
  /** Share of it that is left. */
  share: number
  /** Own light, where it glows. */
  light?: Vec3
}

/** Writes splats, one after the other. */
class SplatWriter {
  readonly #data: Float32Array
  readonly #context: DrawContext
  readonly #look: ParticleLook
  readonly #cameras: readonly [Camera, Camera]
  readonly #half: number
  #count = 0

  constructor(room: number, look: ParticleLook, context: DrawContext) {
    this.#data = new Float32Array(room * FLOATS)
    this.#context = context
    this.#look = look
    const { shutter, camera } = context
    this.#cameras = shutter ? [shutter.camera(0), shutter.camera(1)] : [camera, camera]
    this.#half = (shutter?.seconds ?? 0) / 2
  }

  add({ at, velocity, diameter, share, light }: Point): void {
    const h = this.#half
    const ends = [-h, h].map((t, n) =>
      projectPoint(this.#cameras[n] as Camera, [
        at[0] + t * velocity[0],
        at[1] + t * velocity[1],
        at[2] + t * velocity[2],
      ]),
    )
    const [a, b] = ends
    if (!a || !b || a.depth < NEAREST || b.depth < NEAREST || share <= 0) return
    const { camera, lens } = this.#context
    const depth = (a.depth + b.depth) / 2
    const radius = (camera.focalPx * diameter) / 2 / depth
    const blur = lens ? camera.focalPx * lens.radius * Math.abs(1 / lens.focus - 1 / depth) : 0
    // A disc as a kernel of the same spread, wide enough that it covers no pixel more than once.
    const spread = 2 * (radius * radius + blur * blur) + 2 / 3
    const kernel = Math.max(LEAST_RADIUS, Math.sqrt(Math.max(spread, 3 * radius * radius)))
    const { colour, brightness, over } = this.#look
    const own = light ?? [colour[0] * brightness, colour[1] * brightness, colour[2] * brightness]
    const n = this.#count++ * FLOATS
    // Positions, kernel, layer (laid later), colour and what it hides, how many px it fills, and whether its colour is its own light.
    const fills = Math.PI * radius * radius * share
    const shines = light !== undefined || !over ? 1 : 0
    this.#data.set([a.x, a.y, a.depth, b.x, b.y, b.depth, kernel, 0, ...own, over ? 1 : 0, fills, shines], n)
  }

  splats(): Splats[] {
    return this.#count > 0 ? [{ kind: 'splats', data: this.#data.subarray(0, this.#count * FLOATS) }] : []
  }
}

/** Light of a black body, plate value, from a table by temperature. */
function glowOf(table: Float32Array, kelvin: number, gain: number): Vec3 | undefined {
  const at = (kelvin - GLOW_FROM) / GLOW_STEP
  if (at <= 0 || gain <= 0) return undefined
  const n = Math.min(GLOW_ENTRIES - 2, Math.floor(at))
  const t = Math.min(1, at - n)
  const part = (c: number): number =>
    gain * ((table[ENTRY * n + c] as number) * (1 - t) + (table[ENTRY * (n + 1) + c] as number) * t)
  return [part(0), part(1), part(2)]
}

const vectorAt = (values: Float32Array, n: number): Vec3 => [
  values[3 * n] as number,
  values[3 * n + 1] as number,
  values[3 * n + 2] as number,
]

/** The brightest hot ones as lamps that light the set. */
function lampsOf(frame: ParticleFrame, table: Float32Array, look: ParticleLook): Lamp[] {
  if (look.lights === 0) return []
  const all = Array.from({ length: frame.count }, (_, n) => {
    const light = glowOf(table, frame.temperatures[n] as number, look.glow)
    const area = (Math.PI / 4) * (frame.sizes[n] as number) ** 2
    return light ? { n, intensity: light.map((part) => part * area) as [number, number, number] } : undefined
  }).filter((one) => one !== undefined)
  return all
    .sort((a, b) => b.intensity[1] - a.intensity[1] || a.n - b.n)
    .slice(0, look.lights)
    .map(({ n, intensity }) => ({
      kind: 'lamp',
      shape: 'ball',
      at: vectorAt(frame.positions, n) as [number, number, number],
      intensity,
      radius: Math.max(0.002, (frame.sizes[n] as number) / 2),
      onSet: true,
    }))
}

/** What of its life is left to be seen: it fades out at the end. */
const leftOf = ({ life, fades }: ParticleLook, age: number): number =>
  fades > 0 ? Math.min(1, Math.max(0, (life - age) / (fades * life))) : 1

function drawKept(look: ParticleLook, frame: ParticleFrame, context: DrawContext): Drawable[] {
  const table = blackBodyTable(context.illuminance)
  const count = context.finer ? frame.count : Math.min(frame.count, MOST_IN_LOOK)
  const writer = new SplatWriter(count, look, context)
  for (let n = 0; n < count; n++) {
    const light = glowOf(table, frame.temperatures[n] as number, look.glow)
    if (!light && look.hot && !look.over) continue
    writer.add({
      at: vectorAt(frame.positions, n),
      velocity: vectorAt(frame.velocities, n),
      diameter: frame.sizes[n] as number,
      share: light ? 1 : Math.max(0.05, leftOf(look, frame.ages[n] as number)),
      ...(light ? { light } : {}),
    })
  }
  return [...writer.splats(), ...lampsOf(frame, table, look)]
}

/** What falls, as the domain has it. */
export function fallOf(look: Pick<ParticleLook, 'seed'>, fall: FallLook, inLook: boolean): FallSettings {
  const law = fall.snow ? snowSizes(fall.intensity) : rainSizes(fall.intensity)
  return {
    seed: look.seed,
    law,
    classes: dropClasses(law, fall.least, CLASSES),
    speedOf: fall.snow ? (d) => terminalSpeed('flake', (FLAKE.wide * d) / 1000, FLAKE.density) : dropSpeed,
    near: fall.near,
    far: fall.far,
    flutter: fall.flutter,
    most: inLook ? Math.min(fall.most, MOST_IN_LOOK) : fall.most,
  }
}

function drawFall(look: ParticleLook, fall: FallLook, context: DrawContext): Drawable[] {
  const settings = fallOf(look, fall, !context.finer)
  const drops = fallingAt(settings, context.camera, fall.time, fall.drift, fall.wind)
  const crowns = fall.tops.length > 0 ? splashesAt(settings, fall.tops, context.camera, fall.time) : undefined
  const writer = new SplatWriter(drops.count + (crowns?.count ?? 0), look, context)
  const wide = fall.snow ? FLAKE.wide : 1
  const put = ({ count, positions, velocities, sizes }: Falling, times: number): void => {
    for (let n = 0; n < count; n++)
      writer.add({
        at: vectorAt(positions, n),
        velocity: vectorAt(velocities, n),
        diameter: times * (sizes[n] as number),
        share: 1,
      })
  }
  put(drops, wide)
  if (crowns) put(crowns, 1)
  return writer.splats()
}

/** What the picture draws of particles. */
export function drawParticles(
  { look }: EffectInstance<ParticleLook>,
  [frame]: readonly ParticleFrame[],
  context: DrawContext,
): Drawable[] {
  if (look.fall) return drawFall(look, look.fall, context)
  return frame ? drawKept(look, frame, context) : []
}
