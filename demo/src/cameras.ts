import { noise3, type Vec3 } from '@lantern/core/math'
import type { Moment } from './view.ts'
import type { Walk } from './worker.ts'

// The plates' cameras: how they move, and where a point lands through them. Their turns are made here by hand, so that nothing of the product's projection is in them.

/** A 24-mm lens on a sensor 28 x 15.75 mm. */
export const SENSOR_MM = 28
export const FOCAL_MM = 24
export interface PlateLens {
  focalMm: number
  k1: number
  k2: number
  fStop: number
  /** Distance in focus, m. */
  focus: number
}

export interface PlateSpec {
  name: string
  frames: number
  first: number
  rate: number
  width: number
  height: number
  day: 'dusk' | 'rain'
  lens: PlateLens
  seed: number
  /** Where the camera is and how it is turned (radians: pan to the right, tilt up, roll clockwise) at a time in seconds. */
  camera: (time: number, seed: number) => { position: Vec3; pan: number; tilt: number; roll: number }
  /** Exposure of the whole, and its drift, stops. */
  exposure: number
  drift: (time: number) => number
  /** Share of the frame's time that the shutter is open. */
  shutter: number
  worker?: Walk
  /** First frame of the brazier's run that is seen. */
  flameFrom: number
  /** Times the photon noise. */
  noise: number
  /** Share of light that reaches the sensor. */
  light: number
  slices: number
}

export const DEGREE = Math.PI / 180

/** Sum of sines whose strength falls with frequency, as measured hands do: about 1 at its largest. pace: lowest frequency, Hz. */
export function hand(seed: number, time: number, pace: number, fall = 1.25): number {
  let sum = 0
  let total = 0
  for (let n = 0; n < 9; n++) {
    const f = pace * 1.55 ** n * (0.9 + 0.2 * noise3(seed, n * 7.3, 1.5, 0))
    const a = 1.55 ** (-n * fall)
    sum += a * Math.sin(2 * Math.PI * (f * time + noise3(seed, n * 3.7, 9.5, 0) + seed * 0.37))
    total += a * a
  }
  return sum / Math.sqrt(total) / 1.4
}

/** A person who walks slowly and holds the camera: steps, breath, small tremble. */
export function handheld(time: number, seed: number): ReturnType<PlateSpec['camera']> {
  const beat = 2 * Math.PI * 1.72 * time
  const h = (n: number, pace: number): number => hand(seed * 31 + n, time, pace)
  return {
    position: [
      -0.55 + 0.4 * time + 0.016 * Math.sin(beat / 2 + 0.4) + 0.03 * h(1, 0.21),
      1.61 + 0.013 * Math.cos(beat) + 0.004 * Math.sin(2 * Math.PI * 0.27 * time) + 0.012 * h(2, 0.24),
      11.15 - 0.21 * time + 0.012 * Math.sin(beat + 1) + 0.025 * h(3, 0.2),
    ],
    pan: (-0.8 + 0.5 * time + 0.75 * h(4, 0.19) + 0.1 * Math.sin(beat / 2)) * DEGREE,
    tilt: (0.9 + 0.5 * h(5, 0.22) + 0.11 * Math.sin(beat + 0.7)) * DEGREE,
    roll: (0.3 + 0.4 * h(6, 0.2) + 0.12 * Math.sin(beat / 2 + 1.1)) * DEGREE,
  }
}

/** A still tripod on cobbles that wind and feet shake a little. */
export function trembling(time: number, seed: number): ReturnType<PlateSpec['camera']> {
  const gust = 0.55 + 0.45 * Math.sin(2 * Math.PI * 0.23 * time + seed)
  const h = (n: number, pace: number): number => gust * hand(seed * 17 + n, time, pace, 0.5)
  return {
    position: [0.7, 1.5, 10.6],
    pan: (1.5 + 0.021 * h(1, 1.3)) * DEGREE,
    tilt: (1.6 + 0.024 * h(2, 1.6)) * DEGREE,
    roll: (0.4 + 0.012 * h(3, 1.1)) * DEGREE,
  }
}

/** A tripod turned about the lens's entrance pupil by a hand on the bar. */
export function turning(time: number, seed: number): ReturnType<PlateSpec['camera']> {
  const t = Math.min(1, Math.max(0, (time - 0.15) / 2.75))
  const s = t * t * t * (t * (6 * t - 15) + 10)
  const h = (n: number): number => hand(seed * 23 + n, time, 0.5, 1.1)
  return {
    position: [1.4, 1.55, 10.2],
    pan: (-30 + 27 * s + 0.12 * h(1)) * DEGREE,
    tilt: (1.4 + 0.5 * s + 0.07 * h(2)) * DEGREE,
    roll: (-0.2 + 0.05 * h(3)) * DEGREE,
  }
}

