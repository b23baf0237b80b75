import { describe, expect, it } from 'vitest'
import { lensOf, yardPoints } from '../../testing/tracks.ts'
import { type Camera, projectPoint } from '../data/index.ts'
import { panTiltRoll, type Vec3 } from '../math/index.ts'
import { placeOnGround } from './place.ts'

const camera: Camera = { ...lensOf(1100), position: [0.5, 1.7, 9], rotation: panTiltRoll(0.05, -0.12, 0.01) }
const seen = (p: Vec3): [number, number] => {
  const at = projectPoint(camera, p)
  return [at?.x ?? Number.NaN, at?.y ?? Number.NaN]
}

describe('a place on the ground', () => {
  it('is where the ray meets a level ground', () => {
    for (const p of [
      [0, 0, 3],
      [-1.5, 0, 5],
      [2, 0, 0.5],
    ] as Vec3[]) {
      const at = placeOnGround([], camera, ...seen(p))
      for (let c = 0; c < 3; c++) expect(at?.[c]).toBeCloseTo(p[c] ?? 0, 6)
    }
  })
  it('lies in a hollow that was solved, and not on the walls above it', () => {
    const hollow = ([x, , z]: Vec3): number => -0.04 * Math.max(0, 1 - ((x - 1) ** 2 + (z - 4) ** 2) / 4)
    const ground = Array.from({ length: 400 }, (_, n): Vec3 => {
      const p: Vec3 = [-2 + (n % 20) * 0.3, 0, 1 + Math.floor(n / 20) * 0.3]
      return [p[0], hollow(p), p[2]]
    })
    const deepest: Vec3 = [1, -0.04, 4]
    const found = placeOnGround([...ground, ...yardPoints(200, 3).filter((p) => p[1] > 0.2)], camera, ...seen(deepest))
    for (let c = 0; c < 3; c++) expect(Math.abs((found?.[c] ?? 9) - (deepest[c] ?? 0))).toBeLessThan(0.02)
    // On a flat ground the same place of the picture would lie a good way behind it.
    expect(placeOnGround([], camera, ...seen(deepest))?.[2] ?? 9).toBeGreaterThan(4.05)
  })
  it('is none above the horizon', () => expect(placeOnGround([], camera, 640, 20)).toBeUndefined())
})
