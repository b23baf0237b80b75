import type { Crew } from '../base/index.ts'
import { solveCholesky } from '../math/index.ts'

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

export interface BundleResult {
  cost: number
  steps: number
  converged: boolean
}

const LEAST_DEPTH = 1e-4

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

/** What one linearisation holds: normal equations with the points kept apart. */
interface Normal {
  size: number
  /** First column of a frame's pose, or -1, and how many it has: turn (3), turn and shift (6). */
  column: Int32Array
  breadth: Int32Array
  lensColumn: Int32Array
  /** Poses and lens: full symmetric matrix and right side. */
  u: Float64Array
  g: Float64Array
  /** Per point: 6 numbers of the symmetric 3 x 3, and its right side. */
  v: Float64Array
  h: Float64Array
  /** Per observation: point (3) x pose (6); per point: lens (3) x point (3), summed. */
  wPose: Float64Array
  wLens: Float64Array
  /** Per observation: column of its pose (-1: held, or left out), and the first observation of its point. */
  columnOf: Int32Array
  firstOf: Int32Array
}

function newNormal(b: Bundle): Normal {
  const frames = b.poses.length / 12
  const column = new Int32Array(frames).fill(-1)
  const breadth = Int32Array.from(b.freePose, (free) => 3 * free)
  let size = 0
  for (let f = 0; f < frames; f++)
    if (b.freePose[f]) {
      column[f] = size
      size += breadth[f] as number
    }
  const lensColumn = Int32Array.from(b.freeLens, (free) => (free ? size++ : -1))
  const points = b.start.length - 1
  const columnOf = Int32Array.from(b.frame, (frame, k) => (b.weight[k] === 0 ? -1 : (column[frame] as number)))
  const firstOf = new Int32Array(b.frame.length)
  for (let p = 0; p < points; p++) firstOf.fill(b.start[p] as number, b.start[p], b.start[p + 1])
  return {
    columnOf,
    firstOf,
    size,
    column,
    breadth,
    lensColumn,
    u: new Float64Array(size * size),
    g: new Float64Array(size),
    v: new Float64Array(points * 6),
    h: new Float64Array(points * 3),
    wPose: new Float64Array(b.frame.length * 18),
    wLens: new Float64Array(points * 9),
  }
}

