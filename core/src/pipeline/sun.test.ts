import { describe, expect, it } from 'vitest'
import { random } from '../base/index.ts'
import { type Camera, projectPoint } from '../data/index.ts'
import { acos, degrees, dot, panTiltRoll, radians, type Vec3 } from '../math/index.ts'
import { makeItem, makeShot, type ShotDocument, type SunLine } from '../shot/index.ts'
import { plateLight } from './picture.ts'
import { illuminanceOfNotes, lightOfPatches, skySeen, sunAngles, sunOfLine, sunOfLines } from './sun.ts'

const camera: Camera = {
  position: [0, 2.5, 8],
  rotation: panTiltRoll(0, radians(-12), 0),
  focalPx: 1100,
  centre: [640, 360],
  k1: -0.05,
  k2: 0,
  width: 1280,
  height: 720,
}
function shot(): ShotDocument {
  const made = makeShot('One', {
    asset: 'a',
    file: 'f',
    width: 1280,
    height: 720,
    first: 1,
    last: 10,
    rate: [24, 1],
    encoding: 'srgb',
  })
  made.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  return made
}
const sunOf = (sunFrom: number, sunHeight: number): Vec3 =>
  plateLight({ ...shot().light, sunFrom, sunHeight }).sunDirection

/** The line of an upright post, its shadow thrown by a sun; clicks are off by up to `off` px. */
function lineOf(sun: Vec3, foot: Vec3, height: number, off = 0, seed = 1): SunLine {
  const stream = random(seed)
  const seen = (at: Vec3): [number, number] => {
    const p = projectPoint(camera, at)
    if (!p) throw new Error('behind the camera')
    return [p.x + (stream.next() * 2 - 1) * off, p.y + (stream.next() * 2 - 1) * off]
  }
  const k = height / sun[1]
  return {
    frame: 1,
    foot: seen(foot),
    top: seen([foot[0], height, foot[2]]),
    tip: seen([foot[0] - sun[0] * k, 0, foot[2] - sun[2] * k]),
  }
}
const apart = (a: Vec3 | undefined, b: Vec3): number => (a ? degrees(acos(Math.min(1, dot(a, b)))) : Number.NaN)

describe('the sun by a shadow', () => {
  it('is found from an upright’s foot, top and shadow’s tip, wherever it stands', () => {
    for (const [from, height] of [
      [60, 35],
      [200, 50],
      [300, 20],
    ] as const) {
      const sun = sunOf(from, height)
      const found = sunOfLine(shot(), camera, lineOf(sun, [0.5, 0, 1], 1.2))
      expect(apart(found, sun)).toBeLessThan(0.01)
      expect(sunAngles(found ?? [0, 1, 0]).sunFrom).toBeCloseTo(from, 1)
      expect(sunAngles(found ?? [0, 1, 0]).sunHeight).toBeCloseTo(height, 1)
    }
  })

  it('is within three degrees in nine of ten tries where clicks are off by two pixels', () => {
    const sun = sunOf(70, 40)
    const errors = Array.from({ length: 40 }, (_, n) =>
      apart(sunOfLine(shot(), camera, lineOf(sun, [-0.5, 0, 2], 1.5, 2, n + 1)), sun),
    )
    expect(errors.filter((error) => error < 3).length).toBeGreaterThanOrEqual(36)
  })

  it('is the mean of two lines, which say how far they are apart', () => {
    const document = shot()
    document.light.sunLines = [lineOf(sunOf(70, 40), [0, 0, 2], 1), lineOf(sunOf(70, 50), [1, 0, 2], 1)]
    const found = sunOfLines(document, () => camera)
    expect(found?.used).toBe(2)
    expect(found?.apart).toBeCloseTo(5, 0)
    expect(apart(found?.direction, sunOf(70, 45))).toBeLessThan(0.1)
    expect(sunOfLines(document, () => undefined)).toBeUndefined()
  })

  it('is not told by a line above the horizon, or whose top is no higher than the tip', () => {
    const line = lineOf(sunOf(70, 40), [0, 0, 2], 1)
    expect(sunOfLine(shot(), camera, { ...line, tip: [640, 5] })).toBeUndefined()
    expect(sunOfLine(shot(), camera, { ...line, foot: [640, 5] })).toBeUndefined()
    expect(sunOfLine(shot(), camera, { ...line, top: line.foot })).toBeUndefined()
  })
})

