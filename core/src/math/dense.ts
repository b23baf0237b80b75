// Small dense linear algebra on row-major Float64Arrays. Sizes are a few to a few hundred; nothing here is blocked or threaded.

/**
 * Solves A x = b for a symmetric positive definite A of n rows (row-major, only its lower half is read), both overwritten: A by its Cholesky factor, b by x.
 * Returns false, leaving b meaningless, when A is not positive definite (Golub & Van Loan 2013, 4.2).
 */
export function solveCholesky(a: Float64Array, b: Float64Array, n: number): boolean {
  for (let j = 0; j < n; j++) {
    const row = j * n
    for (let i = j; i < n; i++) {
      const other = i * n
      let sum = a[other + j] as number
      for (let k = 0; k < j; k++) sum -= (a[other + k] as number) * (a[row + k] as number)
      if (i === j) {
        if (!(sum > 0)) return false
        a[row + j] = Math.sqrt(sum)
      } else a[other + j] = sum / (a[row + j] as number)
    }
  }
  for (let i = 0; i < n; i++) {
    let sum = b[i] as number
    for (let k = 0; k < i; k++) sum -= (a[i * n + k] as number) * (b[k] as number)
    b[i] = sum / (a[i * n + i] as number)
  }
  for (let i = n - 1; i >= 0; i--) {
    let sum = b[i] as number
    for (let k = i + 1; k < n; k++) sum -= (a[k * n + i] as number) * (b[k] as number)
    b[i] = sum / (a[i * n + i] as number)
  }
  return true
}

const MOST_SWEEPS = 60

/**
 * Eigenvalues (ascending) and unit eigenvectors of a symmetric n x n matrix, which is overwritten: Jacobi's rotations (Golub & Van Loan 2013, 8.5).
 * vectors: row k is the vector of value k.
 */
export function symmetricEigen(a: Float64Array, n: number): { values: Float64Array; vectors: Float64Array } {
  const v = new Float64Array(n * n)
  for (let i = 0; i < n; i++) v[i * n + i] = 1
  for (let sweep = 0; sweep < MOST_SWEEPS; sweep++) {
    let off = 0
    let all = 0
    for (let i = 0; i < n; i++)
      for (let j = 0; j < n; j++) {
        const x = a[i * n + j] as number
        all += x * x
        if (i !== j) off += x * x
      }
    if (off <= 1e-30 * all) break
    for (let p = 0; p < n; p++)
      for (let q = p + 1; q < n; q++) {
        const apq = a[p * n + q] as number
        if (apq === 0) continue
        const theta = ((a[q * n + q] as number) - (a[p * n + p] as number)) / (2 * apq)
        const t = (theta < 0 ? -1 : 1) / (Math.abs(theta) + Math.sqrt(theta * theta + 1))
        const c = 1 / Math.sqrt(t * t + 1)
        const s = t * c
        for (let k = 0; k < n; k++) {
          const kp = a[k * n + p] as number
          const kq = a[k * n + q] as number
          a[k * n + p] = c * kp - s * kq
          a[k * n + q] = s * kp + c * kq
        }
        for (let k = 0; k < n; k++) {
          const pk = a[p * n + k] as number
          const qk = a[q * n + k] as number
          a[p * n + k] = c * pk - s * qk
          a[q * n + k] = s * pk + c * qk
          const vp = v[p * n + k] as number
          const vq = v[q * n + k] as number
          v[p * n + k] = c * vp - s * vq
          v[q * n + k] = s * vp + c * vq
        }
      }
  }
  const order = Array.from({ length: n }, (_, k) => k).sort(
    (i, j) => (a[i * n + i] as number) - (a[j * n + j] as number),
  )
  const values = Float64Array.from(order, (k) => a[k * n + k] as number)
  const vectors = new Float64Array(n * n)
  for (const [to, from] of order.entries()) vectors.set(v.subarray(from * n, from * n + n), to * n)
  return { values, vectors }
}

/** Gauss–Jordan elimination with partial pivoting of an m x n matrix (m <= n), in place, to [I | X]. Returns false when it is singular. */
export function reduceRows(a: Float64Array, m: number, n: number): boolean {
  for (let c = 0; c < m; c++) {
    let pivot = c
    for (let r = c + 1; r < m; r++)
      if (Math.abs(a[r * n + c] as number) > Math.abs(a[pivot * n + c] as number)) pivot = r
    const big = a[pivot * n + c] as number
    if (Math.abs(big) < 1e-14) return false
    if (pivot !== c)
      for (let k = 0; k < n; k++) {
        const keep = a[c * n + k] as number
        a[c * n + k] = a[pivot * n + k] as number
        a[pivot * n + k] = keep
      }
    for (let k = c; k < n; k++) a[c * n + k] = (a[c * n + k] as number) / big
    for (let r = 0; r < m; r++) {
      const f = a[r * n + c] as number
      if (r === c || f === 0) continue
      for (let k = c; k < n; k++) a[r * n + k] = (a[r * n + k] as number) - f * (a[c * n + k] as number)
    }
  }
  return true
}

