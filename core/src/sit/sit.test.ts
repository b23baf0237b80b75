import { describe, expect, it } from 'vitest'
import { noiseImage } from '../../testing/stackPictures.ts'
import { makeCrew, random } from '../base/index.ts'
import { type FloatImage, makeImage, type PictureLayer } from '../data/index.ts'
import {
  BARE_LAYER,
  BARE_STACK,
  compositeStack,
  decodeRec709,
  decodeSrgb,
  encodeSrgb,
  exposureForFire,
  flameBrightness,
  fromSensor,
  type GrainLaw,
  measureGrain,
  plateScene,
  SENSOR_TOP,
  type StackLayer,
  type StackSettings,
  throughSensor,
  toDisplay,
} from './index.ts'

const [W, H] = [12, 8]
const how = (over: Partial<StackLayer> = {}): StackLayer => ({ ...BARE_LAYER, ...over })
const noise = (channels: number, seed: number, top?: number): FloatImage => noiseImage(W, H, channels, seed, top)
const constantOf = (width: number, height: number, values: readonly number[]): FloatImage => {
  const image = makeImage(width, height, values.length)
  image.data.forEach((_, n) => (image.data[n] = values[n % values.length] ?? 0))
  return image
}
const constant = (_: number, values: readonly number[]): FloatImage => constantOf(W, H, values)
/** A layer over the whole picture, of what is given of it. */
const layer = (images: Partial<PictureLayer>, id = 'smoke'): PictureLayer => ({
  id,
  x: 0,
  y: 0,
  width: W,
  height: H,
  ...images,
})
const settings = (over: Partial<StackSettings> = {}): StackSettings => ({ ...BARE_STACK, ...over })
const lay = (plate: FloatImage, layers: PictureLayer[], over: Partial<StackSettings> = {}): FloatImage => {
  const { width, height } = plate
  const sunlit = { width, height, channels: 1, data: new Float32Array(width * height).fill(0.6) }
  return compositeStack(makeCrew(1), plate, { width, height, layers, sunlit }, settings(over), 1, 1)
}
/** An image of noise times another one's value. */
const times = (image: FloatImage, by: FloatImage): FloatImage => {
  const out = makeImage(W, H, image.channels)
  out.data.forEach((_, n) => (out.data[n] = (image.data[n] ?? 0) * (by.data[Math.floor(n / image.channels)] ?? 0)))
  return out
}

/** What of a pixel shines of itself, as the kernel has it. */
function ownLight(rgb: readonly number[]): number {
  const [most, least] = [Math.max(...rgb), Math.min(...rgb)]
  const clamped = (value: number): number => Math.min(1, Math.max(0, value))
  return clamped((most - 0.75) * 5) * clamped((0.55 - least / Math.max(most, 1e-6)) * 4)
}

