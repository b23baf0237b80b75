import {
  type Homography,
  inverseHomography,
  type PatchModel,
  scaled,
  solveCholesky,
  throughHomography,
  timesHomography,
} from '../math/index.ts'
import { cubicAt, type Light } from './light.ts'

// A flat patch found again in another picture: inverse compositional alignment (Baker & Matthews 2004) under a translation, a similarity or a homography, with gain and offset of the light solved
// beside the motion, weights against what covers a part of it (Huber), from coarse pictures to fine ones, begun by a search by correlation.

type Corner = readonly [number, number]

/** What a patch looks like: at each level the places of its samples, their light and how that changes with the motion. */
export interface PatchLook {
  corners: readonly Corner[]
  model: PatchModel
  levels: LookLevel[]
}
interface LookLevel {
  level: number
  model: PatchModel
  /** Middle and half-breadth, px of the level: samples are stated about the one in units of the other. */
  cx: number
  cy: number
  r: number
  count: number
  /** x y a sample. */
  places: Float64Array
  values: Float64Array
  /** Change of the light with each of the model's numbers, a sample after the other. */
  slopes: Float64Array
}

/** Where a patch lies in another picture. */
export interface PatchFound {
  /** From the look's picture to this one, px. */
  motion: Homography
  /** Correlation of the two looks, -1 to 1. */
  likeness: number
  /** Share of its samples that lie in the picture. */
  seen: number
}

const LEAST_SAMPLES = 36
const MOST_SAMPLES = 12000
const UNKNOWNS = { place: 2, turn: 4, lean: 6, perspective: 8 } as const
/** Least half-breadth, px of a level, at which a patch can tell a turn, and perspective. */
const LEAST_TURN = 4
const LEAST_LEAN = 7
const LEAST_PERSPECTIVE = 12
const STEPS = 25
const STILL_PX = 0.002
const HUBER = 1.5
const RIM = 2

function inside(corners: readonly Corner[], x: number, y: number): boolean {
  let odd = false
  for (let n = 0, m = corners.length - 1; n < corners.length; m = n++) {
    const [a, b] = [corners[n] as Corner, corners[m] as Corner]
    if (a[1] > y !== b[1] > y && x < ((b[0] - a[0]) * (y - a[1])) / (b[1] - a[1]) + a[0]) odd = !odd
  }
  return odd
}

const modelAt = (model: PatchModel, r: number): PatchModel =>
  r < LEAST_TURN || model === 'place'
    ? 'place'
    : r < LEAST_LEAN || model === 'turn'
      ? 'turn'
      : r < LEAST_PERSPECTIVE || model === 'lean'
        ? 'lean'
        : 'perspective'

/** Slopes of one sample: the light's change times the place's change with each number of the model (about the patch's middle, in units of its half-breadth). */
function slopesOf(
  model: PatchModel,
  u: number,
  v: number,
  gx: number,
  gy: number,
  out: Float64Array,
  at: number,
): void {
  if (model === 'place') out.set([gx, gy], at)
  else if (model === 'turn') out.set([gx * u + gy * v, gy * u - gx * v, gx, gy], at)
  else if (model === 'lean') out.set([gx * u, gx * v, gx, gy * u, gy * v, gy], at)
  else {
    const back = gx * u + gy * v
    out.set([gx * u, gx * v, gx, gy * u, gy * v, gy, -back * u, -back * v], at)
  }
}

/**
 * The look of a patch in a picture. levels: that picture and its halves; corners: the patch's outline, px of the finest, three or more.
 * Undefined where too little of it lies in the picture, or it is flat.
 */