function linearise(b: Bundle, n: Normal): void {
  n.u.fill(0)
  n.g.fill(0)
  n.v.fill(0)
  n.h.fill(0)
  n.wPose.fill(0)
  n.wLens.fill(0)
  const { size, u, g, v, h } = n
  const [f, k1, k2] = [b.lens[0] as number, b.lens[1] as number, b.lens[2] as number]
  // Rows of the 2 x 12 Jacobian: turn, shift, point, lens.
  const jx = new Float64Array(12)
  const jy = new Float64Array(12)
  for (let p = 0; p + 1 < b.start.length; p++)
    for (let k = b.start[p] as number; k < (b.start[p + 1] as number); k++) {
      const w0 = b.weight[k] as number
      if (w0 === 0) continue
      const frame = b.frame[k] as number
      const o = frame * 12
      const [X, Y, Z] = [b.points[p * 3] as number, b.points[p * 3 + 1] as number, b.points[p * 3 + 2] as number]
      const r = b.poses
      const ax = (r[o] as number) * X + (r[o + 1] as number) * Y + (r[o + 2] as number) * Z
      const ay = (r[o + 3] as number) * X + (r[o + 4] as number) * Y + (r[o + 5] as number) * Z
      const az = (r[o + 6] as number) * X + (r[o + 7] as number) * Y + (r[o + 8] as number) * Z
      const [x, y, z] = [ax + (r[o + 9] as number), ay + (r[o + 10] as number), az + (r[o + 11] as number)]
      if (!(z > LEAST_DEPTH)) continue
      const iz = 1 / z
      const [a, c] = [x * iz, y * iz]
      const r2 = a * a + c * c
      const s = 1 + r2 * (k1 + r2 * k2)
      const ds = k1 + 2 * k2 * r2
      const ex = f * s * a - (b.place[k * 2] as number)
      const ey = f * s * c - (b.place[k * 2 + 1] as number)
      const e2 = ex * ex + ey * ey
      const w = e2 <= b.huber * b.huber ? w0 : (w0 * b.huber) / Math.sqrt(e2)
      // d place / d straight place.
      const xx = f * (s + 2 * a * a * ds)
      const xy = f * 2 * a * c * ds
      const yy = f * (s + 2 * c * c * ds)
      // d straight place / d point before the view: (1, 0, -a) / z and (0, 1, -c) / z.
      const px0 = xx * iz
      const px1 = xy * iz
      const px2 = -(xx * a + xy * c) * iz
      const py0 = xy * iz
      const py1 = yy * iz
      const py2 = -(xy * a + yy * c) * iz
      // A turn w moves R X by w x (R X).
      jx[0] = px2 * ay - px1 * az
      jx[1] = px0 * az - px2 * ax
      jx[2] = px1 * ax - px0 * ay
      jy[0] = py2 * ay - py1 * az
      jy[1] = py0 * az - py2 * ax
      jy[2] = py1 * ax - py0 * ay
      jx[3] = px0
      jx[4] = px1
      jx[5] = px2
      jy[3] = py0
      jy[4] = py1
      jy[5] = py2
      for (let j = 0; j < 3; j++) {
        jx[6 + j] = px0 * (r[o + j] as number) + px1 * (r[o + 3 + j] as number) + px2 * (r[o + 6 + j] as number)
        jy[6 + j] = py0 * (r[o + j] as number) + py1 * (r[o + 3 + j] as number) + py2 * (r[o + 6 + j] as number)
      }
      jx[9] = s * a
      jy[9] = s * c
      jx[10] = f * r2 * a
      jy[10] = f * r2 * c
      jx[11] = f * r2 * r2 * a
      jy[11] = f * r2 * r2 * c
      const at = n.column[frame] as number
      const broad = n.breadth[frame] as number
      if (at >= 0)
        for (let i = 0; i < broad; i++) {
          const [wx, wy] = [w * (jx[i] as number), w * (jy[i] as number)]
          const row = (at + i) * size
          for (let j = 0; j <= i; j++)
            u[row + at + j] = (u[row + at + j] as number) + wx * (jx[j] as number) + wy * (jy[j] as number)
          g[at + i] = (g[at + i] as number) - wx * ex - wy * ey
          for (let j = 0; j < 3; j++)
            n.wPose[k * 18 + j * 6 + i] = wx * (jx[6 + j] as number) + wy * (jy[6 + j] as number)
        }
      for (let l = 0; l < 3; l++) {
        const c1 = n.lensColumn[l] as number
        if (c1 < 0) continue
        const [wx, wy] = [w * (jx[9 + l] as number), w * (jy[9 + l] as number)]
        // The lens's columns come last, so its rows hold the lower half.
        if (at >= 0)
          for (let j = 0; j < broad; j++)
            u[c1 * size + at + j] = (u[c1 * size + at + j] as number) + wx * (jx[j] as number) + wy * (jy[j] as number)
        for (let m = 0; m <= l; m++) {
          const c2 = n.lensColumn[m] as number
          if (c2 >= 0)
            u[c1 * size + c2] = (u[c1 * size + c2] as number) + wx * (jx[9 + m] as number) + wy * (jy[9 + m] as number)
        }
        g[c1] = (g[c1] as number) - wx * ex - wy * ey
        for (let j = 0; j < 3; j++)
          n.wLens[p * 9 + l * 3 + j] =
            (n.wLens[p * 9 + l * 3 + j] as number) + wx * (jx[6 + j] as number) + wy * (jy[6 + j] as number)
      }
      if (!b.freePoints) continue
      for (let i = 0, q = 0; i < 3; i++) {
        const [wx, wy] = [w * (jx[6 + i] as number), w * (jy[6 + i] as number)]
        for (let j = 0; j <= i; j++, q++)
          v[p * 6 + q] = (v[p * 6 + q] as number) + wx * (jx[6 + j] as number) + wy * (jy[6 + j] as number)
        h[p * 3 + i] = (h[p * 3 + i] as number) - wx * ex - wy * ey
      }
    }
}

