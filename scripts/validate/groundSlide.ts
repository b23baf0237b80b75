import { readFileSync } from 'node:fs'
import { z } from 'zod'
import { type Camera, projectPoint, type Similarity, solveCameraAt } from '../../core/src/data/index.ts'
import {
  alignPoints,
  type CameraSolve,
  fitGround,
  keptSolve,
  moveCamera,
  movePoint,
  placeOnGround,
} from '../../core/src/match/index.ts'
import { rotate, type Vec3 } from '../../core/src/math/index.ts'
import { pickLevel } from '../../core/src/pipeline/index.ts'

const [W, H] = [1280, 720]
const RIM = 10
const GROUND_POINTS = 20
/** How far a corner may lie over or under the level to count as the ground's own, m. */
const GROUND_LIFT = 0.05

/**
 * How far points of the ground, given on the first frame alone, slide against where the exact camera sees them: px, 95th percentile over all frames.
 * cameras: at their exact heights, so that the cameras alone are judged; own: on the solve's own ground, hollows and humps as far as its points tell of them.
 */
export function groundSlide(
  geometry: string,
  found: CameraSolve,
  exact: readonly Camera[],
): { own: number; cameras: number } {
  const { landmarks } = z
    .object({ landmarks: z.array(z.tuple([z.number(), z.number(), z.number()])) })
    .parse(JSON.parse(readFileSync(geometry, 'utf8')))
  const solve = keptSolve(found, 1001)
  const inside = (p: { x: number; y: number } | undefined): p is { x: number; y: number; depth: number } =>
    p !== undefined && p.x > RIM && p.y > RIM && p.x < W - RIM && p.y < H - RIM
  // Corners of cobbles that are seen on the first frame.
  const given = landmarks
    .filter(([, y, z]) => Math.abs(y) < GROUND_LIFT && z > 0.3)
    .flatMap((point) => {
      const p = projectPoint(exact[0] as Camera, point)
      return inside(p) ? [{ point, x: p.x, y: p.y }] : []
    })
  const chosen = given
    .filter((_, n) => n % Math.max(1, Math.floor(given.length / GROUND_POINTS)) === 0)
    .slice(0, GROUND_POINTS)
  const cameras = found.cameras.map((_, n) => solveCameraAt(solve, n))
  const similar = alignCameras(found.cameras, exact)
  // The ground is said as a person says it, by a patch drawn over the cobbles: its solved points, a few of them on what stands there.
  const patch = solve.points.filter(({ at }) => {
    const [, y, z] = movePoint(similar, at)
    return Math.abs(y) < 0.5 && z > 0.3
  })
  const { by } = fitGround({ ground: patch.map(({ at }) => at), cameraHeight: 1.6 }, cameras)
  const level = cameras.map((camera) => moveCamera(by, camera))
  const points = solve.points.map(({ at }) => movePoint(by, at))
  const aligned = cameras.map((camera) => moveCamera(similar, camera))
  const slide = (seen: readonly Camera[], place: (x: number, y: number, point: Vec3) => Vec3 | undefined): number => {
    const off = chosen
      .flatMap(({ point, x, y }) => {
        const placed = place(x, y, point)
        return placed
          ? exact.flatMap((camera, n) => {
              const [a, b] = [projectPoint(seen[n] as Camera, placed), projectPoint(camera, point)]
              return a && inside(b) ? [Math.hypot(a.x - b.x, a.y - b.y)] : []
            })
          : []
      })
      .sort((a, b) => a - b)
    return off[Math.floor(0.95 * off.length)] ?? Number.NaN
  }
  return {
    cameras: slide(aligned, (x, y, [, height]) => pickLevel(aligned[0] as Camera, x, y, height)),
    own: slide(level, (x, y) => placeOnGround(points, level[0] as Camera, x, y)),
  }
}

/** The similarity that takes a solve's cameras to the exact ones: turned as their directions say on the whole (a nearly straight path alone leaves its roll open), then sized and placed. */
export function alignCameras(found: readonly Camera[], exact: readonly Camera[]): Similarity {
  const arms = (cameras: readonly Camera[], size: number): Vec3[] =>
    cameras.flatMap((c) => [
      c.position,
      ...(
        [
          [size, 0, 0],
          [0, size, 0],
          [0, 0, -size],
        ] as const
      ).map((arm) => {
        const [x, y, z] = rotate(c.rotation, arm)
        return [c.position[0] + x, c.position[1] + y, c.position[2] + z] as Vec3
      }),
    ])
  const { scale } = alignPoints(
    found.map((c) => c.position),
    exact.map((c) => c.position),
  )
  return alignPoints(arms(found, 1 / scale), arms(exact, 1))
}