export function lookAt(levels: readonly Light[], corners: readonly Corner[], model: PatchModel): PatchLook | undefined {
  const out: LookLevel[] = []
  for (const [level, light] of levels.entries()) {
    const shape = corners.map(([x, y]) => [x / 2 ** level, y / 2 ** level] as const)
    const [xs, ys] = [shape.map((p) => p[0]), shape.map((p) => p[1])]
    const [x0, x1, y0, y1] = [
      Math.max(RIM, Math.floor(Math.min(...xs))),
      Math.min(light.width - RIM, Math.ceil(Math.max(...xs))),
      Math.max(RIM, Math.floor(Math.min(...ys))),
      Math.min(light.height - RIM, Math.ceil(Math.max(...ys))),
    ]
    const step = Math.max(1, Math.ceil(Math.sqrt(((x1 - x0) * (y1 - y0)) / MOST_SAMPLES)))
    const places: number[] = []
    for (let y = y0; y < y1; y += step)
      for (let x = x0; x < x1; x += step) if (inside(shape, x + 0.5, y + 0.5)) places.push(x + 0.5, y + 0.5)
    const count = places.length / 2
    if (count < LEAST_SAMPLES) break
    const [cx, cy] = [xs.reduce((sum, x) => sum + x, 0) / xs.length, ys.reduce((sum, y) => sum + y, 0) / ys.length]
    const r = Math.max(1, (Math.max(...xs) - Math.min(...xs)) / 2, (Math.max(...ys) - Math.min(...ys)) / 2)
    const kind = modelAt(model, r)
    const unknowns = UNKNOWNS[kind]
    const values = new Float64Array(count)
    const slopes = new Float64Array(count * unknowns)
    for (let n = 0; n < count; n++) {
      const [x, y] = [places[2 * n] as number, places[2 * n + 1] as number]
      const at = Math.floor(y) * light.width + Math.floor(x)
      values[n] = light.data[at] as number
      const gx = 0.5 * ((light.data[at + 1] as number) - (light.data[at - 1] as number))
      const gy = 0.5 * ((light.data[at + light.width] as number) - (light.data[at - light.width] as number))
      slopesOf(kind, (x - cx) / r, (y - cy) / r, gx * r, gy * r, slopes, n * unknowns)
    }
    out.push({ level, model: kind, cx, cy, r, count, places: Float64Array.from(places), values, slopes })
  }
  const finest = out[0]
  if (!finest || spread(finest.values) < 1e-4) return undefined
  return { corners, model, levels: out }
}

function spread(values: Float64Array): number {
  const mean = values.reduce((sum, v) => sum + v, 0) / values.length
  return Math.sqrt(values.reduce((sum, v) => sum + (v - mean) * (v - mean), 0) / values.length)
}

/** Light of the picture at the moved samples (NaN beyond its edge) and how many lie in it. */
function sample(light: Light, look: LookLevel, motion: Homography, out: Float64Array): number {
  let seen = 0
  for (let n = 0; n < look.count; n++) {
    const [x, y] = throughHomography(motion, look.places[2 * n] as number, look.places[2 * n + 1] as number)
    const isIn = x > RIM && y > RIM && x < light.width - RIM && y < light.height - RIM
    out[n] = isIn ? cubicAt(light, x, y) : Number.NaN
    if (isIn) seen++
  }
  return seen
}

/** Correlation of a look's values with others; values that are NaN are left out. */
function correlation(a: Float64Array, b: Float64Array): number {
  let [n, sa, sb, aa, bb, ab] = [0, 0, 0, 0, 0, 0]
  for (let k = 0; k < a.length; k++) {
    const [x, y] = [a[k] as number, b[k] as number]
    if (Number.isNaN(y)) continue
    n++
    sa += x
    sb += y
    aa += x * x
    bb += y * y
    ab += x * y
  }
  const both = (aa - (sa * sa) / n) * (bb - (sb * sb) / n)
  return both > 1e-20 ? (ab - (sa * sb) / n) / Math.sqrt(both) : 0
}

/** Scale of a motion from px of the finest picture to px of a level, and back. */
const atLevel = (h: Homography, level: number): Homography => {
  const s = 2 ** level
  return [h[0], h[1], h[2] / s, h[3], h[4], h[5] / s, h[6] * s, h[7] * s, h[8]]
}

/** One level's steps; the motion in px of that level. `values`: the picture's light as sampled last. */
function settle(light: Light, look: LookLevel, start: Homography, values: Float64Array): Homography {
  const unknowns = UNKNOWNS[look.model] + 2
  let motion = start
  const a = new Float64Array(unknowns * unknowns)
  const b = new Float64Array(unknowns)
  const row = new Float64Array(unknowns)
  let scale = 0
  const rests = new Float64Array(look.count)
  let [gain, offset] = [1, 0]
  for (let step = 0; step < STEPS; step++) {
    if (sample(light, look, motion, values) < LEAST_SAMPLES) return motion
    a.fill(0)
    b.fill(0)
    for (let n = 0; n < look.count; n++) {
      const value = values[n] as number
      if (Number.isNaN(value)) continue
      const own = look.values[n] as number
      row[0] = own
      row[1] = 1
      for (let k = 2; k < unknowns; k++) row[k] = look.slopes[n * (unknowns - 2) + k - 2] as number
      const rest = Math.abs(value - gain * own - offset)
      const weight = scale > 0 && rest > HUBER * scale ? (HUBER * scale) / rest : 1
      for (let i = 0; i < unknowns; i++) {
        const w = weight * (row[i] as number)
        b[i] = (b[i] as number) + w * value
        for (let j = 0; j <= i; j++) a[i * unknowns + j] = (a[i * unknowns + j] as number) + w * (row[j] as number)
      }
    }
    if (!solveCholesky(a, b, unknowns) || !((b[0] as number) > 0.05)) return motion
    gain = b[0] as number
    offset = b[1] as number
    for (let n = 0; n < look.count; n++) {
      const value = values[n] as number
      rests[n] = Number.isNaN(value) ? 0 : Math.abs(value - gain * (look.values[n] as number) - offset)
    }
    scale = 1.4826 * (Float64Array.from(rests).sort()[look.count >> 1] ?? 0)
    const step1 = stepOf(
      look,
      Array.from(b.subarray(2), (v) => v / gain),
    )
    const next = timesHomography(motion, inverseHomography(step1))
    const size = next[8]
    motion = next.map((v) => v / size) as unknown as Homography
    if (!motion.every(Number.isFinite)) return start
    let most = 0
    for (const [u, v] of [
      [-1, -1],
      [1, -1],
      [1, 1],
      [-1, 1],
    ] as const) {
      const [x, y] = throughHomography(step1, look.cx + u * look.r, look.cy + v * look.r)
      most = Math.max(most, Math.abs(x - look.cx - u * look.r), Math.abs(y - look.cy - v * look.r))
    }
    if (most < STILL_PX) break
  }
  return motion
}

