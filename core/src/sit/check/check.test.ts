import { describe, expect, it } from 'vitest'
import { random } from '../../base/index.ts'
import { type FloatImage, makeImage } from '../../data/index.ts'
import { normalise, type Vec3 } from '../../math/index.ts'
import {
  type AreaLine,
  areaLines,
  type CheckFigures,
  type CheckLine,
  degreesBetween,
  eroded,
  grown,
  haloOf,
  isIn,
  LAYER_MATCHES,
  LINE_KINDS,
  lightFrom,
  type MatchedLayer,
  matchedLayer,
  matchRound,
  measureArea,
  plateSpreads,
  regionOf,
  regionWhere,
  robustSigma,
  saidOf,
  shadowFigures,
} from './index.ts'

const [W, H] = [96, 64]
const LAW = { floor: [1e-6, 1e-6, 1e-6], slope: [4e-5, 4e-5, 4e-5], spread: 0 } as {
  floor: [number, number, number]
  slope: [number, number, number]
  spread: number
}
/** Tiles of several tones and hues, with the law's own noise. */
function tiles(seed: number, noise = 1): FloatImage {
  const stream = random(seed)
  const image = makeImage(W, H, 3)
  const normal = (): number => Array.from({ length: 12 }, () => stream.next()).reduce((sum, v) => sum + v, -6)
  for (let n = 0; n < W * H; n++) {
    const tile = (Math.floor((n % W) / 12) * 7 + Math.floor(n / W / 12) * 5) % 9
    for (let c = 0; c < 3; c++) {
      const level = 0.05 + 0.06 * tile + (tile % 3 === 0 ? 0 : 0.04 * c)
      image.data[n * 3 + c] = level + noise * Math.sqrt(1e-6 + 4e-5 * level) * normal()
    }
  }
  return image
}
const all = regionWhere(W, H, () => true)
const changed = (image: FloatImage, f: (v: number, c: number) => number): FloatImage => ({
  ...image,
  data: image.data.map((v, n) => f(v, n % 3)),
})
const plate = tiles(1)
const own = measureArea(plate, all, LAW)
const spreads = plateSpreads(plate, LAW)
const lines = (image: FloatImage): CheckLine[] => areaLines(own, measureArea(image, all, LAW), spreads)
const line = (image: FloatImage, name: AreaLine): CheckLine => {
  const found = lines(image).find((one) => one.name === name)
  if (!found) throw new Error(`no line ${name}`)
  return found
}

describe('regions', () => {
  it('hold what lies within corners, and nothing of a line', () => {
    const corners = [
      [10, 10],
      [30, 10],
      [30, 20],
      [10, 20],
    ] as const
    expect(regionOf(corners, W, H)).toMatchObject({ x: 10, y: 10, width: 20, height: 10, pixels: 200 })
    expect(regionOf([corners[0], corners[1], corners[0]], W, H).pixels).toBe(0)
    expect(regionOf(corners, 5, 5).pixels).toBe(0)
  })
  it('grow and shrink by the same px, and shrink to nothing', () => {
    const spot = regionWhere(W, H, (n) => n % W === 40 && Math.floor(n / W) === 30)
    const wide = grown(spot, 3, W, H)
    expect(wide.pixels).toBe(49)
    expect(isIn(wide, 43, 33)).toBe(true)
    expect(isIn(wide, 44, 33)).toBe(false)
    expect(eroded(wide, 3, W, H)).toMatchObject({ x: 40, y: 30, pixels: 1 })
    expect(eroded(wide, 4, W, H).pixels).toBe(0)
  })
})