/** Inverse of a damped symmetric 3 x 3 (its lower half in six numbers) into nine; false where it has none. */
function inverse3(v: Float64Array, at: number, damp: number, out: Float64Array): boolean {
  // A far point's distance changes nothing that is seen: a little stiffness keeps it.
  const least = 1e-9 * ((v[at] as number) + (v[at + 2] as number) + (v[at + 5] as number))
  const a = (v[at] as number) * (1 + damp) + least
  const b = v[at + 1] as number
  const d = (v[at + 2] as number) * (1 + damp) + least
  const c = v[at + 3] as number
  const e = v[at + 4] as number
  const f = (v[at + 5] as number) * (1 + damp) + least
  const det = a * (d * f - e * e) - b * (b * f - e * c) + c * (b * e - d * c)
  if (!(det > 0)) return false
  const i = 1 / det
  out[0] = (d * f - e * e) * i
  out[1] = (c * e - b * f) * i
  out[2] = (b * e - c * d) * i
  out[3] = out[1] as number
  out[4] = (a * f - c * c) * i
  out[5] = (b * c - a * e) * i
  out[6] = out[2] as number
  out[7] = out[5] as number
  out[8] = (a * d - b * b) * i
  return true
}

/** Takes from the poses' part of s what the points explain: block (k, m) loses y_k w_m for every point that frames k and m both see, m not after k. The kernel schurRows is this, faster. */
export function schurPlain(
  n: Pick<Normal, 'size' | 'columnOf' | 'firstOf' | 'wPose'>,
  y: Float64Array,
  broad: number,
  s: Float64Array,
): void {
  const { size, wPose, columnOf, firstOf } = n
  for (let k = 0; k < columnOf.length; k++) {
    const ck = columnOf[k] as number
    if (ck < 0) continue
    // A point is seen once a frame, and its frames rise, so only the lower half is met.
    for (let m = firstOf[k] as number; m <= k; m++) {
      const cm = columnOf[m] as number
      if (cm < 0) continue
      const o = m * 18
      for (let i = 0; i < broad; i++) {
        const [y0, y1, y2] = [
          y[k * 18 + i * 3] as number,
          y[k * 18 + i * 3 + 1] as number,
          y[k * 18 + i * 3 + 2] as number,
        ]
        const row = (ck + i) * size + cm
        for (let j = 0; j < broad; j++)
          s[row + j] =
            (s[row + j] as number) -
            (y0 * (wPose[o + j] as number) + y1 * (wPose[o + 6 + j] as number) + y2 * (wPose[o + 12 + j] as number))
      }
    }
  }
}

/** Observations frame by frame: frames + 1 starts, then the observations. */
export function framesList(frame: Int32Array, frames: number): Int32Array {
  const list = new Int32Array(frames + 1 + frame.length)
  for (const f of frame) list[f + 1] = (list[f + 1] as number) + 1
  for (let f = 0; f < frames; f++) list[f + 1] = (list[f + 1] as number) + (list[f] as number)
  const next = list.slice(0, frames)
  for (let k = 0; k < frame.length; k++) {
    const f = frame[k] as number
    list[frames + 1 + (next[f] as number)] = k
    next[f] = (next[f] as number) + 1
  }
  return list
}