/** A small motion of the look itself from the model's numbers. */
function stepOf({ model, cx, cy, r }: LookLevel, p: readonly number[]): Homography {
  const [a, b, c, d, e, f, g, h] = p as [number, number, number, number, number, number, number, number]
  const own: Homography =
    model === 'place'
      ? [1, 0, a, 0, 1, b, 0, 0, 1]
      : model === 'turn'
        ? [1 + a, -b, c, b, 1 + a, d, 0, 0, 1]
        : model === 'lean'
          ? [1 + a, b, c, d, 1 + e, f, 0, 0, 1]
          : [1 + a, b, c, d, 1 + e, f, g, h, 1]
  return scaled(own, cx, cy, cx, cy, r)
}

/** The whole-pixel shift at a level within `reach` px about a motion at which the look correlates best. */
function searched(light: Light, look: LookLevel, motion: Homography, reach: number, values: Float64Array): Homography {
  let best: { likeness: number; motion: Homography } = { likeness: -2, motion }
  for (let dy = -reach; dy <= reach; dy++)
    for (let dx = -reach; dx <= reach; dx++) {
      const moved = timesHomography([1, 0, dx, 0, 1, dy, 0, 0, 1], motion)
      if (sample(light, look, moved, values) < 0.6 * look.count) continue
      // Of equals the nearer: repeated bricks look alike.
      const likeness = correlation(look.values, values) - (0.04 * Math.sqrt(dx * dx + dy * dy)) / Math.max(1, reach)
      if (likeness > best.likeness) best = { likeness, motion: moved }
    }
  return best.motion
}

/** Settles a look from a level down to the finest. */
function settled(
  look: PatchLook,
  levels: readonly Light[],
  start: Homography,
  from: number,
  values: readonly Float64Array[],
): PatchFound {
  let motion = start
  for (let n = from; n >= 0; n--)
    motion = atLevel(
      settle(levels[n] as Light, look.levels[n] as LookLevel, atLevel(motion, n), values[n] as Float64Array),
      -n,
    )
  const [finest, own] = [levels[0] as Light, look.levels[0] as LookLevel]
  const out = values[0] as Float64Array
  const seen = sample(finest, own, motion, out)
  return { motion, likeness: seen < LEAST_SAMPLES ? 0 : correlation(own.values, out), seen: seen / own.count }
}

/** Likeness from which what is settled near its thought place is surely the patch, and is not looked for elsewhere. */
const SURELY = 0.85
/** Samples that a level needs for a search by correlation: with fewer, one cobble is like another. */
const SEARCH_SAMPLES = 100

/**
 * Finds a look again. levels: the other picture and its halves; start: where it is thought to be; search: how far from there it is looked for where it is not plainly there, px of the finest (0: not at all).
 * What comes is the best found: whether it is the patch, its likeness says.
 */
export function findPatch(look: PatchLook, levels: readonly Light[], start: Homography, search: number): PatchFound {
  const count = Math.min(look.levels.length, levels.length)
  const values = look.levels.map((part) => new Float64Array(part.count))
  const near = settled(look, levels, start, count - 1, values)
  if (search <= 0 || near.likeness > SURELY) return near
  let level = 0
  for (let n = 1; n < count; n++) if ((look.levels[n] as LookLevel).count >= SEARCH_SAMPLES) level = n
  const begun = searched(
    levels[level] as Light,
    look.levels[level] as LookLevel,
    atLevel(start, level),
    Math.ceil(search / 2 ** level),
    values[level] as Float64Array,
  )
  const far = settled(look, levels, atLevel(begun, -level), level, values)
  return far.likeness > near.likeness + WANTED_GAIN ? far : near
}
/** What another place must be better by. */
const WANTED_GAIN = 0.03
