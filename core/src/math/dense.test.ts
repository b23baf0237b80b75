import { describe, expect, it } from 'vitest'
import { random } from '../base/index.ts'
import { realRoots, reduceRows, solveCholesky, svd3, symmetricEigen } from './dense.ts'

const stream = random(4)
const matrix = (rows: number, columns: number): Float64Array =>
  Float64Array.from({ length: rows * columns }, () => stream.next() * 2 - 1)
/** A^T A of a square matrix, with a little on its diagonal. */
function definite(n: number): Float64Array {
  const a = matrix(n, n)
  return Float64Array.from({ length: n * n }, (_, at) => {
    let sum = at % (n + 1) === 0 ? 0.1 : 0
    for (let k = 0; k < n; k++) sum += (a[k * n + Math.floor(at / n)] as number) * (a[k * n + (at % n)] as number)
    return sum
  })
}
const times = (a: Float64Array, x: Float64Array, n: number): number[] =>
  Array.from({ length: n }, (_, i) => x.reduce((sum, v, j) => sum + v * (a[i * n + j] as number), 0))

describe('small dense algebra', () => {
  it('solves positive definite systems and refuses others', () => {
    for (const n of [1, 3, 12, 40]) {
      const a = definite(n)
      const b = matrix(n, 1)
      const x = b.slice()
      expect(solveCholesky(a.slice(), x, n)).toBe(true)
      for (const [i, v] of times(a, x, n).entries()) expect(v).toBeCloseTo(b[i] as number, 8)
    }
    expect(solveCholesky(Float64Array.of(1, 2, 2, 1), Float64Array.of(1, 1), 2)).toBe(false)
  })
  it('finds eigenvalues in rising order with orthonormal vectors that belong to them', () => {
    const n = 9
    const a = definite(n)
    const { values, vectors } = symmetricEigen(a.slice(), n)
    for (let k = 0; k < n; k++) {
      const v = vectors.subarray(k * n, k * n + n)
      if (k > 0) expect(values[k]).toBeGreaterThanOrEqual(values[k - 1] as number)
      for (const [i, w] of times(a, v, n).entries()) expect(w).toBeCloseTo((values[k] as number) * (v[i] as number), 9)
      for (let m = 0; m <= k; m++)
        expect(v.reduce((sum, x, i) => sum + x * (vectors[m * n + i] as number), 0)).toBeCloseTo(m === k ? 1 : 0, 9)
    }
  })
  it('reduces rows to the identity, with what that does to the other columns, and tells a singular matrix', () => {
    const a = matrix(4, 6)
    const before = a.slice()
    expect(reduceRows(a, 4, 6)).toBe(true)
    for (let i = 0; i < 4; i++)
      for (let c = 4; c < 6; c++)
        expect(
          [0, 1, 2, 3].reduce((sum, k) => sum + (before[i * 6 + k] as number) * (a[k * 6 + c] as number), 0),
        ).toBeCloseTo(before[i * 6 + c] as number, 9)
    expect(reduceRows(Float64Array.of(1, 2, 3, 2, 4, 6), 2, 3)).toBe(false)
  })
  it('takes a 3 x 3 matrix apart into turns and values, also one of rank two or one', () => {
    const low = Float64Array.from(
      { length: 9 },
      (_, n) => ([1, 2, -1][Math.floor(n / 3)] ?? 0) * ([0.5, -1, 3][n % 3] ?? 0),
    )
    const two = Float64Array.from(low, (v, n) => v + ([2, 0, 1][Math.floor(n / 3)] ?? 0) * ([1, 1, 0.2][n % 3] ?? 0))
    for (const a of [matrix(3, 3), two, low]) {
      const { u, s, v } = svd3(a)
      expect(s[0]).toBeGreaterThanOrEqual(s[1] as number)
      expect(s[1]).toBeGreaterThanOrEqual(s[2] as number)
      for (const m of [u, v])
        for (let i = 0; i < 3; i++)
          for (let j = 0; j < 3; j++)
            expect(
              [0, 1, 2].reduce((sum, k) => sum + (m[k * 3 + i] as number) * (m[k * 3 + j] as number), 0),
            ).toBeCloseTo(i === j ? 1 : 0, 8)
      for (let n = 0; n < 9; n++)
        expect(
          [0, 1, 2].reduce(
            (sum, k) =>
              sum + (u[Math.floor(n / 3) * 3 + k] as number) * (s[k] as number) * (v[(n % 3) * 3 + k] as number),
            0,
          ),
        ).toBeCloseTo(a[n] as number, 7)
    }
  })
  it('finds all real roots of a polynomial and no others', () => {
    // (x - 1)(x + 2)(x - 0.001)(x2 + 1)(x - 30)
    const wanted = [-2, 0.001, 1, 30]
    let p = [1, 0, 1]
    for (const root of wanted) p = Array.from({ length: p.length + 1 }, (_, k) => (p[k - 1] ?? 0) - root * (p[k] ?? 0))
    const found = realRoots(p)
    expect(found.length).toBe(4)
    for (const [n, root] of wanted.entries()) expect(found[n]).toBeCloseTo(root, 9)
    expect(realRoots([1, 0, 1])).toEqual([])
    expect(realRoots([5])).toEqual([])
    expect(realRoots([-6, 2, 0, 0])[0]).toBeCloseTo(3, 12)
  })
})