/** The two 3 x 3 orthogonal matrices and three values (descending, not negative) of A = U diag(s) V^T, all row-major; U and V are turns or mirrors as they come. */
export function svd3(a: ArrayLike<number>): { u: Float64Array; s: Float64Array; v: Float64Array } {
  const ata = new Float64Array(9)
  for (let i = 0; i < 3; i++)
    for (let j = 0; j < 3; j++)
      for (let k = 0; k < 3; k++)
        ata[i * 3 + j] = (ata[i * 3 + j] as number) + (a[k * 3 + i] as number) * (a[k * 3 + j] as number)
  const { vectors } = symmetricEigen(ata, 3)
  const v = new Float64Array(9)
  const u = new Float64Array(9)
  const s = new Float64Array(3)
  const columns: [number, number, number][] = []
  for (let k = 0; k < 3; k++) {
    const w = [0, 1, 2].map((c) => vectors[(2 - k) * 3 + c] as number) as [number, number, number]
    for (let r = 0; r < 3; r++) v[r * 3 + k] = w[r] as number
    const image: [number, number, number] = [0, 1, 2].map(
      (r) => (a[r * 3] as number) * w[0] + (a[r * 3 + 1] as number) * w[1] + (a[r * 3 + 2] as number) * w[2],
    ) as [number, number, number]
    // What is left after the columns before: so that a small value's direction is still at right angles.
    for (const before of columns) {
      const d = image[0] * before[0] + image[1] * before[1] + image[2] * before[2]
      for (let r = 0; r < 3; r++) image[r] = (image[r] as number) - d * (before[r] as number)
    }
    const size = Math.sqrt(image[0] * image[0] + image[1] * image[1] + image[2] * image[2])
    s[k] = size
    columns.push(
      size > 1e-12 * (s[0] as number) ? [image[0] / size, image[1] / size, image[2] / size] : atRightAngles(columns),
    )
    for (let r = 0; r < 3; r++) u[r * 3 + k] = columns[k]?.[r] as number
  }
  return { u, s, v }
}

/** A unit vector at right angles to one or two unit vectors that are so to one another. */
function atRightAngles(columns: readonly (readonly [number, number, number])[]): [number, number, number] {
  const [a, b] = columns
  if (a && b) return [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
  if (!a) return [1, 0, 0]
  const axis: [number, number, number] = Math.abs(a[0]) < 0.6 ? [1, 0, 0] : [0, 1, 0]
  const d = axis[0] * a[0] + axis[1] * a[1]
  const out: [number, number, number] = [axis[0] - d * a[0], axis[1] - d * a[1], axis[2] - d * a[2]]
  const size = Math.sqrt(out[0] * out[0] + out[1] * out[1] + out[2] * out[2])
  return [out[0] / size, out[1] / size, out[2] / size]
}

/**
 * The real roots of a polynomial, c[0] + c[1] x + … , ascending: Sturm's chain counts them in intervals that are halved until each holds one, then bisection with Newton's steps.
 * Roots of even multiplicity may be missed.
 */
export function realRoots(c: ArrayLike<number>): number[] {
  let degree = c.length - 1
  let most = 0
  for (let k = 0; k < c.length; k++) most = Math.max(most, Math.abs(c[k] as number))
  while (degree > 0 && Math.abs(c[degree] as number) <= 1e-14 * most) degree--
  if (degree < 1 || most === 0) return []
  const p = Array.from({ length: degree + 1 }, (_, k) => (c[k] as number) / most)
  const value = (q: readonly number[], x: number): number => {
    let sum = 0
    for (let k = q.length - 1; k >= 0; k--) sum = sum * x + (q[k] as number)
    return sum
  }
  const slope = p.slice(1).map((x, k) => x * (k + 1))
  const chain: number[][] = [p, slope]
  for (;;) {
    const [a, b] = [chain[chain.length - 2] as number[], chain[chain.length - 1] as number[]]
    if (b.length <= 1) break
    const rest = [...a]
    for (let k = rest.length - 1; k >= b.length - 1; k--) {
      const f = (rest[k] as number) / (b[b.length - 1] as number)
      for (let i = 0; i < b.length; i++)
        rest[k - b.length + 1 + i] = (rest[k - b.length + 1 + i] as number) - f * (b[i] as number)
      rest.pop()
    }
    const size = Math.max(...rest.map(Math.abs))
    if (!(size > 1e-13)) break
    while (rest.length > 1 && Math.abs(rest[rest.length - 1] as number) < 1e-13 * size) rest.pop()
    chain.push(rest.map((x) => -x / size))
  }
  const changes = (x: number): number => {
    let count = 0
    let before = 0
    for (const q of chain) {
      const v = value(q, x)
      if (v === 0) continue
      if (before !== 0 && v > 0 !== before > 0) count++
      before = v
    }
    return count
  }
  // All roots lie within Cauchy's bound.
  const bound = 1 + Math.max(...p.slice(0, -1).map((x) => Math.abs(x / (p[degree] as number))))
  const roots: number[] = []
  const search = (lo: number, hi: number, atLo: number, atHi: number, depth: number): void => {
    const inside = atLo - atHi
    if (inside <= 0) return
    const middle = (lo + hi) / 2
    if (inside > 1 && depth < 80) {
      const there = changes(middle)
      search(lo, middle, atLo, there, depth + 1)
      search(middle, hi, there, atHi, depth + 1)
      return
    }
    roots.push(refine(p, slope, lo, hi, value))
  }
  search(-bound, bound, changes(-bound), changes(bound), 0)
  return roots
}

/** The root that a sign change in [lo, hi] holds. */
function refine(
  p: readonly number[],
  slope: readonly number[],
  lo: number,
  hi: number,
  value: (q: readonly number[], x: number) => number,
): number {
  const rising = value(p, hi) > 0
  let x = (lo + hi) / 2
  for (let n = 0; n < 200; n++) {
    const v = value(p, x)
    if (v === 0) return x
    if (v > 0 === rising) hi = x
    else lo = x
    const next = x - v / value(slope, x)
    const take = next > lo && next < hi ? next : (lo + hi) / 2
    if (Math.abs(take - x) <= 1e-15 * (1 + Math.abs(x))) return take
    x = take
  }
  return x
}
