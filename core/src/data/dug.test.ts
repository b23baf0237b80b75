import { describe, expect, it } from 'vitest'
import { encodeBase64 } from '../base/index.ts'
import {
  type Dug,
  distanceTo,
  dugHeight,
  dugNormal,
  dugVolumes,
  FLANK,
  normalAt,
  type Solid,
  stopsAt,
} from './index.ts'

const BOWL = [
  [0, 0],
  [0.5, 0.25],
  [1, 1],
] as const
const crater = (over: Partial<Dug> = {}): Dug => ({
  x: 1,
  z: -2,
  turn: 0,
  half: [FLANK * 2, FLANK * 2],
  irregular: 0,
  rough: 0,
  grain: 0.1,
  seed: 1,
  shape: { kind: 'crater', radius: 2, depth: 0.6, rim: 0.1, stops: BOWL },
  ...over,
})

describe('a crater', () => {
  it('is as deep and its rim as high as it is told, level with its flank, and exactly flat beyond', () => {
    const dug = crater()
    expect(dugHeight(dug, 1, -2)).toBeCloseTo(-0.6, 9)
    expect(dugHeight(dug, 3 - 1e-9, -2)).toBeCloseTo(0.1, 6)
    expect(dugHeight(dug, 3 + 1e-9, -2)).toBeCloseTo(0.1, 6)
    for (const x of [1 + 2 * FLANK, 9, -20]) expect(dugHeight(dug, x, -2)).toBe(0)
    expect(dugHeight(crater({ rough: 0.1, irregular: 0.3 }), 30, -2)).toBe(0)
  })
  it('falls outward by the cube of the distance, near its rim', () => {
    const dug = crater()
    const share = (r: number): number => dugHeight(dug, 1 + 2 * r, -2) / 0.1
    expect(share(1.1) / 1.1 ** -3).toBeGreaterThan(0.95)
    expect(share(1.1)).toBeLessThan(1.1 ** -3)
    expect(share(2)).toBeLessThan(share(1.5))
  })
  it('is the same however it is turned, where it is round', () => {
    for (const [x, z] of [
      [1.4, -1],
      [2.8, -3.5],
    ] as const)
      expect(dugHeight(crater({ turn: 1.1 }), x, z)).toBeCloseTo(dugHeight(crater(), x, z), 9)
  })
  it('has the volume of its curve, turned about its middle', () => {
    // Heights below the ground of a curve through rings.
    let hole = 0
    const steps = 4000
    for (let n = 0; n < steps; n++) {
      const r = (2 * (n + 0.5)) / steps
      hole += Math.max(0, 0.6 - 0.7 * stopsAt(BOWL, r / 2)) * 2 * Math.PI * r * (2 / steps)
    }
    expect(dugVolumes(crater(), 500).hole / hole).toBeCloseTo(1, 2)
  })
  it('lowers the ground that it is in, and leans its normal', () => {
    const ground: Solid = { kind: 'halfspace', point: [0, 0, 0], normal: [0, 1, 0], dug: [crater()] }
    expect(distanceTo(ground, [1, 0, -2])).toBeCloseTo(0.6, 2)
    expect(distanceTo(ground, [20, 0.3, -2])).toBeCloseTo(0.3, 9)
    expect(normalAt(ground, [20, 0, -2])).toEqual([0, 1, 0])
    // Within it the wall faces its middle.
    expect(normalAt(ground, [2.6, 0, -2])[0]).toBeLessThan(-0.2)
    expect(dugNormal(crater(), 1, -2)[1]).toBeCloseTo(1, 3)
  })
})

it('a curve through stops goes through them, and nowhere beyond its neighbours', () => {
  const stops = [
    [0, 0],
    [0.2, 0.9],
    [0.6, 0.9],
    [1, 1],
  ] as const
  for (const [at, value] of stops) expect(stopsAt(stops, at)).toBeCloseTo(value, 9)
  for (let n = 0; n <= 100; n++) {
    const value = stopsAt(stops, n / 100)
    expect(value).toBeGreaterThanOrEqual(-1e-9)
    expect(value).toBeLessThanOrEqual(1 + 1e-9)
    if (n > 20 && n < 60) expect(value).toBeCloseTo(0.9, 9)
  }
})

it('a grey picture digs or heaps by its brightness, and fades out at its edge', () => {
  const bytes = new Uint8Array(2 * 16)
  // The right half is white.
  for (let n = 0; n < 16; n++) bytes.fill(n % 4 >= 2 ? 255 : 0, 2 * n, 2 * n + 2)
  const grid = { width: 4, height: 4, values: encodeBase64(bytes) }
  const dug = crater({ half: [1, 0.5], shape: { kind: 'picture', grid, height: -0.4 } })
  expect(dugHeight(dug, 1.5, -2)).toBeCloseTo(-0.4, 2)
  expect(dugHeight(dug, 0.4, -2)).toBeCloseTo(0, 6)
  expect(dugHeight(dug, 1.999, -2)).toBeGreaterThan(-0.02)
  expect(dugHeight(dug, 2.001, -2)).toBe(0)
  // Turned by half a turn, right is left.
  expect(dugHeight({ ...dug, turn: Math.PI }, 0.5, -2)).toBeCloseTo(-0.4, 2)
})
