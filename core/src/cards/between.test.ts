import { describe, expect, it } from 'vitest'
import { makeCrew } from '../base/index.ts'
import { type FloatImage, makeImage } from '../data/index.ts'
import { movedBetween } from '../effects/cards/index.ts'
import {
  baseRise,
  clipMoments,
  fireShape,
  heightOfRise,
  mixed,
  placeRound,
  placesInArea,
  riseOverFoot,
  widthOfPulse,
} from './index.ts'

/** Soft blots on black whose middle has moved by (dx, dy) px; with alpha too. */
function blots(dx: number, dy: number, channels: 3 | 4 = 3): FloatImage {
  const image = makeImage(128, 96, channels)
  for (let n = 0; n < 128 * 96; n++) {
    const [x, y] = [(n % 128) - dx, Math.floor(n / 128) - dy]
    const level = [
      [48, 40, 9],
      [70, 58, 7],
      [58, 66, 5],
    ].reduce((sum, [cx = 0, cy = 0, r = 1]) => sum + Math.exp(-((x - cx) ** 2 + (y - cy) ** 2) / (r * r)), 0)
    if (channels === 3) image.data.set([level, 0.6 * level, 0.2 * level], 3 * n)
    else image.data.set([1, 0.6, 0.2, Math.min(1, level)], 4 * n)
  }
  return image
}
const off = (a: FloatImage, b: FloatImage): number =>
  Math.sqrt(a.data.reduce((sum, value, n) => sum + (value - (b.data[n] ?? 0)) ** 2, 0) / a.data.length)

describe('a moment between two frames', () => {
  it('is where what moves is then, far nearer than a blend', () => {
    const crew = makeCrew(1)
    const [a, b] = [blots(0, 0), blots(8, -6)]
    for (const way of [0.25, 0.5, 0.75]) {
      const truth = blots(8 * way, -6 * way)
      const moved = movedBetween(crew, a, b, way)
      const blended = mixed([
        { image: a, share: 1 - way },
        { image: b, share: way },
      ])
      if (!moved || !blended) throw new TypeError('both are there')
      expect(off(moved, truth)).toBeLessThan(0.2 * off(blended, truth))
    }
    // The motion is found once for a pair: the same pair gives the same again.
    expect(movedBetween(crew, a, b, 0.5)?.data).toEqual(movedBetween(crew, a, b, 0.5)?.data)
  })
  it('keeps the colour of what is partly there', () => {
    const moved = movedBetween(makeCrew(1), blots(0, 0, 4), blots(6, 0, 4), 0.5)
    const truth = blots(3, 0, 4)
    if (!moved) throw new TypeError('it is there')
    for (let n = 0; n < moved.data.length; n += 4) {
      if ((truth.data[n + 3] ?? 0) < 0.2) continue
      expect(moved.data[n + 1]).toBeCloseTo(0.6, 2)
      expect(Math.abs((moved.data[n + 3] ?? 0) - (truth.data[n + 3] ?? 0))).toBeLessThan(0.12)
    }
  })
  it('is not told of pictures that are too small', () => {
    expect(movedBetween(makeCrew(1), makeImage(40, 40, 3), makeImage(40, 40, 3), 0.5)).toBeUndefined()
  })
  it('joins neighbours of a clip in pairs, whichever way it runs', () => {
    const frames = [
      { frame: 5, share: 0.3 },
      { frame: 4, share: 0.1 },
      { frame: 90, share: 0.6 },
    ]
    const [pair, alone] = clipMoments(frames)
    expect(pair).toMatchObject({ frame: 5, next: { frame: 4 }, share: 0.4 })
    expect(pair?.next?.way).toBeCloseTo(0.25, 9)
    expect(alone).toEqual({ frame: 90, share: 0.6 })
  })
})

describe('the size of a filmed fire', () => {
  it('is told where it begins, how tall and how wide it is', () => {
    const image = makeImage(100, 50, 4)
    for (let y = 10; y < 40; y++)
      for (let x = 30; x < 50; x++) image.data.set([1, 0.2 + 0.01 * ((7 * x + 3 * y) % 50), 0, 1], 4 * (y * 100 + x))
    const shape = fireShape(image)
    expect(shape?.foot).toBeCloseTo(0.2, 6)
    expect(shape?.tall).toBeCloseTo(0.6, 6)
    expect(shape?.wide).toBeCloseTo(0.2, 6)
    expect(fireShape(makeImage(10, 10, 4))).toBeUndefined()
    // All of it goes up by 3 px a frame.
    const motion = { width: 50, height: 25, u: new Float32Array(1250), v: new Float32Array(1250).fill(-3) }
    const { rise, over } = baseRise(image, shape as never, motion)
    expect(rise).toBeCloseTo(3 / 50, 6)
    expect(over).toBeGreaterThan(0.08)
    expect(over).toBeLessThan(0.13)
  })
  it('follows the laws: as fast as fire is where its own height says, and as wide as it pulses', () => {
    expect(widthOfPulse(1.5)).toBeCloseTo(1, 9)
    expect(widthOfPulse(3)).toBeCloseTo(0.25, 9)
    const height = heightOfRise(0.8, 0.1) ?? 0
    expect(0.8 * height).toBeCloseTo(riseOverFoot(0.1 * height), 9)
    expect(heightOfRise(-1, 0.1)).toBeUndefined()
  })
})

describe('places of copies', () => {
  it('lie inside a drawn area, apart from one another, at its level', () => {
    const area: [number, number, number][] = [
      [0, 1, 0],
      [4, 1, 0],
      [4, 1, 1],
      [1, 1, 1],
      [1, 1, 4],
      [0, 1, 4],
    ]
    const places = placesInArea(area, 30, 7)
    expect(places).toHaveLength(30)
    for (const [x, y, z] of places) {
      expect(y).toBeCloseTo(1, 9)
      expect(x <= 1 || z <= 1).toBe(true)
    }
    const least = Math.min(
      ...places.flatMap((a, n) => places.slice(n + 1).map((b) => Math.hypot(a[0] - b[0], a[2] - b[2]))),
    )
    expect(least).toBeGreaterThan(0.15)
    expect(placesInArea(area, 30, 8)).not.toEqual(places)
    expect(placesInArea(area.slice(0, 2), 3, 1)).toEqual([])
    expect(
      placesInArea(
        [
          [0, 0, 0],
          [1, 0, 0],
          [2, 0, 0],
        ],
        3,
        1,
      ),
    ).toEqual([])
  })
  it('go once round a thing, on its sides', () => {
    for (let n = 0; n < 40; n++) {
      const [x, z] = placeRound([2, 1], n / 40)
      expect(Math.max(Math.abs(x) / 2, Math.abs(z))).toBeCloseTo(1, 9)
    }
    expect(placeRound([2, 1], 0)).toEqual(placeRound([2, 1], 1))
  })
})
