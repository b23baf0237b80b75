import { describe, expect, it } from 'vitest'
import { makeCrew, random } from '../base/index.ts'
import { fromSensor, PLAIN_SENSOR, putSensor, throughSensor } from './index.ts'

// The stack's kernels against plain twins on seeded pictures.
const [W, H] = [13, 9]
const crew = makeCrew(1)
const picture = (seed: number, top = 1): number => {
  const stream = random(seed)
  const at = crew.heap.alloc(W * H * 16)
  crew.heap.f32(at, W * H * 4).forEach((_, n, all) => (all[n] = stream.next() * top))
  return at
}
const view = (at: number): Float32Array => crew.heap.f32(at, W * H * 4)
const floats = (values: readonly number[]): number => {
  const at = crew.heap.alloc(values.length * 4)
  crew.heap.f32(at, values.length).set(values)
  return at
}
const near = (a: number | undefined, b: number, scale = 1): void =>
  expect(Math.abs((a ?? Number.NaN) - b)).toBeLessThanOrEqual(2e-6 * scale)

describe('blur', () => {
  it.each([0, 1])('sums a line’s neighbours by weight, edges repeated (vertical %d)', (vertical) => {
    const [from, to] = [picture(1), picture(2)]
    const weights = [0.4, 0.2, 0.1]
    crew.run('blurLine', [to, from, floats(weights), 2, W, H, vertical], H)
    const source = view(from)
    for (let y = 0; y < H; y++)
      for (let x = 0; x < W; x++)
        for (let c = 0; c < 4; c++) {
          let sum = 0
          for (let d = -2; d <= 2; d++) {
            const [a, b] = vertical
              ? [x, Math.min(H - 1, Math.max(0, y + d))]
              : [Math.min(W - 1, Math.max(0, x + d)), y]
            sum += (weights[Math.abs(d)] ?? 0) * (source[(b * W + a) * 4 + c] ?? 0)
          }
          near(view(to)[(y * W + x) * 4 + c], sum)
        }
  })
})

describe('grain', () => {
  /** No more grain than the plate's anywhere. */
  const none = (): number => {
    const at = picture(1)
    view(at).fill(0)
    return at
  }
  const lay = (value: number, plateValue: number, seed = 3, spread = 0): number[] => {
    const [image, plate, to] = [picture(11), picture(12), picture(13)]
    view(image).forEach((_, n, all) => (all[n] = n % 4 === 3 ? 1 : value))
    view(plate).fill(plateValue)
    crew.run(
      'compositeGrain',
      [to, image, plate, none(), floats([1e-4, 1e-4, 1e-4, 0, 0, 0, spread, 1]), seed, 0, W],
      H,
    )
    return Array.from({ length: W * H * 3 }, (_, n) => view(to)[Math.floor(n / 3) * 4 + (n % 3)] ?? 0)
  }
  it('leaves what is the plate’s own, to the bit', () => {
    expect(lay(0.25, 0.25).every((value) => value === Math.fround(0.25))).toBe(true)
  })
  it('is the same for a frame every time, and another for the next frame', () => {
    const some = (seed: number): number[] => {
      const [image, plate, to] = [picture(14), picture(15), picture(16)]
      view(image).forEach((_, n, all) => (all[n] = n % 4 === 3 ? 0 : 0.5))
      view(plate).fill(0.1)
      crew.run('compositeGrain', [to, image, plate, none(), floats([1e-4, 1e-4, 1e-4, 0, 0, 0, 0.1, 1]), seed, 0, W], H)
      return [...view(to)]
    }
    expect(some(7)).toEqual(some(7))
    expect(some(7)).not.toEqual(some(8))
  })
})

describe('the sensor', () => {
  it('takes plate values back to the scene’s light as its plain formula does', () => {
    const image = picture(18)
    const before = view(image).slice()
    crew.run('sensorBack', [image, putSensor(crew, PLAIN_SENSOR), W], H)
    for (let n = 0; n < W * H; n++) {
      const light = fromSensor([before[n * 4] ?? 0, before[n * 4 + 1] ?? 0, before[n * 4 + 2] ?? 0])
      light.forEach((value, c) => near(view(image)[n * 4 + c], value, 8))
      expect(view(image)[n * 4 + 3]).toBe(before[n * 4 + 3])
    }
  })
})

describe('the display', () => {
  it('bends highlights as its plain formula does, and clips the rest', () => {
    const image = picture(17, 4)
    const [to, table] = [crew.heap.alloc(W * H * 4), crew.heap.alloc(16384)]
    crew.heap.u8(table, 16384).forEach((_, n, all) => (all[n] = Math.round((n / 16383) * 255)))
    for (const way of [0, putSensor(crew, PLAIN_SENSOR)]) {
      crew.run('display', [to, image, 0.5, way, table, W], H)
      for (let n = 0; n < W * H; n++) {
        const light = [0, 1, 2].map((c) => 0.5 * (view(image)[n * 4 + c] ?? 0)) as [number, number, number]
        for (let c = 0; c < 3; c++) {
          const value = way ? throughSensor(light)[c] : light[c]
          const shown = Math.round(Math.min(1, Math.max(0, value ?? 0)) * 255)
          expect(Math.abs((crew.heap.u8(to, W * H * 4)[n * 4 + c] ?? 0) - shown)).toBeLessThanOrEqual(1)
        }
        expect(crew.heap.u8(to, W * H * 4)[n * 4 + 3]).toBe(255)
      }
    }
  })
})
