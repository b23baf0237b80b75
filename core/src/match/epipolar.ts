import { random } from '../base/index.ts'
import { realRoots, reduceRows, svd3, symmetricEigen, type Vec3 } from '../math/index.ts'

// Two views of still points. Here and in the solve: x right, y down, z forward; a view takes a world point X to R X + t; a matrix is nine numbers in rows.
// Places in a view are straight and normalised: x / z, y / z.

/** Pairs of places: x, y in the first view, x, y in the second, four numbers a pair. */
export type Pairs = Float64Array

export interface RelativePose {
  rotation: Float64Array
  /** Of length 1. */
  translation: Vec3
  /** Which pairs agree. */
  inliers: Uint8Array
  count: number
}

// Monomials in x, y, z up to the third degree, in the order of Nistér's table: exponents of x, y, z.
const MONOMIALS: readonly (readonly [number, number, number])[] = [
  [3, 0, 0],
  [0, 3, 0],
  [2, 1, 0],
  [1, 2, 0],
  [2, 0, 1],
  [2, 0, 0],
  [0, 2, 1],
  [0, 2, 0],
  [1, 1, 1],
  [1, 1, 0],
  [1, 0, 2],
  [1, 0, 1],
  [1, 0, 0],
  [0, 1, 2],
  [0, 1, 1],
  [0, 1, 0],
  [0, 0, 3],
  [0, 0, 2],
  [0, 0, 1],
  [0, 0, 0],
]
const AT = new Int32Array(64).fill(-1)
for (const [n, [x, y, z]] of MONOMIALS.entries()) AT[x * 16 + y * 4 + z] = n
const X = AT[16] as number
const Y = AT[4] as number
const Z = AT[1] as number
const ONE = AT[0] as number
const CODES = Int32Array.from(MONOMIALS, ([x, y, z]) => x * 16 + y * 4 + z)

/** Adds scale x a x b to out; products beyond the third degree must not occur. */
function addProduct(out: Float64Array, a: Float64Array, b: Float64Array, scale: number): void {
  for (let i = 0; i < 20; i++) {
    const ai = a[i] as number
    if (ai === 0) continue
    for (let j = 0; j < 20; j++) {
      const bj = b[j] as number
      if (bj === 0) continue
      const k = AT[(CODES[i] as number) + (CODES[j] as number)] as number
      out[k] = (out[k] as number) + scale * ai * bj
    }
  }
}

/**
 * Essential matrices through five pairs of places (up to ten, nine numbers each): Nistér 2004, "An efficient solution to the five-point relative pose problem".
 * pairs: 20 numbers. Empty when the five are degenerate.
 */
export function fivePoint(pairs: Pairs): Float64Array[] {
  const ata = new Float64Array(81)
  for (let n = 0; n < 5; n++) {
    const [x, y, u, v] = [pairs[n * 4], pairs[n * 4 + 1], pairs[n * 4 + 2], pairs[n * 4 + 3]] as [
      number,
      number,
      number,
      number,
    ]
    const row = [u * x, u * y, u, v * x, v * y, v, x, y, 1]
    for (let i = 0; i < 9; i++)
      for (let j = 0; j < 9; j++) ata[i * 9 + j] = (ata[i * 9 + j] as number) + (row[i] as number) * (row[j] as number)
  }
  const { vectors } = symmetricEigen(ata, 9)
  const basis = (k: number, c: number): number => vectors[k * 9 + c] as number
  // E = x X + y Y + z Z + W, each entry a polynomial of the first degree.
  const e = Array.from({ length: 9 }, (_, c) => {
    const p = new Float64Array(20)
    p[X] = basis(0, c)
    p[Y] = basis(1, c)
    p[Z] = basis(2, c)
    p[ONE] = basis(3, c)
    return p
  })
  const at = (i: number, j: number): Float64Array => e[i * 3 + j] as Float64Array
  const rows = new Float64Array(200)
  // det E = 0.
  const first = rows.subarray(0, 20)
  for (const [i, j, sign] of [
    [1, 2, 1],
    [2, 0, 1],
    [0, 1, 1],
  ] as const) {
    const minor = new Float64Array(20)
    addProduct(minor, at(1, i), at(2, j), sign)
    addProduct(minor, at(1, j), at(2, i), -sign)
    addProduct(first, at(0, 3 - i - j), minor, 1)
  }
  // 2 E E^T E - tr(E E^T) E = 0.
  const eet = Array.from({ length: 9 }, (_, n) => {
    const p = new Float64Array(20)
    for (let k = 0; k < 3; k++) addProduct(p, at(Math.floor(n / 3), k), at(n % 3, k), 1)
    return p
  })
  const half = new Float64Array(20)
  for (let k = 0; k < 20; k++) half[k] = 0.5 * ((eet[0]?.[k] ?? 0) + (eet[4]?.[k] ?? 0) + (eet[8]?.[k] ?? 0))
  for (const d of [0, 4, 8])
    for (let k = 0; k < 20; k++) (eet[d] as Float64Array)[k] = (eet[d]?.[k] ?? 0) - (half[k] as number)
  for (let n = 0; n < 9; n++) {
    const row = rows.subarray(20 * (n + 1), 20 * (n + 2))
    for (let k = 0; k < 3; k++) addProduct(row, eet[Math.floor(n / 3) * 3 + k] as Float64Array, at(k, n % 3), 1)
  }
  if (!reduceRows(rows, 10, 20)) return []
  const b = tailPolynomials(rows)
  const out: Float64Array[] = []
  for (const z of realRoots(determinant(b))) {
    const m = b.map((p) => p.map((q) => evaluate(q, z)))
    const xy = firstTwo(m as [number, number, number][])
    if (!xy) continue
    const [x, y] = xy
    out.push(
      Float64Array.from({ length: 9 }, (_, c) => x * basis(0, c) + y * basis(1, c) + z * basis(2, c) + basis(3, c)),
    )
  }
  return out
}

