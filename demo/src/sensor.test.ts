import { describe, expect, it } from 'vitest'
import { addNoise, throughLens as lensOf, toCodes } from '../testing/plainDevelop.ts'
import { newDeveloper } from './developer.ts'
import { blurPlane, LENS_LOOK, type Planes } from './lens.ts'
import { filmCurve, SENSOR_LOOK } from './sensor.ts'

const [W, H] = [96, 64]
/** r g b in rows through the lens. */
const throughLens = (image: Float32Array, width: number, height: number, look: typeof LENS_LOOK): Planes =>
  lensOf(
    [0, 1, 2].map((c) => Float32Array.from({ length: width * height }, (_, n) => image[3 * n + c] as number)) as Planes,
    width,
    height,
    look,
  )
const flat = (level: number): Float32Array => new Float32Array(W * H).fill(level)
const spread = (values: Float32Array): { mean: number; variance: number } => {
  const mean = values.reduce((sum, v) => sum + v, 0) / values.length
  return { mean, variance: values.reduce((sum, v) => sum + (v - mean) ** 2, 0) / values.length }
}
const noisy = (level: number, frame = 1, seed = 1): Float32Array[] => {
  const planes = [flat(level), flat(level), flat(level)]
  addNoise(planes, W, H, frame, seed, SENSOR_LOOK)
  return planes
}

describe('the sensor', () => {
  it('gives noise whose variance is photon noise in proportion to light plus read noise, by channel', () => {
    for (const level of [0, 0.02, 0.1, 0.5])
      for (const c of [0, 1, 2]) {
        const gain = SENSOR_LOOK.balance[c] ?? 1
        const { mean, variance } = spread(noisy(level)[c] as Float32Array)
        const want = SENSOR_LOOK.photon * gain * level + SENSOR_LOOK.read * gain * gain
        expect(Math.abs(mean - level)).toBeLessThan(5 * Math.sqrt((want * 1.4) / (W * H)))
        expect(variance / want).toBeGreaterThan(0.9)
        expect(variance / want).toBeLessThan(1.1)
      }
  })
  it('makes neighbours a little alike, frames and channels not, and repeats itself exactly', () => {
    const likeness = (a: Float32Array, b: Float32Array, step: number): number => {
      let sum = 0
      let n = 0
      for (let k = 0; k + step < a.length; k++, n++) sum += ((a[k] as number) - 0.3) * ((b[k + step] as number) - 0.3)
      return sum / n / spread(a).variance
    }
    const [one, other] = [noisy(0.3), noisy(0.3, 2)]
    const green = one[1] as Float32Array
    expect(likeness(green, green, 1)).toBeGreaterThan(0.08)
    expect(likeness(green, green, 1)).toBeLessThan(0.3)
    expect(Math.abs(likeness(green, green, 7))).toBeLessThan(0.05)
    expect(Math.abs(likeness(green, other[1] as Float32Array, 0))).toBeLessThan(0.05)
    expect(Math.abs(likeness(green, one[0] as Float32Array, 0))).toBeLessThan(0.05)
    expect(noisy(0.3)).toEqual(one)
    expect(noisy(0.3, 1, 9)).not.toEqual(one)
  })
  it('has a curve that is straight to its knee, joins without a corner, never falls, and ends at white', () => {
    let before = -1
    for (let v = 0; v < 4; v += 0.001) {
      const now = filmCurve(v, SENSOR_LOOK)
      expect(now).toBeGreaterThanOrEqual(before)
      expect(now).toBeLessThanOrEqual(1)
      const straight = (v - SENSOR_LOOK.black) / (1 - SENSOR_LOOK.black)
      if (straight >= 0 && straight < SENSOR_LOOK.knee) expect(now).toBe(straight)
      before = now
    }
    const knee = SENSOR_LOOK.black + SENSOR_LOOK.knee * (1 - SENSOR_LOOK.black)
    const slope = (filmCurve(knee + 1e-4, SENSOR_LOOK) - SENSOR_LOOK.knee) / 1e-4
    expect(slope).toBeGreaterThan(0.98)
    expect(filmCurve(0.5 * SENSOR_LOOK.black, SENSOR_LOOK)).toBe(0)
    expect(filmCurve(SENSOR_LOOK.reach + SENSOR_LOOK.black, SENSOR_LOOK)).toBeCloseTo(1, 2)
  })
  it('codes light by the curve and sRGB, in 8 and 16 bits alike', () => {
    const levels = Float32Array.from({ length: W * H }, (_, n) => (n / (W * H)) * 3.4 - 0.05)
    const [eight, sixteen] = [
      toCodes([levels, levels, levels], new Uint8Array(W * H * 3), 255, SENSOR_LOOK),
      toCodes([levels, levels, levels], new Uint16Array(W * H * 3), 65535, SENSOR_LOOK),
    ]
    for (let n = 0; n < W * H; n += 37) {
      const v = filmCurve(Math.max(0, levels[n] ?? 0), SENSOR_LOOK)
      const want = v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055
      expect(Math.abs((eight[n * 3] ?? 0) - 255 * want)).toBeLessThan(0.6)
      expect(Math.abs((sixteen[n * 3 + 2] ?? 0) / 257 - (eight[n * 3] ?? 0))).toBeLessThan(0.6)
    }
  })
})

