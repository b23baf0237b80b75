import { hash01, random } from '../src/base/index.ts'
import { type Camera, projectPoint, type Track } from '../src/data/index.ts'
import { alignPoints, cameraAt, hasPoint, moveCamera, movePoint, pointAt, type Structure } from '../src/match/index.ts'
import { acos, degrees, length, panTiltRoll, rotate, sin, subtract, type Vec3 } from '../src/math/index.ts'

// Exact tracks for tests: still points seen by a stated camera, with normal noise; some of them wrong.

export interface SyntheticPlate {
  frames: number
  camera: (frame: number) => Camera
  /** World points. */
  points: Vec3[]
}

/** A wall, a floor and some boxes between 4 and 14 m away. */
export function yardPoints(count: number, seed: number): Vec3[] {
  return Array.from({ length: count }, (_, n) => {
    const [a, b, c] = [hash01(seed, n, 1), hash01(seed, n, 2), hash01(seed, n, 3)]
    if (c < 0.45) return [-7 + 14 * a, 4.5 * b, -0.05 * hash01(seed, n, 4)]
    if (c < 0.85) return [-7 + 14 * a, 0.02 * hash01(seed, n, 5), 7 * b]
    return [-3 + 6 * a, 1.4 * b, 2 + 2 * hash01(seed, n, 6)]
  })
}

export const lensOf = (focalPx: number, k1 = 0, k2 = 0): Omit<Camera, 'position' | 'rotation'> => ({
  focalPx,
  k1,
  k2,
  centre: [640, 360],
  width: 1280,
  height: 720,
})

/** A hand-held walk: `far` metres to the side and ahead over the frames, with sway and small turns. */
export function walk(
  frames: number,
  far: number,
  lens: Omit<Camera, 'position' | 'rotation'>,
): (frame: number) => Camera {
  return (frame) => {
    const t = frame / 24
    const s = frame / frames
    return {
      ...lens,
      position: [-far / 2 + far * s + 0.03 * sin(5 * t), 1.6 + 0.02 * sin(11 * t), 11 - 0.4 * far * s],
      rotation: panTiltRoll(0.02 - 0.05 * s + 0.01 * sin(2.3 * t), 0.02 + 0.008 * sin(3.1 * t), 0.01 * sin(1.7 * t)),
    }
  }
}

const normal = (stream: { next: () => number }): number => {
  let sum = -6
  for (let n = 0; n < 12; n++) sum += stream.next()
  return sum
}

export interface Faults {
  /** Standard deviation of each coordinate, px. */
  noise: number
  /** Share of the tracks that drift away. */
  wrong: number
  /** Most frames of a track. */
  longest: number
}

/** Tracks of a synthetic plate: each point from when it is first seen, for at most `longest` frames. */
export function syntheticTracks(plate: SyntheticPlate, faults: Faults, seed: number): Track[] {
  const stream = random(seed)
  const tracks: Track[] = []
  for (const [id, point] of plate.points.entries()) {
    const drifts = stream.next() < faults.wrong
    const [dx, dy] = [normal(stream) * 0.6, normal(stream) * 0.6]
    let first = -1
    let places: number[] = []
    const begin = Math.floor(stream.next() * 0.6 * plate.frames * (stream.next() < 0.5 ? 0 : 1))
    for (let frame = begin; frame < plate.frames; frame++) {
      const seen = projectPoint(plate.camera(frame), point)
      if (!seen || seen.x < 8 || seen.y < 8 || seen.x > 1272 || seen.y > 712 || places.length / 2 >= faults.longest)
        break
      if (first < 0) first = frame
      const gone = drifts ? frame - first : 0
      places.push(
        seen.x + faults.noise * normal(stream) + gone * dx,
        seen.y + faults.noise * normal(stream) + gone * dy,
      )
    }
    if (places.length >= 8) tracks.push({ id, first, places: Float64Array.from(places), weight: 1 })
    places = []
  }
  return tracks
}

/** A solve against the exact camera, after the best similarity: rms of positions over the path's length, of directions in degrees, and the 95th percentile of slide in px. */
export function againstTruth(
  s: Structure,
  truth: (frame: number) => Camera,
  points: readonly Vec3[],
): { positions: number; directions: number; slide: number } {
  const found = Array.from({ length: s.frames }, (_, n) => cameraAt(s, n))
  const exact = Array.from({ length: s.frames }, (_, n) => truth(n))
  // The path alone is nearly straight and leaves the turn about itself open: the points help.
  const seen = points.flatMap((p, k) => (hasPoint(s, k) ? [[pointAt(s, k), p] as const] : []))
  const by = alignPoints(
    [...found.map((c) => c.position), ...seen.map(([p]) => p)],
    [...exact.map((c) => c.position), ...seen.map(([, p]) => p)],
  )
  const placed = found.map((c) => moveCamera(by, c))
  const path = exact
    .slice(1)
    .reduce((sum, c, n) => sum + length(subtract(c.position, exact[n]?.position ?? c.position)), 0)
  const rms = (values: number[]): number => Math.sqrt(values.reduce((sum, v) => sum + v * v, 0) / values.length)
  const ahead: Vec3 = [0, 0, -1]
  const way = (c: Camera): Vec3 => rotate(c.rotation, ahead)
  const slides = placed
    .flatMap((c, n) =>
      points.flatMap((p, k) => {
        const [a, b] = [
          hasPoint(s, k) ? projectPoint(c, movePoint(by, pointAt(s, k))) : undefined,
          projectPoint(exact[n] as Camera, p),
        ]
        return a && b && b.x > 0 && b.x < 1280 && b.y > 0 && b.y < 720
          ? [Math.sqrt((a.x - b.x) ** 2 + (a.y - b.y) ** 2)]
          : []
      }),
    )
    .sort((a, b) => a - b)
  return {
    positions: rms(placed.map((c, n) => length(subtract(c.position, exact[n]?.position ?? c.position)))) / path,
    directions: degrees(
      rms(
        placed.map((c, n) =>
          acos(
            Math.min(
              1,
              way(c).reduce((sum, v, k) => sum + v * (way(exact[n] as Camera)[k] ?? 0), 0),
            ),
          ),
        ),
      ),
    ),
    slide: slides[Math.floor(0.95 * slides.length)] ?? Number.NaN,
  }
}
