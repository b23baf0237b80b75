import { describe, expect, it } from 'vitest'
import { ball, layer, lookingDown, NOON, render, thing } from '../../testing/frames.ts'
import { makeCrew } from '../base/index.ts'
import { type FloatImage, makeImage } from '../data/index.ts'
import { normalise } from '../math/index.ts'
import { brightestSpot } from './index.ts'
import { modelSky, picturedSky } from './sky.ts'

/** Mean of the upper half over level ground, by one channel. */
function level({ width, height, data }: FloatImage, c: number): number {
  let [sum, weights] = [0, 0]
  for (let y = 0; y < height / 2; y++) {
    const down = ((y + 0.5) / height) * Math.PI
    for (let x = 0; x < width; x++) {
      sum += Math.cos(down) * Math.sin(down) * (data[(y * width + x) * 3 + c] ?? 0)
      weights += Math.cos(down) * Math.sin(down)
    }
  }
  return sum / weights
}
/** A grey picture with one small bright spot. */
function spotted(x: number, y: number): FloatImage {
  const picture = makeImage(256, 128, 3)
  picture.data.fill(0.5)
  for (let v = y; v < y + 3; v++)
    for (let u = x; u < x + 3; u++) picture.data.fill(5000, (v * 256 + u) * 3, (v * 256 + u) * 3 + 3)
  return picture
}

describe('The sky', () => {
  it('lights level ground with what of the plate’s light is not the sun’s, whatever it is made from', () => {
    for (const sunShare of [0, 0.4, 0.8]) {
      const light = { ...NOON, sunShare, skyColour: [0.9, 1, 1.2] as const }
      expect(level(modelSky(light, [0.1, 0.1, 0.1]), 1)).toBeCloseTo(1 - sunShare, 2)
      expect(level(modelSky(light, [0.1, 0.1, 0.1]), 2)).toBeCloseTo(1.2 * (1 - sunShare), 2)
      expect(level(picturedSky(spotted(40, 30), 0, light), 1)).toBeCloseTo(1 - sunShare, 2)
    }
  })

  it('that is clear is brighter round the sun than away from it; an overcast one is brightest straight up', () => {
    const sunDirection = normalise([1, 1, 0])
    const at = ({ width, data }: FloatImage, x: number, y: number): number => data[(y * width + x) * 3 + 1] ?? 0
    const clear = modelSky({ ...NOON, sunDirection, sunShare: 0.8 }, [0, 0, 0])
    expect(at(clear, 96, 16)).toBeGreaterThan(3 * at(clear, 32, 16))
    const overcast = modelSky({ ...NOON, sunDirection, sunShare: 0 }, [0, 0, 0])
    expect(at(overcast, 96, 1)).toBeGreaterThan(2 * at(overcast, 96, 30))
    expect(at(overcast, 32, 16)).toBeCloseTo(at(overcast, 96, 16), 4)
  })

  it('of a picture leaves out its sun, which shines by itself, and turns to the right', () => {
    const light = { ...NOON, sunShare: 0.5 }
    const picture = spotted(40, 30)
    const still = picturedSky(picture, 0, light)
    expect(Math.max(...still.data)).toBeLessThan(12 * level(still, 1))
    const turned = picturedSky(picture, 90, light)
    const before = brightestSpot(still)
    const after = brightestSpot(turned)
    expect(((after.from - before.from + 360) % 360) - 90).toBeCloseTo(0, 0)
    expect(after.height).toBeCloseTo(before.height, 3)
  })

  it('is mirrored by what is smooth, on its own side', () => {
    const picture = makeImage(64, 32, 3)
    // Bright on the right of the set, dark elsewhere.
    for (let y = 0; y < 32; y++)
      for (let x = 0; x < 64; x++)
        picture.data.fill(x >= 40 && x < 56 ? 1 : 0.05, (y * 64 + x) * 3, (y * 64 + x) * 3 + 3)
    const mirror = thing(ball(1), {}, { base: [1, 1, 1, 1], metal: 1, roughness: 0.1 })
    const seen = render(
      makeCrew(1),
      { ball: [mirror] },
      { camera: lookingDown(0, [0, 0, 5], 64, 100), light: { ...NOON, sunShare: 0, sky: { picture, turn: 0 } } },
    )
    const { colour, x, width } = layer(seen, 'ball')
    const value = (column: number): number =>
      colour?.data[((32 - layer(seen, 'ball').y) * width + column - x) * 3 + 1] ?? 0
    expect(value(46)).toBeGreaterThan(4 * value(18))
  })
})