/** s and its right side reduced by the points and solved, in place of big; false where s is not positive. */
function solveReduced(
  b: Bundle,
  n: Normal,
  y: Float64Array,
  broad: number,
  s: Float64Array,
  big: Float64Array,
): boolean {
  const { size, columnOf, firstOf } = n
  const { crew } = b
  if (size === 0) return true
  if (!crew) {
    if (b.freePoints) schurPlain(n, y, broad, s)
    return solveCholesky(s, big, size)
  }
  const mark = crew.heap.mark()
  try {
    const frames = b.poses.length / 12
    const doubles = (values: Float64Array): number => {
      const at = crew.heap.alloc(values.byteLength)
      crew.heap.f64(at, values.length).set(values)
      return at
    }
    const ints = (values: Int32Array): number => {
      const at = crew.heap.alloc(values.byteLength)
      crew.heap.i32(at, values.length).set(values)
      return at
    }
    const [sAt, bigAt, done] = [doubles(s), doubles(big), crew.heap.alloc(8)]
    if (b.freePoints)
      crew.run(
        'schurRows',
        [
          doubles(y),
          doubles(n.wPose),
          ints(columnOf),
          ints(firstOf),
          ints(framesList(b.frame, frames)),
          frames,
          sAt,
          size,
          broad,
        ],
        frames,
      )
    crew.run('solvePositive', [sAt, bigAt, size, done], 1)
    big.set(crew.heap.f64(bigAt, size))
    return crew.heap.f64(done, 1)[0] === 1
  } finally {
    crew.heap.release(mark)
  }
}

/** Solves the damped normal equations; the step of poses and lens, and of the points. Undefined where the damping is too weak for them. */
function step(b: Bundle, n: Normal, damp: number): { big: Float64Array; small: Float64Array } | undefined {
  const { size } = n
  const s = n.u.slice()
  const big = n.g.slice()
  for (let i = 0; i < size; i++) s[i * size + i] = (s[i * size + i] as number) * (1 + damp) + 1e-12
  const points = b.start.length - 1
  const small = new Float64Array(points * 3)
  const inverses = new Float64Array(points * 9)
  const inv = new Float64Array(9)
  const y = new Float64Array(b.frame.length * 18)
  const broad = n.breadth.reduce((most, one) => Math.max(most, one), 0)
  if (b.freePoints)
    for (let p = 0; p < points; p++) {
      if (!inverse3(n.v, p * 6, damp, inv)) continue
      inverses.set(inv, p * 9)
      const [h0, h1, h2] = [n.h[p * 3] as number, n.h[p * 3 + 1] as number, n.h[p * 3 + 2] as number]
      for (let k = b.start[p] as number; k < (b.start[p + 1] as number); k++) {
        const ck = n.columnOf[k] as number
        if (ck < 0) continue
        for (let i = 0; i < broad; i++) {
          const o = k * 18 + i
          const [w0, w1, w2] = [n.wPose[o] as number, n.wPose[o + 6] as number, n.wPose[o + 12] as number]
          const q = k * 18 + i * 3
          for (let j = 0; j < 3; j++)
            y[q + j] = w0 * (inv[j] as number) + w1 * (inv[3 + j] as number) + w2 * (inv[6 + j] as number)
          big[ck + i] =
            (big[ck + i] as number) - ((y[q] as number) * h0 + (y[q + 1] as number) * h1 + (y[q + 2] as number) * h2)
        }
        for (let l = 0; l < 3; l++) {
          const c = n.lensColumn[l] as number
          if (c < 0) continue
          const o = p * 9 + l * 3
          const q = k * 18
          for (let i = 0; i < broad; i++)
            s[c * size + ck + i] =
              (s[c * size + ck + i] as number) -
              ((y[q + i * 3] as number) * (n.wLens[o] as number) +
                (y[q + i * 3 + 1] as number) * (n.wLens[o + 1] as number) +
                (y[q + i * 3 + 2] as number) * (n.wLens[o + 2] as number))
        }
      }
      for (let l = 0; l < 3; l++) {
        const c = n.lensColumn[l] as number
        if (c < 0) continue
        const o = p * 9 + l * 3
        const yl = [0, 1, 2].map(
          (j) =>
            (n.wLens[o] as number) * (inv[j] as number) +
            (n.wLens[o + 1] as number) * (inv[3 + j] as number) +
            (n.wLens[o + 2] as number) * (inv[6 + j] as number),
        )
        big[c] = (big[c] as number) - ((yl[0] as number) * h0 + (yl[1] as number) * h1 + (yl[2] as number) * h2)
        for (let m = 0; m <= l; m++) {
          const d = n.lensColumn[m] as number
          if (d >= 0)
            s[c * size + d] =
              (s[c * size + d] as number) -
              ((yl[0] as number) * (n.wLens[p * 9 + m * 3] as number) +
                (yl[1] as number) * (n.wLens[p * 9 + m * 3 + 1] as number) +
                (yl[2] as number) * (n.wLens[p * 9 + m * 3 + 2] as number))
        }
      }
    }
  if (!solveReduced(b, n, y, broad, s, big)) return undefined
  if (b.freePoints)
    for (let p = 0; p < points; p++) {
      const right = [n.h[p * 3] as number, n.h[p * 3 + 1] as number, n.h[p * 3 + 2] as number]
      for (let k = b.start[p] as number; k < (b.start[p + 1] as number); k++) {
        const ck = n.columnOf[k] as number
        if (ck < 0) continue
        for (let i = 0; i < broad; i++)
          for (let j = 0; j < 3; j++)
            right[j] = (right[j] as number) - (n.wPose[k * 18 + j * 6 + i] as number) * (big[ck + i] as number)
      }
      for (let l = 0; l < 3; l++) {
        const c = n.lensColumn[l] as number
        if (c >= 0)
          for (let j = 0; j < 3; j++)
            right[j] = (right[j] as number) - (n.wLens[p * 9 + l * 3 + j] as number) * (big[c] as number)
      }
      for (let i = 0; i < 3; i++)
        small[p * 3 + i] =
          (inverses[p * 9 + i * 3] as number) * (right[0] as number) +
          (inverses[p * 9 + i * 3 + 1] as number) * (right[1] as number) +
          (inverses[p * 9 + i * 3 + 2] as number) * (right[2] as number)
    }
  return { big, small }
}