/** From the reduced rows with leading x2z, x2 | y2z, y2 | xyz, xy: three equations in x, y and 1 with polynomials in z (rising powers). */
function tailPolynomials(rows: Float64Array): number[][][] {
  const c = (row: number, n: number): number => rows[row * 20 + n] as number
  return [
    [4, 5],
    [6, 7],
    [8, 9],
  ].map(([p, q]) => {
    const [a, b] = [p as number, q as number]
    // Row a minus z times row b; columns 10 on: xz2 xz x yz2 yz y z3 z2 z 1.
    const part = (from: number, count: number): number[] => {
      const out = new Array<number>(count + 1).fill(0)
      for (let k = 0; k < count; k++) {
        out[k] = (out[k] as number) + c(a, from + count - 1 - k)
        out[k + 1] = (out[k + 1] as number) - c(b, from + count - 1 - k)
      }
      return out
    }
    return [part(10, 3), part(13, 3), part(16, 4)]
  })
}
const evaluate = (p: readonly number[], z: number): number => p.reduceRight((sum, x) => sum * z + x, 0)
const times = (a: readonly number[], b: readonly number[]): number[] => {
  const out = new Array<number>(a.length + b.length - 1).fill(0)
  for (const [i, x] of a.entries()) for (const [j, y] of b.entries()) out[i + j] = (out[i + j] as number) + x * y
  return out
}
const plus = (a: readonly number[], b: readonly number[], s = 1): number[] =>
  Array.from({ length: Math.max(a.length, b.length) }, (_, k) => (a[k] ?? 0) + s * (b[k] ?? 0))
function determinant(b: readonly number[][][]): number[] {
  const at = (i: number, j: number): number[] => b[i]?.[j] as number[]
  const minor = (i: number, j: number): number[] => plus(times(at(1, i), at(2, j)), times(at(1, j), at(2, i)), -1)
  return plus(plus(times(at(0, 0), minor(1, 2)), times(at(0, 1), minor(0, 2)), -1), times(at(0, 2), minor(0, 1)))
}

/** x and y of the vector (x, y, 1) that the three rows send to nothing: the cross product of the two rows furthest from parallel. */
function firstTwo(m: readonly [number, number, number][]): [number, number] | undefined {
  let best: [number, number, number] | undefined
  let size = 0
  for (const [i, j] of [
    [0, 1],
    [0, 2],
    [1, 2],
  ] as const) {
    const [a, b] = [m[i], m[j]] as [[number, number, number], [number, number, number]]
    const n: [number, number, number] = [
      a[1] * b[2] - a[2] * b[1],
      a[2] * b[0] - a[0] * b[2],
      a[0] * b[1] - a[1] * b[0],
    ]
    const s = n[0] * n[0] + n[1] * n[1] + n[2] * n[2]
    if (s > size) {
      size = s
      best = n
    }
  }
  return best && Math.abs(best[2]) > 1e-14 * Math.sqrt(size) ? [best[0] / best[2], best[1] / best[2]] : undefined
}

/** Square of Sampson's distance of a pair from an essential matrix: to first order, how far the places would have to move to agree. */
export function sampson(e: Float64Array, x: number, y: number, u: number, v: number): number {
  const [a, b, c, d, f, g, h, i, j] = e as unknown as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ]
  const px = a * x + b * y + c
  const py = d * x + f * y + g
  const pw = h * x + i * y + j
  const qx = a * u + d * v + h
  const qy = b * u + f * v + i
  const r = u * px + v * py + pw
  const down = px * px + py * py + qx * qx + qy * qy
  return down > 0 ? (r * r) / down : Infinity
}

