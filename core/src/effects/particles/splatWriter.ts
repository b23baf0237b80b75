import { type Camera, projectPoint } from '../../data/index.ts'
import type { Vec3 } from '../../math/index.ts'
import type { Splats } from '../../picture/index.ts'
import type { DrawContext } from '../effect.ts'
import { type Around, aroundOf } from './around.ts'
import type { ParticleLook } from './instances.ts'

// Particles as the picture draws them: a splat each, along its way while the shutter is open.

const FLOATS = 16
/** Px below which a splat's kernel is not drawn any smaller: its light stays. */
const LEAST_RADIUS = 2
/** m before the camera within which nothing is drawn. */
const NEAREST = 0.05
/** Particles of a look at most. */
export const MOST_IN_LOOK = 20_000

export interface Point {
  at: Vec3
  velocity: Vec3
  /** m. */
  diameter: number
  /** Share of it that is left. */
  share: number
  /** Own light, where it glows. */
  light?: Vec3
  /** Share of what it sends back of the light that it shows: flat ones turn. */
  lit?: number
  /** It gives light, and hides nothing. */
  adds?: boolean
  /** A drop, which shows what is around it. */
  drop?: boolean
  /** It only darkens what is behind it; softer by so many m to either side. */
  shades?: boolean
  wider?: number
}
interface SeenPoint {
  x: number
  y: number
  depth: number
}
const BLACK: Vec3 = [0, 0, 0]
/** px across from which a drop's upper and lower half are told apart. */
const HALVES = 1

/** Whether something added lies behind a depth, m. */
const isBefore = (added = Infinity, depth: number): boolean => added < Infinity && depth < added

/** Writes splats, one after the other. */
export class SplatWriter {
  #data: Float32Array
  readonly #context: DrawContext
  readonly #look: ParticleLook
  readonly #cameras: readonly [Camera, Camera]
  readonly #half: number
  readonly #around: Around | undefined
  #count = 0

  constructor(room: number, look: ParticleLook, context: DrawContext) {
    this.#data = new Float32Array(room * FLOATS)
    this.#context = context
    this.#look = look
    const { shutter, camera, plate } = context
    this.#cameras = shutter ? [shutter.camera(0), shutter.camera(1)] : [camera, camera]
    this.#half = (shutter?.seconds ?? 0) / 2
    this.#around = plate && look.refracts > 0 ? aroundOf(plate) : undefined
  }

  add(point: Point): void {
    const { at, velocity, diameter, share } = point
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
    const { camera, lens, added } = this.#context
    const depth = (a.depth + b.depth) / 2
    const [x, y] = [(a.x + b.x) / 2 / camera.width, (a.y + b.y) / 2 / camera.height]
    if (this.#look.fall?.beforeAdded && !isBefore(added?.(x, y), depth)) return
    const radius = (camera.focalPx * diameter) / 2 / depth
    const soft = (camera.focalPx * (point.wider ?? 0)) / depth
    const blur = lens ? camera.focalPx * lens.radius * Math.abs(1 / lens.focus - 1 / depth) : 0
    // A disc as a kernel of the same spread, wide enough that it covers no pixel more than once.
    const spread = 2 * (radius * radius + blur * blur + soft * soft) + 2 / 3
    const kernel = Math.max(LEAST_RADIUS, Math.sqrt(Math.max(spread, 3 * radius * radius)))
    const fills = Math.PI * radius * radius * share
    if (point.shades) this.#put(a, b, kernel, fills, BLACK, 1, true)
    else if (point.drop && this.#around) this.#drop(this.#around, a, b, radius, kernel, fills)
    else {
      const { over } = this.#look
      this.#put(
        a,
        b,
        kernel,
        fills,
        point.light ?? this.#own(point.lit ?? 1),
        over && !point.adds ? 1 : 0,
        point.light !== undefined || !over,
      )
    }
  }

  #own(lit: number): Vec3 {
    const { colour, brightness } = this.#look
    const times = brightness * lit
    return [colour[0] * times, colour[1] * times, colour[2] * times]
  }

  /** A drop shows the plate around it: its upper part what lies above it, its lower part what lies below. Where it is too small for that, both at once. */
  #drop(around: Around, a: SeenPoint, b: SeenPoint, radius: number, kernel: number, fills: number): void {
    const { refracts } = this.#look
    const own = this.#own(1 - refracts)
    const { width, height } = this.#context.camera
    const { above, below } = around.at((a.x + b.x) / 2 / width, (a.y + b.y) / 2 / height)
    const show = (from: SeenPoint, to: SeenPoint, share: number, seen: Vec3): void =>
      this.#put(
        from,
        to,
        kernel,
        fills * share,
        [own[0] + refracts * seen[0], own[1] + refracts * seen[1], own[2] + refracts * seen[2]],
        refracts,
        true,
      )
    if (2 * radius < HALVES)
      return show(a, b, 1, [(above[0] + below[0]) / 2, (above[1] + below[1]) / 2, (above[2] + below[2]) / 2])
    // The halves of what it sweeps, a quarter of its breadth to either side of its middle.
    const [up, down] = a.y < b.y ? [a, b] : [b, a]
    const middle = { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2, depth: (a.depth + b.depth) / 2 }
    const by = radius / 2
    show({ ...up, y: up.y - by }, { ...middle, y: middle.y - by }, 0.5, above)
    show({ ...middle, y: middle.y + by }, { ...down, y: down.y + by }, 0.5, below)
  }

  /** One splat: where it begins and ends, px and m; px that it fills; its colour, what it hides of what is behind it, and whether the colour is its own light. */
  #put(a: SeenPoint, b: SeenPoint, kernel: number, fills: number, colour: Vec3, hides: number, shines: boolean): void {
    if ((this.#count + 1) * FLOATS > this.#data.length) {
      const grown = new Float32Array(2 * this.#data.length + FLOATS)
      grown.set(this.#data)
      this.#data = grown
    }
    const n = this.#count++ * FLOATS
    const [r, g, c] = colour
    this.#data.set([a.x, a.y, a.depth, b.x, b.y, b.depth, kernel, 0, r, g, c, hides, fills, shines ? 1 : 0], n)
  }

  /** A short line on a surface that gives light. wide: px of breadth, m long. */
  line(from: Vec3, to: Vec3, light: Vec3, wide: number): void {
    const { camera } = this.#context
    const [a, b] = [projectPoint(camera, from), projectPoint(camera, to)]
    if (!a || !b || a.depth < NEAREST || b.depth < NEAREST) return
    const length = Math.sqrt((a.x - b.x) ** 2 + (a.y - b.y) ** 2)
    this.#put(a, b, LEAST_RADIUS, length * wide, light, 0, true)
  }

  splats(): Splats[] {
    return this.#count > 0 ? [{ kind: 'splats', data: this.#data.subarray(0, this.#count * FLOATS) }] : []
  }
}

export const vectorAt = (values: Float32Array, n: number): Vec3 => [
  values[3 * n] as number,
  values[3 * n + 1] as number,
  values[3 * n + 2] as number,
]
