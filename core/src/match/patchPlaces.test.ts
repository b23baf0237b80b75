import { describe, expect, it } from 'vitest'
import { hash01 } from '../base/index.ts'
import { type FloatImage, makeImage } from '../data/index.ts'
import { HOLDS, patchHolds, patchPlaces } from './patchPlaces.ts'

/** A yard: a chequered sign left, foliage right that is anew in every frame, a pole with contrast one way only, else smooth. */
function yard(frame: number, shift: number): FloatImage {
  const image = makeImage(240, 135, 3)
  for (let n = 0; n < 240 * 135; n++) {
    const [x, y] = [n % 240, Math.floor(n / 240)]
    const u = x - shift
    const level =
      u >= 30 && u < 70 && y >= 40 && y < 80
        ? (Math.floor(u / 10) + Math.floor(y / 10)) % 2
          ? 0.5
          : 0.1
        : x >= 150 && x < 210 && y >= 30 && y < 90
          ? 0.1 + 0.5 * hash01(frame, Math.floor(x / 3), Math.floor(y / 3))
          : u >= 100 && u < 110
            ? 0.6
            : 0.2 + 0.001 * x
    image.data.set([level, level, level], 3 * n)
  }
  return image
}

describe('a place for a flat track', () => {
  it('is where contrast goes both ways and stays, not on foliage nor along a pole', () => {
    const places = patchPlaces(yard(1, 0), yard(2, 6), 3)
    expect(places.length).toBeGreaterThan(0)
    for (const { x, y, side, likeness } of places) {
      expect(x + side).toBeGreaterThan(30)
      expect(x).toBeLessThan(70)
      expect(y + side).toBeGreaterThan(40)
      expect(y).toBeLessThan(80)
      expect(likeness).toBeGreaterThan(0.95)
    }
    expect(patchPlaces(yard(1, 0), yard(2, 6), 3, (x) => x > 120)).toEqual([])
  })
  it('warns of foliage by how little it is like itself later', () => {
    expect(patchHolds(yard(1, 0), yard(2, 6), 165, 45, 24)).toBeLessThan(HOLDS)
    expect(patchHolds(yard(1, 0), yard(2, 6), 38, 48, 24)).toBeGreaterThan(0.95)
    expect(patchHolds(makeImage(64, 64, 3), makeImage(64, 64, 3), 10, 10, 20)).toBe(-1)
  })
})
