import { LanternError } from '../base/index.ts'
import {
  type Camera,
  pixelRay,
  placeAt,
  pointAlong,
  projectPoint,
  type Solve,
  type SolvePoint,
  solveCameraAt,
  type Track,
} from '../data/index.ts'
import { add, dot, length, scale, solveCholesky, subtract, symmetricEigen, type Vec3 } from '../math/index.ts'

// A place in the picture, put on what the solve knows of the world there.

/** A picture place: frame counted from 0, px from the top left. */
export interface PicturePlace {
  frame: number
  x: number
  y: number
}

/** Px within which a place means the point itself; points round a place that make its surface; reach of the search, share of the width. */
const SAME_PX = 0.75
const AROUND = 8
const REACH = 0.12
const LEAST_AROUND = 3

/** The solve's points as seen at a frame: where they land, for those that are before the camera. */
function landed(solve: Solve, frame: number): { at: Vec3; x: number; y: number; depth: number }[] {
  const camera = solveCameraAt(solve, frame)
  return solve.points.flatMap(({ at }) => {
    const p = projectPoint(camera, at)
    return p ? [{ at, ...p }] : []
  })
}

/** The point of the track that a place means: the nearest one with a point that is seen within a few px of it; undefined where none is. */
export function clickedPoint(solve: Solve, tracks: readonly Track[], place: PicturePlace): Vec3 | undefined {
  const points = new Map(solve.points.map(({ track, at }) => [track, at]))
  let same: { at: Vec3; far: number } | undefined
  for (const track of tracks) {
    const seen = placeAt(track, place.frame)
    const at = points.get(track.id)
    if (!seen || !at) continue
    const far = Math.sqrt((seen[0] - place.x) * (seen[0] - place.x) + (seen[1] - place.y) * (seen[1] - place.y))
    if (far < SAME_PX && (!same || far < same.far)) same = { at, far }
  }
  return same?.at
}

/**
 * The world point, in the solve's own world, that a picture place shows: a track's point where it is clicked, else where the place's ray meets a plane laid robustly through the points round it.
 * tracks: those of the solve, to find a clicked one by where it was seen. Throws LanternError 'place' where nothing was solved near.
 */
export function placePoint(solve: Solve, tracks: readonly Track[], place: PicturePlace): Vec3 {
  const same = clickedPoint(solve, tracks, place)
  if (same) return same
  const reach = REACH * solve.width
  const near = landed(solve, place.frame)
    .map((p) => ({ ...p, far: Math.sqrt((p.x - place.x) * (p.x - place.x) + (p.y - place.y) * (p.y - place.y)) }))
    .filter(({ far }) => far < reach)
    .sort((a, b) => a.far - b.far)
    .slice(0, AROUND)
  if (near.length < LEAST_AROUND)
    throw new LanternError(
      'place',
      `Fewer than ${LEAST_AROUND} solved points lie near ${Math.round(place.x)}, ${Math.round(place.y)} at frame ${solve.first + place.frame}.`,
      'Choose a place nearer to solved points, or track more features.',
      { frame: solve.first + place.frame },
    )
  const ray = pixelRay(solveCameraAt(solve, place.frame), place.x, place.y)
  // The surface there: a plane through the points round it, the nearer counting more, those far off it less each round.
  let weights = near.map(({ far }) => 1 / (1 + (far / (0.25 * reach)) * (far / (0.25 * reach))))
  const depths = near.map(({ depth }) => depth).sort((a, b) => a - b)
  const usualDepth = depths[depths.length >> 1] as number
  let depth = usualDepth
  for (let round = 0; round < 6; round++) {
    const total = weights.reduce((sum, w) => sum + w, 0)
    const middle = [0, 1, 2].map(
      (c) => near.reduce((sum, { at }, n) => sum + (weights[n] as number) * (at[c] as number), 0) / total,
    ) as unknown as Vec3
    const m = new Float64Array(9)
    for (const [n, { at }] of near.entries()) {
      const d = subtract(at, middle)
      for (let i = 0; i < 3; i++)
        for (let j = 0; j < 3; j++)
          m[i * 3 + j] = (m[i * 3 + j] as number) + (weights[n] as number) * (d[i] as number) * (d[j] as number)
    }
    const { vectors } = symmetricEigen(m, 3)
    const normal: Vec3 = [vectors[0] as number, vectors[1] as number, vectors[2] as number]
    const slope = dot(normal, ray.along)
    const t = dot(normal, subtract(middle, ray.from)) / slope
    // Seen edge on, or far from what lies round it: the usual depth says more than the plane.
    depth = Math.abs(slope) > 0.02 && t > 0.5 * usualDepth && t < 2 * usualDepth ? t : usualDepth
    const off = near.map(({ at }) => Math.abs(dot(normal, subtract(at, middle))))
    const usual = [...off].sort((a, b) => a - b)[off.length >> 1] as number
    weights = near.map(
      ({ far }, n) =>
        1 /
        (1 + (far / (0.25 * reach)) * (far / (0.25 * reach))) /
        (1 + ((off[n] as number) / (3 * usual + 1e-9)) * ((off[n] as number) / (3 * usual + 1e-9))),
    )
  }
  return pointAlong(ray, depth)
}

