import { describe, expect, it } from 'vitest'
import { random } from '../base/index.ts'
import { depthsOf, fivePoint, relativePose, sampson } from './epipolar.ts'

// Two stated views of random points.
const stream = random(9)
const uniform = (a: number, b: number): number => a + (b - a) * stream.next()
const turn = 0.12
const rotation = [Math.sqrt(1 - turn * turn), 0, turn, 0, 1, 0, -turn, 0, Math.sqrt(1 - turn * turn)]
const shift = [0.8, 0.12, -0.2] as const
const size = Math.sqrt(shift[0] ** 2 + shift[1] ** 2 + shift[2] ** 2)
const point = (): [number, number, number] => [uniform(-3, 3), uniform(-2, 2), uniform(4, 12)]
const second = ([x, y, z]: readonly [number, number, number]): [number, number, number] =>
  [0, 1, 2].map(
    (i) =>
      (rotation[i * 3] ?? 0) * x + (rotation[i * 3 + 1] ?? 0) * y + (rotation[i * 3 + 2] ?? 0) * z + (shift[i] ?? 0),
  ) as [number, number, number]
function pairsOf(count: number, noise: number, wrong: number): Float64Array {
  return new Float64Array(
    Array.from({ length: count }, (_, n) => {
      const p = point()
      const q = second(p)
      const [u, v] = n < wrong ? [uniform(-0.6, 0.6), uniform(-0.4, 0.4)] : [q[0] / q[2], q[1] / q[2]]
      return [p[0] / p[2], p[1] / p[2], u + noise * uniform(-1, 1), v + noise * uniform(-1, 1)]
    }).flat(),
  )
}

describe('two views', () => {
  it('has the true essential matrix among the solutions through five exact pairs', () => {
    for (let round = 0; round < 20; round++) {
      const pairs = pairsOf(5, 0, 0)
      const more = pairsOf(30, 0, 0)
      const found = fivePoint(pairs)
      expect(found.length).toBeGreaterThan(0)
      expect(found.length).toBeLessThanOrEqual(10)
      const worst = found.map((e) =>
        Math.max(
          ...Array.from({ length: 30 }, (_, n) =>
            sampson(
              e,
              more[n * 4] as number,
              more[n * 4 + 1] as number,
              more[n * 4 + 2] as number,
              more[n * 4 + 3] as number,
            ),
          ),
        ),
      )
      expect(Math.min(...worst)).toBeLessThan(1e-12)
    }
  })
  it('finds the pose among noise and a third of wrong pairs, and tells which are wrong', () => {
    const pairs = pairsOf(150, 0.0005, 50)
    const pose = relativePose(pairs, 0.002, 3)
    expect(pose).toBeDefined()
    for (let k = 0; k < 9; k++) expect(pose?.rotation[k]).toBeCloseTo(rotation[k] ?? 0, 2)
    for (let k = 0; k < 3; k++) expect(pose?.translation[k]).toBeCloseTo((shift[k] ?? 0) / size, 1)
    const wrong = Array.from(pose?.inliers ?? [])
      .slice(0, 50)
      .reduce((sum, one) => sum + one, 0)
    expect(wrong).toBeLessThan(8)
    expect((pose?.count ?? 0) - wrong).toBeGreaterThan(95)
    expect(relativePose(pairs, 0.002, 3)).toEqual(pose)
  })
  it('gives nothing from too few pairs, and depths that put a point where it is', () => {
    expect(relativePose(pairsOf(7, 0, 0), 0.001, 1)).toBeUndefined()
    const p = point()
    const q = second(p)
    const [a, b] = depthsOf(rotation, shift, p[0] / p[2], p[1] / p[2], q[0] / q[2], q[1] / q[2])
    expect(a).toBeCloseTo(p[2], 9)
    expect(b).toBeCloseTo(q[2], 9)
  })
})
