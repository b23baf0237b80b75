import { LanternError, random } from '../base/index.ts'
import type { Camera, Similarity } from '../data/index.ts'
import {
  cross,
  dot,
  length,
  normalise,
  type Quaternion,
  quaternionOfMatrix,
  rotate,
  scale,
  subtract,
  symmetricEigen,
  type Vec3,
} from '../math/index.ts'
import { movePoint } from './align.ts'

/** What a person says about the world of a solve; points are in that world. */
export interface GroundSettings {
  /** Three points or more that lie on the ground; a few may be wrong where there are many. */
  ground: readonly Vec3[]
  /** Two points, the second to the right of the first: the world's X. */
  axis?: readonly [Vec3, Vec3]
  /** Becomes the world's origin, set down on the ground. */
  origin?: Vec3
  /** A distance that is known, m; or the height of the first camera over the ground, m. */
  distance?: { from: Vec3; to: Vec3; metres: number }
  cameraHeight?: number
}

export interface GroundFit {
  /** From the solve's world to a level one in metres. */
  by: Similarity
  /** Root mean square distance of the ground's points from it, m, wrong ones left out; and how many were. */
  rms: number
  left: number
}

const ROUNDS = 12
const LEAST_SPREAD = 1e-4
/** Points beyond which some may be wrong. */
const LEAST_ROBUST = 6

/** Tukey's biweight of distances, by the usual one of them, which is too small where few points laid the plane (Rousseeuw & Leroy 1987, 5.1). */
function weighed(off: readonly number[]): number[] {
  const usual = [...off].sort((a, b) => a - b)[off.length >> 1] ?? 0
  const reach = Math.max(4.7 * 1.4826 * (1 + 5 / Math.max(1, off.length - 3)) * usual, 1e-12)
  return off.map((d) => (d < reach ? (1 - (d / reach) * (d / reach)) * (1 - (d / reach) * (d / reach)) : 0))
}

const TRIPLES = 300
/** Weights from which to begin: by the plane through three of the points that half of all lie nearest to (least median of squares, Rousseeuw 1984). A few points far behind would draw a plane through all to themselves. */
function firstWeights(points: readonly Vec3[]): number[] {
  const stream = random(points.length)
  let best: { usual: number; off: number[] } | undefined
  for (let n = 0; n < TRIPLES; n++) {
    const [a, b, c] = [0, 1, 2].map(() => points[Math.floor(stream.next() * points.length)] as Vec3) as [
      Vec3,
      Vec3,
      Vec3,
    ]
    const across = cross(subtract(b, a), subtract(c, a))
    const size = length(across)
    if (!(size > 1e-12 * length(subtract(b, a)) * length(subtract(c, a)))) continue
    const off = points.map((p) => Math.abs(dot(subtract(p, a), across)) / size)
    const usual = [...off].sort((x, y) => x - y)[off.length >> 1] ?? 0
    if (!best || usual < best.usual) best = { usual, off }
  }
  return best && best.usual > 0 ? weighed(best.off) : points.map(() => 1)
}

/** The plane nearest to points, wrong ones weighing less each round: a point of it and its normal. */
function fitPlane(points: readonly Vec3[]): { middle: Vec3; normal: Vec3; off: number[]; weights: number[] } {
  let weights = points.length > LEAST_ROBUST ? firstWeights(points) : points.map(() => 1)
  for (let round = 0; ; round++) {
    const total = weights.reduce((sum, w) => sum + w, 0)
    const middle = [0, 1, 2].map(
      (c) => points.reduce((sum, p, n) => sum + (weights[n] ?? 0) * (p[c] ?? 0), 0) / total,
    ) as unknown as Vec3
    const m = new Float64Array(9)
    for (const [n, p] of points.entries())
      for (let i = 0; i < 3; i++)
        for (let j = 0; j < 3; j++)
          m[i * 3 + j] =
            (m[i * 3 + j] as number) +
            (weights[n] ?? 0) * ((p[i] ?? 0) - (middle[i] ?? 0)) * ((p[j] ?? 0) - (middle[j] ?? 0))
    const { values, vectors } = symmetricEigen(m, 3)
    if (!((values[1] as number) > LEAST_SPREAD * (values[2] as number)))
      throw new LanternError('ground', 'The ground’s points lie on one line.', 'Choose a point to one side of them.', {
        field: 'ground',
      })
    const normal: Vec3 = [vectors[0] as number, vectors[1] as number, vectors[2] as number]
    const off = points.map((p) => Math.abs(dot(subtract(p, middle), normal)))
    const usual = [...off].sort((a, b) => a - b)[off.length >> 1] ?? 0
    if (points.length < 4 || usual === 0 || round === ROUNDS) return { middle, normal, off, weights }
    weights = weighed(off)
  }
}

/**
 * Levels a solve's world by what is said of its ground, turns it by an axis, sets its origin and its size.
 * cameras: in the solve's world; the first of them is above the ground and, where no axis is given, looks along -Z.
 * Throws LanternError 'ground' for fewer than three points, points on a line, or a distance of nothing.
 */
export function fitGround(settings: GroundSettings, cameras: readonly Camera[]): GroundFit {
  const first = cameras[0]
  if (settings.ground.length < 3 || !first)
    throw new LanternError(
      'ground',
      `${settings.ground.length} points don’t make a ground.`,
      'Choose three points or more that lie on it.',
      { field: 'ground' },
    )
  const { middle, normal, off, weights } = fitPlane(settings.ground)
  const up = dot(subtract(first.position, middle), normal) < 0 ? scale(normal, -1) : normal
  const ahead = settings.axis
    ? cross(up, subtract(settings.axis[1], settings.axis[0]))
    : rotate(first.rotation, [0, 0, -1])
  const flat = subtract(ahead, scale(up, dot(ahead, up)))
  if (length(flat) < 1e-9)
    throw new LanternError('ground', 'The axis stands upright on the ground.', 'Choose two points along the ground.', {
      field: 'axis',
    })
  const back = scale(normalise(flat), -1)
  const right = cross(up, back)
  const rotation: Quaternion = quaternionOfMatrix([...right, ...up, ...back])
  const size = sizeOf(settings, first, middle, up)
  const down = (p: Vec3): Vec3 => subtract(p, scale(up, dot(subtract(p, middle), up)))
  const origin = down(settings.origin ?? first.position)
  const turned = movePoint({ scale: size, rotation, shift: [0, 0, 0] }, origin)
  const kept = off.filter((_, n) => (weights[n] ?? 0) > 0.05)
  return {
    by: { scale: size, rotation, shift: [0 - turned[0], 0 - turned[1], 0 - turned[2]] },
    rms: size * Math.sqrt(kept.reduce((sum, d) => sum + d * d, 0) / kept.length),
    left: off.length - kept.length,
  }
}

/** Metres in a unit of the solve's world; 1 where nothing is known. */
function sizeOf({ distance, cameraHeight }: GroundSettings, first: Camera, middle: Vec3, up: Vec3): number {
  const positive = (metres: number, inSolve: number, field: string): number => {
    if (!(metres > 0 && inSolve > 0))
      throw new LanternError(
        'ground',
        'A known distance must be more than nothing, between two different places.',
        'Choose two places apart and say how far.',
        { field },
      )
    return metres / inSolve
  }
  if (distance) return positive(distance.metres, length(subtract(distance.to, distance.from)), 'distance')
  if (cameraHeight !== undefined)
    return positive(cameraHeight, dot(subtract(first.position, middle), up), 'cameraHeight')
  return 1
}
