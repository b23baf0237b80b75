import { expect, it } from 'vitest'
import { panTiltRoll, quaternionOfMatrix, rotate, type Vec3 } from '../math/index.ts'
import { alignPoints, movePoint } from './align.ts'

const points: Vec3[] = [
  [0, 0, 0],
  [1, 0.2, -3],
  [2, 5, 1],
  [-4, 1, 0.5],
  [0.3, -2, 6],
]

it('finds the similarity between two sets of points exactly, and the best one where they are noisy or flat', () => {
  const by = { scale: 2.5, rotation: panTiltRoll(2.1, -0.4, 3), shift: [4, -1, 9] as Vec3 }
  for (const some of [points, points.map((p): Vec3 => [p[0], p[1], 0])]) {
    const found = alignPoints(
      some,
      some.map((p) => movePoint(by, p)),
    )
    expect(found.scale).toBeCloseTo(2.5, 9)
    for (const p of some)
      for (let c = 0; c < 3; c++) expect(movePoint(found, p)[c]).toBeCloseTo(movePoint(by, p)[c] ?? 0, 7)
  }
})

it('gives back the quaternion of a matrix for turns of all kinds, half turns too', () => {
  for (const q of [
    panTiltRoll(0.1, 0.2, 0.3),
    panTiltRoll(3.1, 0, 0),
    panTiltRoll(0, 3.1, 0),
    panTiltRoll(0, 0, 3.1),
  ]) {
    const columns = (
      [
        [1, 0, 0],
        [0, 1, 0],
        [0, 0, 1],
      ] as const
    ).map((axis) => rotate(q, axis))
    const found = quaternionOfMatrix([0, 1, 2].flatMap((r) => columns.map((column) => column[r] ?? 0)))
    expect(Math.abs(found.reduce((sum, v, k) => sum + v * (q[k] ?? 0), 0))).toBeCloseTo(1, 9)
  }
})