describe('the lines of an area', () => {
  it('are all within on the plate itself', () => {
    expect(lines(plate).every(({ within, difference }) => within && difference === 0)).toBe(true)
    expect(lines(plate).length).toBeGreaterThanOrEqual(6)
  })
  it('say exposure in stops, a tint by its channel, contrast by the stops between tones', () => {
    expect(
      line(
        changed(plate, (v) => v * 2 ** 0.3),
        'white',
      ).difference,
    ).toBeCloseTo(0.3, 1)
    const red = line(
      changed(plate, (v, c) => (c === 0 ? 1.1 * v : v)),
      'colour',
    )
    expect(red.difference).toBeCloseTo(Math.log2(1.1), 1)
    expect(saidOf(red)).toMatch(/redder/)
    const flat = line(
      changed(plate, (v) => 0.3 + 0.5 * (v - 0.3)),
      'contrast',
    )
    expect(flat.within).toBe(false)
    expect(saidOf(flat)).toMatch(/flatter/)
  })
  it('say grain over the plate’s law, and nothing of what an encoder flattened', () => {
    expect(own.grain?.level).toBeGreaterThan(0.7)
    expect(own.grain?.level).toBeLessThan(1.2)
    const ratio = (measureArea(tiles(2, 1.5), all, LAW).grain?.level ?? 0) / (own.grain?.level ?? 1)
    expect(ratio).toBeCloseTo(1.5, 1)
    expect(
      measureArea(
        changed(plate, () => 0.3),
        all,
        LAW,
      ).grain,
    ).toBeUndefined()
  })
  it('have spreads between what can be told and what is allowed', () => {
    for (const [name, spread] of Object.entries(spreads)) {
      const { least, most } = LINE_KINDS[name as AreaLine]
      expect(spread).toBeGreaterThanOrEqual(least)
      expect(spread).toBeLessThanOrEqual(most)
    }
    // One wild area among many alike changes little.
    expect(robustSigma([1, 1.1, 0.9, 1, 1.05, 0.95, 40])).toBeLessThan(0.2)
  })
})

describe('a match', () => {
  const now: MatchedLayer = {
    ...{ black: 0, white: 1, contrast: 1, pivot: 0.18, tint: [1, 1, 1] as const },
    ...{ softness: 0.6, grain: 1, calm: 0, shadow: 1, streak: 0 },
  }
  const figuresOf = (image: FloatImage): CheckFigures => measureArea(image, all, LAW)
  const after = (image: FloatImage, asked = LAYER_MATCHES): Partial<MatchedLayer> =>
    matchedLayer(now, figuresOf(image), own, lines(image), asked)
  it('changes nothing that is not asked for', () => {
    expect(matchedLayer(now, own, own, lines(plate), [])).toEqual({})
    expect(
      Object.keys(
        after(
          changed(plate, (v) => 1.3 * v),
          ['grain'],
        ),
      ),
    ).toEqual(['grain', 'calm'])
  })
  it('takes back a gain by white alone, and leaves black where it was', () => {
    const matched = after(
      changed(plate, (v) => 1.3 * v),
      ['white'],
    )
    expect(matched.white).toBeCloseTo(1 / 1.3, 2)
    expect(matched.black).toBeCloseTo(0, 6)
    expect(matched.contrast).toBe(1)
  })
  it('takes back a lift by black and white together', () => {
    const matched = after(
      changed(plate, (v) => 0.04 + 0.9 * v),
      ['black', 'white'],
    )
    expect((matched.black ?? 9) + 0.04 * ((matched.white ?? 9) - (matched.black ?? 9))).toBeCloseTo(0, 2)
    expect(0.9 * ((matched.white ?? 9) - (matched.black ?? 9))).toBeCloseTo(1, 1)
  })
  it('takes back a tint at the same brightness', () => {
    const [r = 0, g = 0] =
      after(
        changed(plate, (v, c) => (c === 0 ? 1.2 * v : v)),
        ['colour'],
      ).tint ?? []
    expect(r / g).toBeCloseTo(1 / 1.2, 1)
  })
  it('lays less grain where the layer brings its own, and takes out what is too much', () => {
    const grain = (layer: number, plateHas = 100): CheckLine =>
      ({ name: 'grain', plate: plateHas, layer, difference: layer - plateHas, spread: 15, within: false }) as CheckLine
    const [less, out] = [130, 180].map((level) => matchedLayer(now, own, own, [grain(level)], ['grain']))
    // 130 % with the plate's whole grain laid: it brings 83 % itself, so 56 % is laid.
    expect(less?.grain).toBeCloseTo(0.557, 2)
    expect(out?.grain).toBe(0)
    expect(out?.calm).toBeGreaterThan(0)
  })
  it('turns contrast and colour in all rounds but the third', () => {
    expect(matchRound(LAYER_MATCHES, 0)).toEqual(LAYER_MATCHES)
    expect(matchRound(LAYER_MATCHES, 2)).not.toContain('contrast')
  })
})

