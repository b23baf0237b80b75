import { solveCholesky } from '../math/index.ts'
import type { Bundle } from './bundleCost.ts'
import type { Normal } from './normalEquations.ts'

// A step along the normal equations of a bundle, its points eliminated by the Schur complement; and how surely they fix the lens.

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

/** The normal equations of poses and lens alone: lower half and right side, and per point and observation what gives the points back. */
interface Reduced {
  s: Float64Array
  big: Float64Array
  inverses: Float64Array
  y: Float64Array
  broad: number
}

/** Takes the points out of the damped normal equations; the poses' own block is left to solveReduced. */
function eliminatePoints(b: Bundle, n: Normal, damp: number): Reduced {
  const { size } = n
  const s = n.u.slice()
  const big = n.g.slice()
  for (let i = 0; i < size; i++) s[i * size + i] = (s[i * size + i] as number) * (1 + damp) + 1e-12
  const points = b.start.length - 1
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
  return { s, big, inverses, y, broad }
}

/** Solves the damped normal equations; the step of poses and lens, and of the points. Undefined where the damping is too weak for them. */
export function step(b: Bundle, n: Normal, damp: number): { big: Float64Array; small: Float64Array } | undefined {
  const { s, big, inverses, y, broad } = eliminatePoints(b, n, damp)
  if (!solveReduced(b, n, y, broad, s, big)) return undefined
  const points = b.start.length - 1
  const small = new Float64Array(points * 3)
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

/** Too little to change what is known, enough to hold what is free by itself (the size of the solve's world). */
const FIRM = 1e-9

/**
 * Inverse of the normal equations' block of the free lens terms, poses and points free too: rows of as many numbers as terms are free.
 * It comes from the end of the Cholesky factor, where the lens stands. Undefined where the lens is not fixed at all.
 */
export function lensCovariance(b: Bundle, n: Normal): number[][] | undefined {
  const { s, big, y, broad } = eliminatePoints(b, n, FIRM)
  const { size } = n
  if (b.freePoints) schurPlain(n, y, broad, s)
  if (!solveCholesky(s, big, size)) return undefined
  const terms = n.lensColumn.filter((at) => at >= 0).length
  const l = (i: number, j: number): number => s[(size - terms + i) * size + size - terms + j] as number
  // Columns of the factor's inverse, and of it the product with its own transpose.
  const inverse = Array.from({ length: terms }, (_, c) => {
    const x: number[] = []
    for (let i = 0; i < terms; i++) {
      let sum = i === c ? 1 : 0
      for (let k = 0; k < i; k++) sum -= l(i, k) * (x[k] as number)
      x.push(sum / l(i, i))
    }
    return x
  })
  return inverse.map((a) => inverse.map((c) => a.reduce((sum, v, k) => sum + v * (c[k] as number), 0)))
}
