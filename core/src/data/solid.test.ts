import { describe, expect, it } from 'vitest'
import { random } from '../base/index.ts'
import { normalise, panTiltRoll, type Vec3 } from '../math/index.ts'
import { distanceTo, normalAt, rayToSolid, type Solid, solidBounds } from './index.ts'

const SOLIDS: readonly (readonly [string, Solid])[] = [
  ['a ball', { kind: 'ball', centre: [0.4, 1, -2], radius: 0.8 }],
  [
    'a turned box',
    { kind: 'box', centre: [-0.5, 0.7, -1], half: [0.9, 0.3, 0.5], rotation: panTiltRoll(0.6, 0.2, -0.4) },
  ],
  [
    'a turned form of two parts',
    {
      kind: 'form',
      centre: [0.2, 1, -1.2],
      half: [0.6, 0.4, 0.6],
      rotation: panTiltRoll(0.5, -0.3, 0.2),
      parts: [-0.35, 0.35].map((x) => [
        { normal: [1, 0, 0], offset: x + 0.25 },
        { normal: [-1, 0, 0], offset: 0.25 - x },
        { normal: [0, 1, 0], offset: 0.4 },
        { normal: [0, -1, 0], offset: 0.4 },
        { normal: [0, 0, 1], offset: 0.6 },
        { normal: [0, 0, -1], offset: 0.6 },
      ]),
    },
  ],
  ['the ground', { kind: 'halfspace', point: [0, -0.2, 0], normal: [0, 1, 0] }],
]
const along = (from: Vec3, way: Vec3, far: number): Vec3 => [
  from[0] + far * way[0],
  from[1] + far * way[1],
  from[2] + far * way[2],
]

describe.each(SOLIDS)('%s', (_, solid) => {
  const stream = random(11)
  const place = (): Vec3 => [6 * stream.next() - 3, 4 * stream.next() + 0.5, 6 * stream.next() - 4]
  const way = (): Vec3 => normalise([stream.next() - 0.5, stream.next() - 0.5, stream.next() - 0.5])

  it('is met by a ray on its surface, and nowhere before', () => {
    let met = 0
    for (let n = 0; n < 400; n++) {
      const [from, to] = [place(), way()]
      if (distanceTo(solid, from) < 0) {
        expect(rayToSolid(solid, from, to)).toBe(0)
        continue
      }
      const far = rayToSolid(solid, from, to)
      let least = 0
      for (let t = 0; t < (far ?? 12) - 1e-6; t += 0.05) least = Math.min(least, distanceTo(solid, along(from, to, t)))
      expect(least).toBeGreaterThan(-1e-9)
      if (far === undefined) continue
      met++
      expect(Math.abs(distanceTo(solid, along(from, to, far)))).toBeLessThan(1e-9)
    }
    expect(met).toBeGreaterThan(10)
  })
  it('has a normal that leads away from it as fast as can be', () => {
    for (let n = 0; n < 100; n++) {
      const from = place()
      const far = rayToSolid(solid, from, way())
      if (!far) continue
      const out = normalAt(solid, from)
      expect(Math.hypot(...out)).toBeCloseTo(1, 12)
      expect(distanceTo(solid, along(from, out, 1e-4)) - distanceTo(solid, from)).toBeCloseTo(1e-4, 8)
    }
  })
  it('lies within its bounds and touches them', () => {
    const bounds = solidBounds(solid)
    if (!bounds) return expect(solid.kind).toBe('halfspace')
    // How near its points come to each side of the bounds from within; below 0: one lies beyond.
    const gaps = [Infinity, Infinity, Infinity, Infinity, Infinity, Infinity]
    for (let n = 0; n < 60_000; n++) {
      const at = [0, 1, 2].map(
        (axis) =>
          (bounds.low[axis] ?? 0) - 0.1 + stream.next() * ((bounds.high[axis] ?? 0) - (bounds.low[axis] ?? 0) + 0.2),
      ) as unknown as Vec3
      if (distanceTo(solid, at) > 0) continue
      at.forEach((v, axis) => {
        gaps[axis] = Math.min(gaps[axis] ?? 0, v - (bounds.low[axis] ?? 0))
        gaps[axis + 3] = Math.min(gaps[axis + 3] ?? 0, (bounds.high[axis] ?? 0) - v)
      })
    }
    expect(Math.min(...gaps)).toBeGreaterThan(-1e-9)
    expect(Math.max(...gaps)).toBeLessThan(0.15)
  })
})

it('a ray that leads away from the ground never meets it', () => {
  expect(rayToSolid({ kind: 'halfspace', point: [0, 0, 0], normal: [0, 1, 0] }, [0, 1, 0], [0, 1, 0])).toBeUndefined()
  expect(rayToSolid({ kind: 'ball', centre: [0, 0, 5], radius: 1 }, [0, 0, 0], [0, 0, -1])).toBeUndefined()
})
