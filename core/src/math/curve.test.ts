import { describe, expect, it } from 'vitest'
import { random } from '../base/index.ts'
import { type CurveKind, type CurvePoint, curveAt } from './index.ts'

const KINDS: readonly CurveKind[] = ['hold', 'straight', 'smooth', 'round']

/** Points at uneven places, rising in `at`. */
function scattered(seed: number, count: number): CurvePoint[] {
  const stream = random(seed)
  let at = 0
  return Array.from({ length: count }, () => ({ at: (at += 0.2 + 3 * stream.next()), value: 4 * stream.next() - 2 }))
}

describe.each(KINDS)('a curve, %s', (kind) => {
  it('goes through its points and stays beyond them', () => {
    const points = scattered(3, 9)
    for (const { at, value } of points) expect(curveAt(points, at, kind)).toBeCloseTo(value, 12)
    expect(curveAt(points, -50, kind)).toBe(points[0]?.value)
    expect(curveAt(points, 500, kind)).toBe(points.at(-1)?.value)
  })
  it('is no number without a point, and the one point’s value with one', () => {
    expect(curveAt([], 3, kind)).toBeNaN()
    for (const x of [-1, 2, 9]) expect(curveAt([{ at: 2, value: 7 }], x, kind)).toBe(7)
  })
})

it('a straight or round curve has a straight line’s values', () => {
  const line = [0, 1, 4, 4.5, 9].map((at) => ({ at, value: 2 - 0.7 * at }))
  for (const kind of ['straight', 'round'] as const)
    for (let x = 0; x <= 9; x += 0.13) expect(curveAt(line, x, kind)).toBeCloseTo(2 - 0.7 * x, 12)
})

it('a curve that holds keeps each value until the next point', () => {
  const points = [
    { at: 1, value: 5 },
    { at: 4, value: -2 },
  ]
  expect([1, 2, 3.999, 4].map((x) => curveAt(points, x, 'hold'))).toEqual([5, 5, 5, -2])
})

it('a smooth curve never leaves the span of the two points that it is between', () => {
  for (let seed = 1; seed < 12; seed++) {
    const points = scattered(seed, 12)
    for (let n = 1; n < points.length; n++) {
      const [a, b] = [points[n - 1], points[n]] as [CurvePoint, CurvePoint]
      for (let t = 0; t <= 1; t += 0.05) {
        const value = curveAt(points, a.at + t * (b.at - a.at), 'smooth')
        expect(value).toBeGreaterThanOrEqual(Math.min(a.value, b.value) - 1e-12)
        expect(value).toBeLessThanOrEqual(Math.max(a.value, b.value) + 1e-12)
      }
    }
  }
})

it.each(['smooth', 'round'] as const)('a %s curve has no corner where it goes through a point', (kind) => {
  const points = scattered(8, 8)
  const h = 1e-5
  for (const { at, value } of points.slice(1, -1)) {
    const before = (value - curveAt(points, at - h, kind)) / h
    const after = (curveAt(points, at + h, kind) - value) / h
    expect(Math.abs(after - before)).toBeLessThan(1e-3)
  }
})
