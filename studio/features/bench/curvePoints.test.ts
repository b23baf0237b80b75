import { expect, it } from 'vitest'
import { histogramOf, movedPoint, putPoint, withoutPoint } from './curvePoints.ts'

const straight: [number, number][] = [
  [0, 0],
  [1, 1],
]

it('puts points from dark to bright, and none on another', () => {
  const { points, at } = putPoint(straight, [0.4, 0.6])
  expect(points).toEqual([
    [0, 0],
    [0.4, 0.6],
    [1, 1],
  ])
  expect(at).toBe(1)
  expect(putPoint(points, [0.405, 0.2]).at).toBe(-1)
})

it('moves a point never past those beside it, nor out of the graph', () => {
  const { points } = putPoint(straight, [0.4, 0.6])
  expect(movedPoint(points, 1, [3, 3])[1]).toEqual([0.99, 1])
  expect(movedPoint(points, 0, [-1, 0.2])[0]).toEqual([0, 0.2])
})

it('takes a point away, but keeps two', () => {
  const { points } = putPoint(straight, [0.4, 0.6])
  expect(withoutPoint(points, 1)).toEqual(straight)
  expect(withoutPoint(straight, 0)).toEqual(straight)
})

it('counts tones, the most frequent as one', () => {
  const bytes = Uint8Array.from({ length: 1600 }, (_, n) => (n % 4 === 3 ? 255 : n < 1200 ? 40 : 200))
  const counts = histogramOf(bytes, 0)
  expect(counts[10]).toBe(1)
  expect(counts[50]).toBeCloseTo(Math.sqrt(1 / 3), 1)
  expect(counts.filter((value) => value > 0)).toHaveLength(2)
})