const FIRST_DAMPING = 1e-3
const MOST_DAMPING = 1e8
const SETTLED = 1e-7

/** Betters poses, points and lens in place until the loss no longer falls, at most `most` steps. `stop` is asked before each step. */
export function adjustBundle(b: Bundle, most: number, stop: () => void = () => undefined): BundleResult {
  const n = newNormal(b)
  let cost = bundleCost(b)
  let damp = FIRST_DAMPING
  let steps = 0
  let converged = false
  while (steps < most && !converged) {
    stop()
    linearise(b, n)
    steps++
    for (;;) {
      const found = step(b, n, damp)
      if (found) {
        const poses = b.poses.slice()
        for (const [frame, at] of n.column.entries())
          if (at >= 0) movePose(b.poses, poses, frame, found.big, at, n.breadth[frame] === 6)
        const lens = b.lens.map((value, l) =>
          (n.lensColumn[l] as number) >= 0 ? value + (found.big[n.lensColumn[l] as number] as number) : value,
        )
        const points = b.freePoints ? b.points.map((value, k) => value + (found.small[k] as number)) : b.points
        const next = (lens[0] as number) > 0 ? bundleCost(b, poses, points, lens) : Infinity
        if (next < cost) {
          converged = cost - next < SETTLED * cost
          b.poses.set(poses)
          b.lens.set(lens)
          if (b.freePoints) b.points.set(points)
          cost = next
          damp = Math.max(1e-9, damp / 5)
          break
        }
      }
      damp *= 4
      if (damp > MOST_DAMPING) {
        converged = true
        break
      }
    }
  }
  return { cost, steps, converged }
}
