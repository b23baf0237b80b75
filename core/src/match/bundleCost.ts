import type { Crew } from '../base/index.ts'

// Bundle adjustment (Triggs et al. 2000): Levenberg–Marquardt over poses, points and a shared lens, the points eliminated by the Schur complement, Huber's loss.
// Poses are 12 numbers a frame: R in rows, then t; a point X is at R X + t before the view (x right, y down, z forward).
// Lens: focal length in px, k1, k2 (Brown–Conrady, radius of the straight place over the focal length); places are px from the centre.

export interface Bundle {
  poses: Float64Array
  points: Float64Array
  lens: Float64Array
  /** Which of focal, k1, k2 are found. */
  freeLens: readonly [boolean, boolean, boolean]
  /** 2: this frame's pose is found; 1: only its turn; 0: held. Those that are found are all alike. */
  freePose: Uint8Array
  /** True: points move too; false: only poses and lens are found. */
  freePoints: boolean
  /** Observations sorted by point: those of point p are start[p] to start[p + 1]. */
  start: Int32Array
  frame: Int32Array
  /** Two numbers an observation, px from the centre. */
  place: Float64Array
  weight: Float64Array
  /** Residual from which the loss grows only linearly, px. */
  huber: number
  /** Does the heavy sums; without one they are done here, plainly. */
  crew?: Crew
}

/** A point nearer than this is not before a view. */
export const LEAST_DEPTH = 1e-4

/** Where a point lands, px from the centre, in out[0], out[1]; false when it is not before the view. */
export function land(
  poses: Float64Array,
  frame: number,
  points: Float64Array,
  point: number,
  lens: Float64Array,
  out: Float64Array,
): boolean {
  const o = frame * 12
  const q = point * 3
  const [X, Y, Z] = [points[q] as number, points[q + 1] as number, points[q + 2] as number]
  const x =
    (poses[o] as number) * X + (poses[o + 1] as number) * Y + (poses[o + 2] as number) * Z + (poses[o + 9] as number)
  const y =
    (poses[o + 3] as number) * X +
    (poses[o + 4] as number) * Y +
    (poses[o + 5] as number) * Z +
    (poses[o + 10] as number)
  const z =
    (poses[o + 6] as number) * X +
    (poses[o + 7] as number) * Y +
    (poses[o + 8] as number) * Z +
    (poses[o + 11] as number)
  if (!(z > LEAST_DEPTH)) return false
  const [u, v] = [x / z, y / z]
  const r2 = u * u + v * v
  const s = (lens[0] as number) * (1 + r2 * ((lens[1] as number) + r2 * (lens[2] as number)))
  out[0] = s * u
  out[1] = s * v
  return true
}

/** Huber's loss of a squared residual, times two. */
const loss = (r2: number, huber: number): number => (r2 <= huber * huber ? r2 : huber * (2 * Math.sqrt(r2) - huber))
/** What a point behind a view costs, in residuals of this many px. */
const BEHIND = 100

/** The whole loss of a bundle. */
export function bundleCost(b: Bundle, poses = b.poses, points = b.points, lens = b.lens): number {
  const out = new Float64Array(2)
  let sum = 0
  for (let p = 0; p + 1 < b.start.length; p++)
    for (let n = b.start[p] as number; n < (b.start[p + 1] as number); n++) {
      const w = b.weight[n] as number
      if (w === 0) continue
      if (!land(poses, b.frame[n] as number, points, p, lens, out)) {
        sum += w * loss(BEHIND * BEHIND, b.huber)
        continue
      }
      const dx = (out[0] as number) - (b.place[n * 2] as number)
      const dy = (out[1] as number) - (b.place[n * 2 + 1] as number)
      sum += w * loss(dx * dx + dy * dy, b.huber)
    }
  return sum
}

/** R' = exp(w) R by the unit quaternion (1, w / 2), t' = t + d where it shifts too; in place at frame's pose of `to`, from `from`. */
export function movePose(
  from: Float64Array,
  to: Float64Array,
  frame: number,
  d: ArrayLike<number>,
  at = 0,
  shifts = true,
): void {
  const o = frame * 12
  let [x, y, z] = [(d[at] as number) / 2, (d[at + 1] as number) / 2, (d[at + 2] as number) / 2]
  const size = 1 / Math.sqrt(1 + x * x + y * y + z * z)
  x *= size
  y *= size
  z *= size
  const w = size
  const m = [
    1 - 2 * (y * y + z * z),
    2 * (x * y - z * w),
    2 * (x * z + y * w),
    2 * (x * y + z * w),
    1 - 2 * (x * x + z * z),
    2 * (y * z - x * w),
    2 * (x * z - y * w),
    2 * (y * z + x * w),
    1 - 2 * (x * x + y * y),
  ] as const
  const r = from.slice(o, o + 12)
  for (let i = 0; i < 3; i++)
    for (let j = 0; j < 3; j++)
      to[o + i * 3 + j] =
        (m[i * 3] as number) * (r[j] as number) +
        (m[i * 3 + 1] as number) * (r[3 + j] as number) +
        (m[i * 3 + 2] as number) * (r[6 + j] as number)
  for (let i = 0; i < 3; i++) to[o + 9 + i] = (r[9 + i] as number) + (shifts ? (d[at + 3 + i] as number) : 0)
}