const SETTLE_STEPS = 8
const HUBER_PX = 1

/**
 * The world point of a track that the solve did not have, seen through the solve's cameras: where its rays come nearest together, then where its places land best (Gauss–Newton with a Huber loss, px).
 * Undefined where fewer than three cameras see it, or its rays are too nearly parallel.
 */
export function pointOfTrack(solve: Solve, track: Track): SolvePoint | undefined {
  const views = Array.from({ length: track.places.length / 2 }, (_, n) => track.first + n).flatMap((frame) => {
    const seen = placeAt(track, frame)
    return seen && solve.cameras[frame] ? [{ camera: solveCameraAt(solve, frame), seen }] : []
  })
  if (solve.kind !== 'moving' || views.length < 3) return undefined
  const a = new Float64Array(9)
  const b = new Float64Array(3)
  for (const { camera, seen } of views) {
    const { from, along } = pixelRay(camera, seen[0], seen[1])
    const way = scale(along, 1 / length(along))
    for (let i = 0; i < 3; i++)
      for (let j = 0; j < 3; j++) {
        const m = (i === j ? 1 : 0) - (way[i] as number) * (way[j] as number)
        a[i * 3 + j] = (a[i * 3 + j] as number) + m
        b[i] = (b[i] as number) + m * (from[j] as number)
      }
  }
  if (!solveCholesky(a, b, 3)) return undefined
  let at: Vec3 = [b[0] as number, b[1] as number, b[2] as number]
  let off: number[] = []
  for (let step = 0; step < SETTLE_STEPS; step++) {
    a.fill(0)
    b.fill(0)
    off = []
    for (const { camera, seen } of views) {
      const p = projectPoint(camera, at)
      if (!p) return undefined
      const h = 1e-4 * p.depth
      const slopes = [0, 1, 2].map((c) => {
        const q = projectPoint(camera, [
          at[0] + (c === 0 ? h : 0),
          at[1] + (c === 1 ? h : 0),
          at[2] + (c === 2 ? h : 0),
        ])
        return q ? ([(q.x - p.x) / h, (q.y - p.y) / h] as const) : ([0, 0] as const)
      })
      const [dx, dy] = [seen[0] - p.x, seen[1] - p.y]
      const far = Math.sqrt(dx * dx + dy * dy)
      off.push(far)
      const w = far > HUBER_PX ? HUBER_PX / far : 1
      for (const [i, one] of slopes.entries()) {
        b[i] = (b[i] as number) + w * (one[0] * dx + one[1] * dy)
        for (const [j, other] of slopes.entries())
          a[i * 3 + j] = (a[i * 3 + j] as number) + w * (one[0] * other[0] + one[1] * other[1])
      }
    }
    if (!solveCholesky(a, b, 3)) return undefined
    at = add(at, [b[0] as number, b[1] as number, b[2] as number])
  }
  return { track: track.id, at, px: [...off].sort((x, y) => x - y)[off.length >> 1] ?? 0 }
}

/** Share of the camera's height within which a point counts as the ground's own; how many of them tell the level at a place. */
const GROUND_SHARE = 0.05
const GROUND_AROUND = 6

/**
 * Where a picture place lies on the ground as it was solved, hollows and humps included: the ray meets the level that the ground's own points have there.
 * All in a level world whose ground is about y = 0 (see fitGround). points: all solved points. Undefined above the horizon.
 */
export function placeOnGround(points: readonly Vec3[], camera: Camera, x: number, y: number): Vec3 | undefined {
  const ray = pixelRay(camera, x, y)
  const own = points.filter((p) => Math.abs(p[1]) < GROUND_SHARE * Math.abs(camera.position[1]))
  let level = 0
  let at: Vec3 | undefined
  for (let round = 0; round < 8; round++) {
    const t = (level - ray.from[1]) / ray.along[1]
    if (!(t > 0 && Number.isFinite(t))) return undefined
    const met = pointAlong(ray, t)
    at = met
    const near = own
      .map((p) => ({ y: p[1], far: (p[0] - met[0]) * (p[0] - met[0]) + (p[2] - met[2]) * (p[2] - met[2]) }))
      .sort((a, b) => a.far - b.far)
      .slice(0, GROUND_AROUND)
    const least = 1e-6 * camera.position[1] * camera.position[1]
    const total = near.reduce((sum, p) => sum + 1 / (p.far + least), 0)
    if (total > 0) level = near.reduce((sum, p) => sum + p.y / (p.far + least), 0) / total
  }
  return at
}
