import { describe, expect, it } from 'vitest'
import { random } from '../base/index.ts'
import {
  aboutAxis,
  anglesOf,
  conjugate,
  multiply,
  panTiltRoll,
  type Quaternion,
  quaternionOfMatrix,
  rotate,
  unit,
  type Vec3,
} from './index.ts'

const stream = random(5)
const turns: readonly Quaternion[] = Array.from({ length: 40 }, () =>
  unit([stream.next() - 0.5, stream.next() - 0.5, stream.next() - 0.5, stream.next() - 0.5]),
)
const AXES: readonly Vec3[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
]
/** Rows of a rotation's matrix: its columns are the turned axes. */
const matrixOf = (q: Quaternion): number[] => [0, 1, 2].flatMap((row) => AXES.map((axis) => rotate(q, axis)[row] ?? 0))
/** Two quaternions that turn alike may differ in sign. */
const alike = (a: Quaternion, b: Quaternion): number => Math.abs(a.reduce((sum, v, n) => sum + v * (b[n] ?? 0), 0))

describe('a rotation', () => {
  it('keeps lengths and angles', () => {
    const [a, b]: [Vec3, Vec3] = [
      [1, -2, 0.5],
      [0.3, 0.1, 4],
    ]
    const inner = (p: Vec3, q: Vec3): number => p[0] * q[0] + p[1] * q[1] + p[2] * q[2]
    for (const q of turns) {
      expect(inner(rotate(q, a), rotate(q, a))).toBeCloseTo(inner(a, a), 12)
      expect(inner(rotate(q, a), rotate(q, b))).toBeCloseTo(inner(a, b), 12)
    }
  })
  it('after another is their product', () => {
    for (const [n, a] of turns.entries()) {
      const b = turns[(n + 7) % turns.length] as Quaternion
      const once = rotate(multiply(a, b), [1, 2, 3])
      rotate(a, rotate(b, [1, 2, 3])).forEach((v, axis) => expect(once[axis]).toBeCloseTo(v, 12))
      expect(alike(multiply(a, conjugate(a)), [0, 0, 0, 1])).toBeCloseTo(1, 12)
    }
  })
  it('comes back from its matrix, half turns included', () => {
    const halves = AXES.map((axis) => aboutAxis(axis, Math.PI))
    for (const q of [...turns, ...halves, [0, 0, 0, 1] as const])
      expect(alike(quaternionOfMatrix(matrixOf(q)), q)).toBeCloseTo(1, 10)
  })
  it('comes back from its pan, tilt and roll, each taken next to the last ones', () => {
    for (const q of turns) {
      const found = anglesOf(q)
      expect(alike(panTiltRoll(...found), q)).toBeCloseTo(1, 9)
      const near = anglesOf(q, [found[0] + 4 * Math.PI + 0.2, found[1], found[2] - 2 * Math.PI - 0.2])
      expect(near[0] - found[0]).toBeCloseTo(4 * Math.PI, 9)
      expect(near[2] - found[2]).toBeCloseTo(-2 * Math.PI, 9)
    }
  })
})