describe('the stack', () => {
  it('is what layers leave of the plate x (their shadows + their light) + their sum, to 1e-6', () => {
    const plate = noise(3, 9)
    const [alphaA, alphaB] = [noise(1, 2, 0.5), noise(1, 3, 0.5)]
    const a = layer(
      {
        colour: times(noise(3, 4), alphaA),
        alpha: alphaA,
        emission: noise(3, 5, 2),
        effect: noise(3, 6, 0.2),
        light: noise(3, 7, 0.5),
      },
      'a',
    )
    const b = layer({ colour: times(noise(3, 8), alphaB), alpha: alphaB, sun: noise(1, 10), sky: noise(1, 11) }, 'b')
    const lays = [
      { of: 'a', how: how({ amount: 0.8, exposure: 1, glow: 0.5 }) },
      { of: 'b', how: how({ shadow: 0.7 }) },
    ]
    const result = lay(plate, [a, b], { lays, fireExposure: 1 })
    const at = (image: FloatImage | undefined, n: number, c = 0): number => image?.data[n * image.channels + c] ?? 0
    for (let n = 0; n < W * H; n++)
      for (let c = 0; c < 3; c++) {
        const left = 1 - 0.8 * at(alphaA, n) - at(alphaB, n)
        const cast = 1 - 0.7 * (0.6 * (1 - at(b.sun, n)) + 0.4 * (1 - at(b.sky, n)))
        const shadow = cast + (1 - cast) * ownLight([at(plate, n), at(plate, n, 1), at(plate, n, 2)])
        const lit = at(plate, n, c) * left * (shadow + 4 * at(a.light, n, c))
        const own = 2 * (at(a.colour, n, c) + 2 * at(a.effect, n, c)) + 2 * 2 * 0.5 * at(a.emission, n, c)
        expect(Math.abs(at(result, n, c) - (lit + 0.8 * own + at(b.colour, n, c)))).toBeLessThan(5e-6)
      }
  })
  it('leaves flames of the plate unshadowed, and shadows white walls', () => {
    const shade = layer({ sun: makeImage(W, H, 1), sky: makeImage(W, H, 1) })
    const level = (rgb: [number, number, number]): number => (lay(constant(3, rgb), [shade]).data[0] ?? 0) / rgb[0]
    expect(level([1, 0.5, 0.1])).toBeCloseTo(1, 5)
    expect(level([0.98, 0.98, 0.95])).toBeCloseTo(level([0.4, 0.4, 0.4]), 5)
    expect(level([0.6, 0.2, 0.05])).toBeCloseTo(level([0.4, 0.4, 0.4]), 5)
    expect(level([0.4, 0.4, 0.4])).toBeLessThan(0.6)
  })
  it('takes the plate’s shadow in the colours of its sun and sky', () => {
    const plate = constant(3, [0.5, 0.5, 0.5])
    const shade = layer({ sun: makeImage(W, H, 1) })
    const result = lay(plate, [shade], { sunColour: [1.25, 1, 0.75], skyColour: [0.9, 1, 1.15] })
    // What is left where the sun is gone is the sky's part: bluer.
    expect((result.data[2] ?? 0) / (result.data[0] ?? 1)).toBeGreaterThan(1.2)
    const luminance = 0.2126 * (result.data[0] ?? 0) + 0.7152 * (result.data[1] ?? 0) + 0.0722 * (result.data[2] ?? 0)
    expect(luminance / 0.5).toBeCloseTo(0.4, 1)
  })
  it('lays layers of a part of the frame, and of another size, where they belong', () => {
    const half = {
      id: 'small',
      x: 2,
      y: 1,
      width: 2,
      height: 2,
      alpha: constantOf(2, 2, [1]),
      colour: constantOf(2, 2, [1, 1, 1]),
    }
    const plate = constant(3, [0, 0, 0])
    const sunlit = makeImage(W / 2, H / 2, 1)
    const result = compositeStack(
      makeCrew(1),
      plate,
      { width: W / 2, height: H / 2, layers: [half], sunlit },
      settings(),
      1,
      1,
    )
    const at = (x: number, y: number): number => result.data[(y * W + x) * 4] ?? 0
    for (const [x, y] of [
      [5, 3],
      [6, 4],
    ] as const)
      expect(at(x, y)).toBe(1)
    for (const [x, y] of [
      [2, 3],
      [9, 3],
      [5, 0],
      [5, 7],
    ] as const)
      expect(at(x, y)).toBe(0)
    // The edge of a pixel twice as large is smooth between the two.
    expect(at(4, 3)).toBeCloseTo(0.75, 6)
    const sum = result.data.reduce((total, value, n) => total + (n % 4 === 0 ? value : 0), 0)
    expect(sum).toBeCloseTo(16, 4)
  })
  it('leaves the plate to the bit where nothing was added, grain and all', () => {
    const plate = noise(3, 9)
    const empty = layer({
      colour: makeImage(W, H, 3),
      alpha: makeImage(W, H, 1),
      emission: makeImage(W, H, 3),
      light: makeImage(W, H, 3),
      sun: constant(1, [1]),
    })
    const grain: GrainLaw = { floor: [1e-4, 1e-4, 1e-4], slope: [1e-3, 1e-3, 1e-3], spread: 0.2 }
    const result = lay(plate, [empty], {
      plain: how({ softness: 2, shadowSoftness: 2 }),
      fireExposure: 3,
      grain,
      grainAmount: 1,
    })
    for (let n = 0; n < W * H * 3; n++) expect(result.data[Math.floor(n / 3) * 4 + (n % 3)]).toBe(plate.data[n])
  })
  it('grades on colour divided by alpha: black and white hold at any cover', () => {
    const grey = layer({ colour: constant(3, [0.1, 0.1, 0.1]), alpha: constant(1, [0.5]) })
    const result = lay(constant(3, [0, 0, 0]), [grey], { plain: how({ black: 0.04, white: 0.54 }) })
    expect(result.data[0]).toBeCloseTo(0.5 * (0.04 + 0.2 * 0.5), 6)
  })
  it('hides what is not shown and keeps the light of a blurred layer', () => {
    const emission = makeImage(W, H, 3)
    emission.data[(4 * W + 6) * 3] = 1
    const plate = makeImage(W, H, 3)
    const soft = lay(plate, [layer({ emission })], { plain: how({ softness: 0.7 }) })
    expect(soft.data.filter((_, n) => n % 4 === 0).reduce((sum, v) => sum + v, 0)).toBeCloseTo(1, 4)
    expect(soft.data[(4 * W + 6) * 4]).toBeLessThan(0.6)
    expect(lay(plate, [layer({ emission })], { plain: how({ shown: false }) }).data[(4 * W + 6) * 4]).toBe(0)
  })
})