describe('sun and sky by two patches', () => {
  const direction = sunOf(90, 40)
  it('come out as they went in, on level ground and on a wall', () => {
    const [sun, sky] = [
      [1.2, 1, 0.7],
      [0.8, 1, 1.3],
    ] as const
    const share = 0.65
    for (const normal of [
      [0, 1, 0],
      [1, 0, 0],
    ] as const) {
      const cosine = dot(normal, direction)
      const albedo = [0.4, 0.3, 0.2]
      const light = (sunlit: boolean) =>
        albedo.map(
          (part, c) =>
            part *
            ((sunlit ? ((share * cosine) / direction[1]) * (sun[c] ?? 0) : 0) +
              (1 - share) * (0.5 + 0.5 * normal[1]) * (sky[c] ?? 0)),
        ) as [number, number, number]
      // The lit patch's own light is taken for white: hues are against it.
      const found = lightOfPatches(light(true), light(false), normal, direction)
      const k = (c: number): number => (light(false)[c] ?? 0) / (light(true)[c] ?? 1)
      const left = 0.2126 * k(0) + 0.7152 * k(1) + 0.0722 * k(2)
      expect(found?.skyColour[2]).toBeCloseTo(k(2) / left, 2)
      expect(found?.sunColour[0]).toBeCloseTo((1 - k(0)) / (1 - left), 2)
      expect(found?.sunShare).toBeCloseTo(share, 1)
    }
  })
  it('are told rightly where the set hides half of the sky from the shaded one', () => {
    const document = shot()
    // Beside a wall that reaches far up, half of the sky is seen; of the rest it sends a quarter on.
    document.items.wall = makeItem('box', {
      name: 'Wall',
      order: 9,
      position: [-1.05, 0, 0],
      width: 2,
      height: 90,
      depth: 200,
    })
    const [beside, open] = [skySeen(document, [0, 0, 0], [0, 1, 0], 1), skySeen(document, [60, 0, 90], [0, 1, 0], 1)]
    expect(beside).toBeGreaterThan(0.58)
    expect(beside).toBeLessThan(0.68)
    expect(open).toBeGreaterThan(0.9)
    expect(skySeen(shot(), [0, 0, 0], [0, 1, 0], 1)).toBeCloseTo(1, 6)
    expect(skySeen(shot(), [0, 1, 0], [0, 0, 1], 1)).toBeCloseTo(0.5, 1)
    const [sun, sky] = [0.6, 0.4]
    const grey = (light: number): [number, number, number] => [0.3 * light, 0.3 * light, 0.3 * light]
    const found = lightOfPatches(grey(sun + sky), grey(sky * beside), [0, 1, 0], direction, [1, beside])
    expect(found?.sunShare).toBeCloseTo(sun, 2)
    expect(lightOfPatches(grey(sun + sky), grey(sky * beside), [0, 1, 0], direction)?.sunShare).toBeGreaterThan(0.7)
  })
  it('are not told where the shaded one is the brighter, or the surface looks away from the sun', () => {
    expect(lightOfPatches([0.1, 0.1, 0.1], [0.2, 0.2, 0.2], [0, 1, 0], direction)).toBeUndefined()
    expect(lightOfPatches([0.2, 0.2, 0.2], [0.1, 0.1, 0.1], [-1, 0, 0], direction)).toBeUndefined()
  })
})

it('an exposure meter’s light is that of the rule of sunny sixteen', () => {
  // f/16 at 1/100 s and ISO 100: a sunny day, some 64,000 lux by the meter's constant.
  expect(illuminanceOfNotes(16, 0.01, 100)).toBeCloseTo(64000, -2)
})