describe('the light on a thing', () => {
  /** Pixels of a ball as it is seen. */
  const lit = (sun: Vec3, shade: (n: Vec3) => number = () => 1) =>
    Array.from({ length: 1600 }, (_, k) => {
      const [x, y] = [((k % 40) - 19.5) / 20, (Math.floor(k / 40) - 19.5) / 20]
      const z = Math.sqrt(Math.max(0, 1 - x * x - y * y))
      const normal: Vec3 = [x, -y, z]
      const sky = 0.5 - 0.5 * y
      const facing = x * sun[0] - y * sun[1] + z * sun[2]
      return {
        inside: x * x + y * y < 0.98,
        normal,
        sky,
        light: (0.6 * Math.max(0, facing) + 0.4 * sky) * shade(normal),
      }
    }).filter(({ inside }) => inside)
  const sun = normalise([-0.6, 0.7, 0.4])
  it('is told within a degree on a matt ball, and within five where a third of it stands in shadow', () => {
    expect(degreesBetween(lightFrom(lit(sun)) ?? [0, 0, 0], sun)).toBeLessThan(1)
    const shaded = lit(sun, ([x]) => (x > 0.3 ? 0.4 : 1))
    expect(degreesBetween(lightFrom(shaded) ?? [0, 0, 0], sun)).toBeLessThan(5)
  })
  it('is not told of a flat side, of a few pixels, or of what is evenly lit', () => {
    const flat = lit(sun).map((one) => ({ ...one, normal: [0, 0, 1] as Vec3 }))
    expect(lightFrom(flat)).toBeUndefined()
    expect(lightFrom(lit(sun).slice(0, 50))).toBeUndefined()
    const stream = random(3)
    expect(lightFrom(lit(sun).map((one) => ({ ...one, light: 0.3 + 0.1 * stream.next() })))).toBeUndefined()
  })
})

describe('halo and shadow', () => {
  const spot = (halo: number): FloatImage => {
    const image = makeImage(400, 240, 3)
    for (let n = 0; n < 400 * 240; n++) {
      const d = Math.sqrt(((n % 400) - 200) ** 2 + (Math.floor(n / 400) - 120) ** 2)
      image.data.fill(d < 6 ? 1 : 0.1 + halo * Math.exp(-((d - 6) ** 2) / 18), n * 3, n * 3 + 3)
    }
    return image
  }
  it('sees more halo where there is more, and none without highlights', () => {
    const [none, some, more] = [0, 0.1, 0.2].map((halo) => haloOf(spot(halo))?.level ?? 9)
    expect(none).toBeCloseTo(0, 3)
    expect((more ?? 0) / (some ?? 1)).toBeCloseTo(2, 1)
    expect(haloOf(changed(spot(0), (v) => 0.8 * v))).toBeUndefined()
  })
  it('tells a shadow’s density by the plate’s own sun, and its tint', () => {
    const one = (value: number): Float32Array => new Float32Array(400).fill(value)
    const flat = (rgb: readonly number[]): FloatImage => {
      const image = makeImage(20, 20, 3)
      image.data.forEach((_, n) => (image.data[n] = rgb[n % 3] ?? 0))
      return image
    }
    const colours = { sun: [1, 1, 1], sky: [1, 1, 1] }
    const by = (left: readonly number[]) =>
      shadowFigures(flat(left), flat([0.5, 0.5, 0.5]), { sun: one(0), sky: one(1) }, one(0.6), one(0), colours)
    expect(by([0.4, 0.4, 0.4])).toMatchObject({ plate: expect.closeTo(0.6, 5), layer: expect.closeTo(0.6, 5) })
    expect(by([0.52, 0.52, 0.52])?.layer).toBeCloseTo(0.48, 5)
    expect(by([0.4, 0.4, 0.5])?.blue).toBeCloseTo(Math.log2(1.25), 4)
    expect(
      shadowFigures(flat([1, 1, 1]), flat([1, 1, 1]), { sun: one(1), sky: one(1) }, one(0.6), one(0), colours),
    ).toBeUndefined()
  })
})