/** The four poses of an essential matrix; the second view is at R X + t. */
function posesOf(e: Float64Array): { rotation: Float64Array; translation: Vec3 }[] {
  const { u, v } = svd3(e)
  const turned = (sign: number): Float64Array => {
    // U W V^T with W a quarter turn about the third axis.
    const w = [0, -sign, 0, sign, 0, 0, 0, 0, 1]
    const r = new Float64Array(9)
    for (let i = 0; i < 3; i++)
      for (let j = 0; j < 3; j++)
        for (let k = 0; k < 3; k++)
          for (let l = 0; l < 3; l++)
            r[i * 3 + j] =
              (r[i * 3 + j] as number) + (u[i * 3 + k] as number) * (w[k * 3 + l] as number) * (v[j * 3 + l] as number)
    const [a, b, c, d, f, g, h, i, j] = r as unknown as [
      number,
      number,
      number,
      number,
      number,
      number,
      number,
      number,
      number,
    ]
    const det = a * (f * j - g * i) - b * (d * j - g * h) + c * (d * i - f * h)
    return det < 0 ? r.map((x) => -x) : r
  }
  const t: Vec3 = [u[2] as number, u[5] as number, u[8] as number]
  const back: Vec3 = [-t[0], -t[1], -t[2]]
  return [1, -1].flatMap((sign) => {
    const rotation = turned(sign)
    return [
      { rotation, translation: t },
      { rotation, translation: back },
    ]
  })
}

/** Depths of a pair's point before both views, from the nearest approach of the two rays; NaN where they are parallel. */
export function depthsOf(
  rotation: ArrayLike<number>,
  t: Vec3,
  x: number,
  y: number,
  u: number,
  v: number,
): [number, number] {
  const r = rotation as ArrayLike<number>
  const ax = (r[0] as number) * x + (r[1] as number) * y + (r[2] as number)
  const ay = (r[3] as number) * x + (r[4] as number) * y + (r[5] as number)
  const az = (r[6] as number) * x + (r[7] as number) * y + (r[8] as number)
  // s a + t = q b, b = (u, v, 1).
  const aa = ax * ax + ay * ay + az * az
  const ab = ax * u + ay * v + az
  const bb = u * u + v * v + 1
  const at = ax * t[0] + ay * t[1] + az * t[2]
  const bt = u * t[0] + v * t[1] + t[2]
  const det = aa * bb - ab * ab
  if (!(det > 1e-14 * aa * bb)) return [Number.NaN, Number.NaN]
  const s = (ab * bt - bb * at) / det
  return [s, (s * ab + bt) / bb]
}

const TRIES = 400

/**
 * The pose of a second view relative to a first from pairs of places, of which some may be wrong: random samples of five (Fischler & Bolles 1981), scored by truncated
 * Sampson distances (MSAC, Torr & Zisserman 2000). threshold: in normalised units. Undefined with fewer than eight pairs, or where no sample gives a pose that most agree with.
 */
export function relativePose(pairs: Pairs, threshold: number, seed: number, tries = TRIES): RelativePose | undefined {
  const total = pairs.length / 4
  if (total < 8) return undefined
  const stream = random(seed)
  const limit = threshold * threshold
  let bestCost = Infinity
  let best: Float64Array | undefined
  let needed = tries
  const five = new Float64Array(20)
  for (let n = 0; n < needed; n++) {
    const picked: number[] = []
    while (picked.length < 5) {
      const k = Math.floor(stream.next() * total)
      if (!picked.includes(k)) picked.push(k)
    }
    for (const [k, from] of picked.entries()) five.set(pairs.subarray(from * 4, from * 4 + 4), k * 4)
    for (const e of fivePoint(five)) {
      let cost = 0
      let agree = 0
      for (let k = 0; k < pairs.length && cost < bestCost; k += 4) {
        const d = sampson(e, pairs[k] as number, pairs[k + 1] as number, pairs[k + 2] as number, pairs[k + 3] as number)
        if (d < limit) agree++
        cost += Math.min(1, d / limit)
      }
      if (cost >= bestCost) continue
      bestCost = cost
      best = e
      // As many more tries as leave one chance in a thousand that no clean sample was met: (1 - w^5)^n < 0.001, by repeated halving of what is left.
      const w = agree / total
      const clean = w * w * w * w * w
      let left = 1
      let asked = 0
      while (left > 0.001 && asked < tries) {
        left *= 1 - clean
        asked++
      }
      needed = Math.min(tries, Math.max(30, asked))
    }
  }
  return best ? bestPose(best, pairs, limit) : undefined
}

/** Of an essential matrix's four poses the one that puts most agreeing pairs before both views. */
function bestPose(e: Float64Array, pairs: Pairs, limit: number): RelativePose | undefined {
  const total = pairs.length / 4
  let found: RelativePose | undefined
  for (const { rotation, translation } of posesOf(e)) {
    const inliers = new Uint8Array(total)
    let count = 0
    for (let n = 0; n < total; n++) {
      const [x, y, u, v] = pairs.subarray(n * 4, n * 4 + 4) as unknown as [number, number, number, number]
      if (sampson(e, x, y, u, v) >= limit) continue
      const [a, b] = depthsOf(rotation, translation, x, y, u, v)
      if (a > 0 && b > 0) {
        inliers[n] = 1
        count++
      }
    }
    if (!found || count > found.count) found = { rotation, translation, inliers, count }
  }
  return found && found.count >= 8 ? found : undefined
}
