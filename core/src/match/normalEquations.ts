import { type Bundle, LEAST_DEPTH } from './bundleCost.ts'

// The normal equations of a bundle; normalStep.ts solves them.

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