describe('grain', () => {
  const grainy = (floor: number, slope: number, size = 256): FloatImage => {
    const stream = random(21)
    const normal = (): number => Math.sqrt(-2 * Math.log(1 - stream.next())) * Math.cos(2 * Math.PI * stream.next())
    const image = makeImage(size, size, 3)
    for (let y = 0; y < size; y++)
      for (let x = 0; x < size; x++) {
        const value = 0.02 + (0.7 * Math.floor((x / size) * 8)) / 8
        for (let c = 0; c < 3; c++)
          image.data[(y * size + x) * 3 + c] = value + normal() * Math.sqrt(floor + slope * value)
      }
    return image
  }
  it('is measured per brightness within 5 % of the level', () => {
    const [floor, slope] = [4e-5, 3e-4]
    const law = measureGrain(grainy(floor, slope))
    for (const value of [0.1, 0.3, 0.6])
      for (let c = 0; c < 3; c++)
        expect(
          Math.abs(Math.sqrt((law.floor[c] ?? 0) + (law.slope[c] ?? 0) * value) / Math.sqrt(floor + slope * value) - 1),
        ).toBeLessThan(0.05)
    expect(law.spread).toBeLessThan(0.06)
  })
  it('is not taken from what an encoder flattened', () => {
    const image = grainy(4e-5, 3e-4)
    // Three tenths of the picture's patches lose their grain, more than the calmest tenth of any brightness.
    for (let y = 0; y < 256; y++)
      for (let x = 0; x < 256; x++)
        if ((y >> 2) % 10 < 3)
          for (let c = 0; c < 3; c++) image.data[(y * 256 + x) * 3 + c] = 0.02 + (0.7 * Math.floor((x / 256) * 8)) / 8
    const level = (law: GrainLaw): number => Math.sqrt((law.floor[1] ?? 0) + (law.slope[1] ?? 0) * 0.3)
    const truth = Math.sqrt(4e-5 + 3e-4 * 0.3)
    expect(level(measureGrain(image))).toBeLessThan(0.2 * truth)
    expect(level(measureGrain(image, () => 1 / 255)) / truth).toBeGreaterThan(0.9)
    expect(level(measureGrain(image, () => 1 / 255)) / truth).toBeLessThan(1.1)
  })
  it('is nothing on a clean picture', () => {
    const law = measureGrain(grainy(0, 0))
    expect(Math.max(...law.floor, ...law.slope)).toBeLessThan(1e-9)
  })
  it('is put on with the level that its law asks for', () => {
    const size = 96
    const law: GrainLaw = { floor: [1e-4, 1e-4, 1e-4], slope: [0, 0, 0], spread: 0.15 }
    const flat = (channels: number, value: number): FloatImage => ({
      width: size,
      height: size,
      channels,
      data: new Float32Array(size * size * channels).fill(value),
    })
    const cover = { id: 'a', x: 0, y: 0, width: size, height: size, colour: flat(3, 0.999), alpha: flat(1, 0.999) }
    const picture = { width: size, height: size, layers: [cover], sunlit: flat(1, 0) }
    const result = compositeStack(makeCrew(1), flat(3, 0.2), picture, settings({ grain: law, grainAmount: 1 }), 1, 7)
    const values = Array.from(result.data.filter((_, n) => n % 4 === 0))
    const mean = values.reduce((sum, v) => sum + v, 0) / values.length
    const deviation = Math.sqrt(values.reduce((sum, v) => sum + (v - mean) ** 2, 0) / values.length)
    expect(deviation / 0.01).toBeGreaterThan(0.95)
    expect(deviation / 0.01).toBeLessThan(1.05)
  })
})

describe('the display', () => {
  it('goes there and back', () => {
    for (let n = 0; n <= 20; n++) expect(encodeSrgb(decodeSrgb(n / 20))).toBeCloseTo(n / 20, 6)
    expect(decodeRec709(1)).toBeCloseTo(1, 12)
  })
  it('turns every code of a plate back into itself where nothing bends it', () => {
    const image = makeImage(256, 1, 4)
    for (let n = 0; n < 256; n++) image.data.set([decodeSrgb(n / 255), 0, 0, 1], n * 4)
    const bytes = toDisplay(makeCrew(1), image, 0, 'clip')
    for (let n = 0; n < 256; n++) expect(bytes[n * 4]).toBe(n)
    expect(toDisplay(makeCrew(1), image, 1, 'clip')[100 * 4]).toBeGreaterThan(100)
  })
})