describe('the lens', () => {
  it('blurs as the sum of its weights says, in rows and columns, keeping all light', () => {
    const plane = new Float32Array(W * H)
    plane[30 * W + 40] = 1
    blurPlane(plane, W, H, 1.3)
    const reach = 4
    const weight = (d: number): number => (Math.abs(d) > reach ? 0 : Math.exp(-(d * d) / (2 * 1.3 * 1.3)))
    const total = Array.from({ length: 2 * reach + 1 }, (_, n) => weight(n - reach)).reduce((sum, w) => sum + w, 0)
    for (let y = 24; y < 37; y++)
      for (let x = 34; x < 47; x++)
        expect(plane[y * W + x]).toBeCloseTo((weight(x - 40) * weight(y - 30)) / total ** 2, 6)
    expect(spread(plane).mean * W * H).toBeCloseTo(1, 5)
  })
  it('darkens corners, parts red from blue away from the middle, spreads a little of a bright point widely, and is clear in the middle', () => {
    const image = new Float32Array(W * H * 3).fill(0.5)
    const [, green] = throughLens(image, W, H, LENS_LOOK)
    expect(green[32 * W + 48]).toBeCloseTo(0.5, 2)
    expect((green[0] ?? 1) / 0.5).toBeGreaterThan(1 - LENS_LOOK.vignette - 0.02)
    expect((green[0] ?? 1) / 0.5).toBeLessThan(1 - LENS_LOOK.vignette + 0.06)
    const edge = (c: number, planes: readonly Float32Array[]): number => {
      // Where a step at x = 80 is half way up.
      const row = planes[c] as Float32Array
      for (let x = 70; x < 90; x++)
        if (((row[32 * W + x] ?? 0) - 0.45) * ((row[32 * W + x + 1] ?? 0) - 0.45) <= 0)
          return x + (0.45 - (row[32 * W + x] ?? 0)) / ((row[32 * W + x + 1] ?? 0) - (row[32 * W + x] ?? 0))
      return Number.NaN
    }
    const step = Float32Array.from({ length: W * H * 3 }, (_, n) => ((n / 3) % W > 80 ? 1 : 0))
    const parted = throughLens(step, W, H, { blur: 13, vignette: 0, fringe: 30, glow: 0 })
    expect(edge(0, parted)).toBeGreaterThan(edge(1, parted) + 0.5)
    expect(edge(2, parted)).toBeLessThan(edge(1, parted) - 0.5)
    const point = new Float32Array(W * H * 3)
    point[(32 * W + 48) * 3 + 1] = 1000
    const glow = throughLens(point, W, H, { ...LENS_LOOK, vignette: 0 })[1]
    expect(glow[32 * W + 60]).toBeGreaterThan(0.001)
    expect(glow[32 * W + 48]).toBeGreaterThan(50 * (glow[32 * W + 60] ?? 1))
  })
})

describe('the kernels that develop', () => {
  it.each([
    [96, 64],
    [162, 46],
  ])('give what plain loops give, to the bit (%s x %s)', (width, height) => {
    const light = (c: number): Float32Array =>
      Float32Array.from({ length: width * height }, (_, n) =>
        Math.max(0, 0.5 + 0.6 * Math.sin(n * (0.013 + 0.004 * c)) + (n % 97 === 0 ? 4 : 0)),
      )
    const developer = newDeveloper(width, height)
    for (const blur of [0.3, 0.9]) {
      const look = { ...LENS_LOOK, blur, fringe: 9 }
      developer.planes.forEach((plane, c) => plane.set(light(c)))
      const plain = lensOf([light(0), light(1), light(2)], width, height, look)
      developer.throughLens(look)
      for (const [c, plane] of plain.entries()) expect(developer.planes[c]).toEqual(plane)
      addNoise(plain, width, height, 1007, 3, SENSOR_LOOK)
      developer.addNoise(1007, 3, SENSOR_LOOK)
      for (const [c, plane] of plain.entries()) expect(developer.planes[c]).toEqual(plane)
      expect(developer.toCodes(255, SENSOR_LOOK)).toEqual(
        toCodes(plain, new Uint8Array(width * height * 3), 255, SENSOR_LOOK),
      )
      expect(developer.toCodes(65535, SENSOR_LOOK)).toEqual(
        toCodes(plain, new Uint16Array(width * height * 3), 65535, SENSOR_LOOK),
      )
    }
  })
  it('refuse an odd width', () => expect(() => newDeveloper(97, 64)).toThrow(/97 by 64/))
})