/** Bolted to the ground: nothing moves it. */
export const bolted = (): ReturnType<PlateSpec['camera']> => ({
  position: [0.7, 1.5, 10.6],
  pan: 1.5 * DEGREE,
  tilt: 1.6 * DEGREE,
  roll: 0.4 * DEGREE,
})

/** The same, turned by 0.2 degrees within a second. */
export const nudged = (time: number): ReturnType<PlateSpec['camera']> => ({
  ...bolted(),
  pan: (1.5 + 0.2 * Math.min(1, time)) * DEGREE,
})

/** Carried over the cobbles, looking straight down: nearly one plane. */
export const downward = (time: number): ReturnType<PlateSpec['camera']> => ({
  position: [0.4 + 0.35 * time, 1.75, 5.6],
  pan: 2 * DEGREE,
  tilt: -84 * DEGREE,
  roll: 1 * DEGREE,
})

/** The same walk in more of a hurry: about 3 px of blur with the shutter open throughout. */
export function hurried(time: number, seed: number): ReturnType<PlateSpec['camera']> {
  const calm = handheld(time, seed)
  const later = handheld(time * 1.3, seed)
  return { ...later, pan: later.pan + 1.1 * DEGREE * time, roll: calm.roll }
}

export const focalPx = (spec: Pick<PlateSpec, 'lens' | 'width'>): number => (spec.lens.focalMm / SENSOR_MM) * spec.width

/** The camera's axes in the world: panned about Y, then tilted, then rolled. */
export function momentOf(spec: PlateSpec, time: number, seed = spec.seed): Moment {
  const { position, pan, tilt, roll } = spec.camera(time, seed)
  const [cp, sp, ct, st, cr, sr] = [
    Math.cos(pan),
    Math.sin(pan),
    Math.cos(tilt),
    Math.sin(tilt),
    Math.cos(roll),
    Math.sin(roll),
  ]
  const side: Vec3 = [cp, 0, sp]
  const back: Vec3 = [-sp * ct, -st, cp * ct]
  const over: Vec3 = [-sp * st, ct, cp * st]
  const right: Vec3 = [side[0] * cr - over[0] * sr, side[1] * cr - over[1] * sr, side[2] * cr - over[2] * sr]
  const up: Vec3 = [over[0] * cr + side[0] * sr, over[1] * cr + side[1] * sr, over[2] * cr + side[2] * sr]
  return { position, right, up, back }
}

/** The turn of a moment as a unit quaternion x y z w, camera to world. */
export function quaternionOf({
  right: [a, d, g],
  up: [b, e, h],
  back: [c, f, i],
}: Moment): [number, number, number, number] {
  const w = Math.sqrt(Math.max(0, 1 + a + e + i)) / 2
  // All our cameras look within 90 degrees of -Z, so w is far from zero.
  return [(h - f) / (4 * w), (c - g) / (4 * w), (d - b) / (4 * w), w]
}

/** Middle of the open shutter of a frame, s. */
export const timeOf = (spec: PlateSpec, frame: number): number => (frame - spec.first) / spec.rate

/** Where a world point lands through a moment, px: Brown–Conrady on the straight radius. For tests and for the exact files. */
export function project(spec: PlateSpec, moment: Moment, p: Vec3): { x: number; y: number; depth: number } | undefined {
  const d: Vec3 = [p[0] - moment.position[0], p[1] - moment.position[1], p[2] - moment.position[2]]
  const dot = (v: readonly number[]): number => d[0] * (v[0] ?? 0) + d[1] * (v[1] ?? 0) + d[2] * (v[2] ?? 0)
  const depth = -dot(moment.back)
  if (depth <= 1e-6) return undefined
  const [x, y] = [dot(moment.right) / depth, -dot(moment.up) / depth]
  const r2 = x * x + y * y
  const s = 1 + spec.lens.k1 * r2 + spec.lens.k2 * r2 * r2
  return { x: spec.width / 2 + focalPx(spec) * x * s, y: spec.height / 2 + focalPx(spec) * y * s, depth }
}

/** Straight normalised coordinates of a pixel position: the lens undone by bisection, slow and sure. */
export function straightened(spec: PlateSpec, x: number, y: number): [number, number] {
  const [dx, dy] = [(x - spec.width / 2) / focalPx(spec), (y - spec.height / 2) / focalPx(spec)]
  const target = Math.hypot(dx, dy)
  if (target < 1e-12) return [0, 0]
  let [lo, hi] = [0, target * 2]
  for (let n = 0; n < 48; n++) {
    const r = (lo + hi) / 2
    if (r * (1 + spec.lens.k1 * r * r + spec.lens.k2 * r ** 4) < target) lo = r
    else hi = r
  }
  return [(dx * lo) / target, (dy * lo) / target]
}
