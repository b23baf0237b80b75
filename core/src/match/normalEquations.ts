import { solveCholesky } from '../math/index.ts'
import { type Bundle, LEAST_DEPTH } from './bundleCost.ts'

// The normal equations of a bundle, its points eliminated by the Schur complement.

/** What one linearisation holds: normal equations with the points kept apart. */
export interface Normal {
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

export function newNormal(b: Bundle): Normal {
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

/** Residual, its weight under Huber's loss, and the two rows of the Jacobian of one observation: turn, shift, point, lens. */
interface Linear {
  jx: Float64Array
  jy: Float64Array
  ex: number
  ey: number
  w: number
}

/** Derivatives of where point p lands in observation k; false when it is not before the view. */
function differentiate(b: Bundle, p: number, k: number, out: Linear): boolean {
  const { jx, jy } = out
  const [f, k1, k2] = [b.lens[0] as number, b.lens[1] as number, b.lens[2] as number]
  const o = (b.frame[k] as number) * 12
  const [X, Y, Z] = [b.points[p * 3] as number, b.points[p * 3 + 1] as number, b.points[p * 3 + 2] as number]
  const r = b.poses
  const ax = (r[o] as number) * X + (r[o + 1] as number) * Y + (r[o + 2] as number) * Z
  const ay = (r[o + 3] as number) * X + (r[o + 4] as number) * Y + (r[o + 5] as number) * Z
  const az = (r[o + 6] as number) * X + (r[o + 7] as number) * Y + (r[o + 8] as number) * Z
  const [x, y, z] = [ax + (r[o + 9] as number), ay + (r[o + 10] as number), az + (r[o + 11] as number)]
  if (!(z > LEAST_DEPTH)) return false
  const iz = 1 / z
  const [a, c] = [x * iz, y * iz]
  const r2 = a * a + c * c
  const s = 1 + r2 * (k1 + r2 * k2)
  const ds = k1 + 2 * k2 * r2
  const ex = f * s * a - (b.place[k * 2] as number)
  const ey = f * s * c - (b.place[k * 2 + 1] as number)
  const e2 = ex * ex + ey * ey
  const weight = b.weight[k] as number
  out.ex = ex
  out.ey = ey
  out.w = e2 <= b.huber * b.huber ? weight : (weight * b.huber) / Math.sqrt(e2)
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
  return true
}

/** Adds one observation to the normal equations. */
function addObservation(b: Bundle, n: Normal, p: number, k: number, { jx, jy, ex, ey, w }: Linear): void {
  const { size, u, g, v, h } = n
  const frame = b.frame[k] as number
  const at = n.column[frame] as number
  const broad = n.breadth[frame] as number
  if (at >= 0)
    for (let i = 0; i < broad; i++) {
      const [wx, wy] = [w * (jx[i] as number), w * (jy[i] as number)]
      const row = (at + i) * size
      for (let j = 0; j <= i; j++)
        u[row + at + j] = (u[row + at + j] as number) + wx * (jx[j] as number) + wy * (jy[j] as number)
      g[at + i] = (g[at + i] as number) - wx * ex - wy * ey
      for (let j = 0; j < 3; j++) n.wPose[k * 18 + j * 6 + i] = wx * (jx[6 + j] as number) + wy * (jy[6 + j] as number)
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
  if (!b.freePoints) return
  for (let i = 0, q = 0; i < 3; i++) {
    const [wx, wy] = [w * (jx[6 + i] as number), w * (jy[6 + i] as number)]
    for (let j = 0; j <= i; j++, q++)
      v[p * 6 + q] = (v[p * 6 + q] as number) + wx * (jx[6 + j] as number) + wy * (jy[6 + j] as number)
    h[p * 3 + i] = (h[p * 3 + i] as number) - wx * ex - wy * ey
  }
}

/** Fills the normal equations about the bundle as it is. */
export function linearise(b: Bundle, n: Normal): void {
  for (const sums of [n.u, n.g, n.v, n.h, n.wPose, n.wLens]) sums.fill(0)
  const linear: Linear = { jx: new Float64Array(12), jy: new Float64Array(12), ex: 0, ey: 0, w: 0 }
  for (let p = 0; p + 1 < b.start.length; p++)
    for (let k = b.start[p] as number; k < (b.start[p + 1] as number); k++)
      if (b.weight[k] !== 0 && differentiate(b, p, k, linear)) addObservation(b, n, p, k, linear)
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
export function step(b: Bundle, n: Normal, damp: number): { big: Float64Array; small: Float64Array } | undefined {
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
