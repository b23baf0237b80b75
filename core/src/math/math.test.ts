import { describe, expect, it } from 'vitest'
import { hash01, random } from '../base/index.ts'
import * as own from './index.ts'

describe('elementary functions', () => {
  it('agree with the engine’s own to a few units in the last place', () => {
    const stream = random(3)
    for (let n = 0; n < 500; n++) {
      const x = stream.next() * 8 - 4
      for (const name of ['exp', 'sin', 'cos', 'tan', 'atan', 'tanh', 'cbrt'] as const)
        expect(Math.abs(own[name](x) - Math[name](x))).toBeLessThanOrEqual(4e-15 * Math.max(1, Math.abs(Math[name](x))))
      expect(own.log(Math.abs(x) + 0.01)).toBeCloseTo(Math.log(Math.abs(x) + 0.01), 13)
      expect(own.pow(Math.abs(x), 2.4)).toBeCloseTo(Math.abs(x) ** 2.4, 11)
      expect(own.atan2(x, 1.5)).toBeCloseTo(Math.atan2(x, 1.5), 14)
    }
  })
})

describe('rotations', () => {
  it('turn and turn back', () => {
    const q = own.panTiltRoll(0.7, -0.3, 0.2)
    const v = own.rotate(own.conjugate(q), own.rotate(q, [1, 2, 3]))
    ;[1, 2, 3].forEach((part, n) => expect(v[n]).toBeCloseTo(part, 12))
  })
  it('pan to the left for a positive angle, tilt up for a positive one', () => {
    expect(own.rotate(own.panTiltRoll(Math.PI / 2, 0, 0), [0, 0, -1])[0]).toBeCloseTo(-1, 12)
    expect(own.rotate(own.panTiltRoll(0, Math.PI / 4, 0), [0, 0, -1])[1]).toBeCloseTo(Math.SQRT1_2, 12)
  })
  it('make the identity out of nothing', () => {
    expect(own.unit([0, 0, 0, 0])).toEqual([0, 0, 0, 1])
    expect(own.normalise([0, 0, 0])).toEqual([0, 0, 0])
  })
})

describe('noise and hashes', () => {
  it('stay within their range, are even, and repeat', () => {
    let sum = 0
    for (let n = 0; n < 4000; n++) {
      const v = hash01(7, n, n * 3)
      sum += v
      expect(v).toBeGreaterThanOrEqual(0)
      expect(v).toBeLessThan(1)
      expect(Math.abs(own.noise3(1, n * 0.37, n * 0.11, 3))).toBeLessThanOrEqual(1)
    }
    expect(sum / 4000).toBeCloseTo(0.5, 1)
    expect(own.fractal3(2, 0.3, 0.4, 0.5, 4)).toBe(own.fractal3(2, 0.3, 0.4, 0.5, 4))
    expect(own.noise3(1, 5, 6, 7)).not.toBe(own.noise3(2, 5, 6, 7))
  })
})