describe('the sensor', () => {
  it('gives back every plate code that it is taken through, to the byte', () => {
    const crew = makeCrew(1)
    const image = makeImage(256, 24, 3)
    for (let y = 0; y < 24; y++)
      for (let x = 0; x < 256; x++)
        image.data.set(
          [x, (x * (y + 3)) % 256, (255 - x + 11 * y) % 256].map((code) => decodeSrgb(code / 255)),
          (y * 256 + x) * 3,
        )
    const scene = plateScene(crew, image)
    const four = makeImage(256, 24, 4)
    for (let n = 0; n < 256 * 24; n++) for (let c = 0; c < 3; c++) four.data[n * 4 + c] = scene.data[n * 3 + c] ?? 0
    const bytes = toDisplay(crew, four, 0, 'sensor')
    for (let n = 0; n < 256 * 24; n++)
      for (let c = 0; c < 3; c++)
        expect(bytes[n * 4 + c]).toBe(Math.round(encodeSrgb(image.data[n * 3 + c] ?? 0) * 255))
  })
  it('leaves what is dark as it is, never darkens by more light, and clips at its top', () => {
    expect(throughSensor([0.3, 0.5, 0.1])).toEqual([0.3, 0.5, 0.1])
    let before = 0
    for (let n = 0; n <= 200; n++) {
      const [value] = throughSensor([n / 10, n / 10, n / 10])
      expect(value).toBeGreaterThanOrEqual(before - 1e-9)
      before = value
    }
    expect(before).toBeCloseTo(1, 6)
    expect(fromSensor([1, 1, 1])[1]).toBeCloseTo(SENSOR_TOP, 4)
    // A bright orange runs to a yellow and on to white, as filmed flames do.
    const orange = [1, 4, 40].map((gain) => throughSensor([gain, 0.45 * gain, 0.12 * gain]))
    const green = orange.map(([r, g]) => g / r)
    expect(green[1]).toBeGreaterThan(green[0] ?? 1)
    expect(green[2]).toBeGreaterThan(0.95)
  })
  it('adds fire to what the plate saw: the brighter the plate, the less it gains', () => {
    const gain = (plate: number): number => {
      const [scene] = fromSensor([plate, plate, plate])
      return throughSensor([scene + 0.5, scene + 0.5, scene + 0.5])[0] - plate
    }
    expect(gain(0.1)).toBeCloseTo(0.5, 6)
    expect(gain(0.9)).toBeLessThan(0.1)
    expect(gain(0.9)).toBeGreaterThan(0)
  })
})

describe('halation', () => {
  it('spreads its share of the fire’s light, redder near it, and nothing without fire', () => {
    const [width, height] = [320, 192]
    const crew = makeCrew(1)
    const flat = (channels: number, value: number): FloatImage => {
      const image = makeImage(width, height, channels)
      image.data.fill(value)
      return image
    }
    const fire = flat(3, 0)
    for (let y = 88; y < 104; y++)
      for (let x = 152; x < 168; x++) fire.data.fill(4, (y * width + x) * 3, (y * width + x) * 3 + 3)
    const over = (burning: FloatImage): FloatImage =>
      compositeStack(
        crew,
        flat(3, 0),
        { width, height, layers: [{ id: 'a', x: 0, y: 0, width, height, emission: burning }], sunlit: flat(1, 0) },
        settings({ halation: { share: 0.1, radius: 0.012, red: 1 } }),
        1,
        1,
      )
    const lit = over(fire)
    const sum = (c: number): number => lit.data.reduce((total, v, n) => total + (n % 4 === c ? v : 0), 0)
    const own = fire.data.reduce((total, v) => total + v, 0) / 3
    expect((sum(0) - own) / own).toBeCloseTo(0.1, 2)
    expect(sum(2)).toBeLessThan(sum(0))
    expect(lit.data[4 * (96 * width + 175)]).toBeGreaterThan(lit.data[4 * (96 * width + 190)] ?? 1)
    expect(over(flat(3, 0)).data.every((v, n) => v === (n % 4 === 3 ? 1 : 0))).toBe(true)
  })
})

describe('the fire’s exposure', () => {
  const fire = (values: readonly number[]): FloatImage => {
    const image = makeImage(values.length, 1, 3)
    values.forEach((value, n) => image.data.fill(value, n * 3, n * 3 + 3))
    return image
  }
  it('puts the flame’s brightest parts at a few times white, whatever is dark round it', () => {
    const flame = flameBrightness(
      fire([...Array.from({ length: 900 }, () => 0), ...Array.from({ length: 100 }, (_, n) => n + 1)]),
    )
    expect(flame).toBeCloseTo(99, 0)
    const shown = (flame ?? 0) * 2 ** exposureForFire(flame ?? 0)
    expect(shown).toBeGreaterThan(2)
    expect(shown).toBeLessThan(5)
  })
  it('is none where nothing burns', () => {
    expect(flameBrightness(fire([0, 0, 0]))).toBeUndefined()
  })
})
