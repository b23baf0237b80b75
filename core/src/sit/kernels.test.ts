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

describe('halving and doubling light', () => {
  it('keeps a point’s light and middle, and spreads it by 3/4 px each way', () => {
    const [across, down] = [Math.ceil(W / 2), Math.ceil(H / 2)]
    for (const [px, py] of [
      [6, 4],
      [7, 5],
    ] as const) {
      const [from, to] = [picture(1), picture(2)]
      view(from).fill(0)
      view(to).fill(0)
      view(from)[(py * W + px) * 4] = 1
      const small = crew.heap.alloc(across * down * 16)
      crew.run('shrinkLight', { dst: small, src: from, width: W, height: H, across }, down)
      crew.run('growLight', { image: to, small, gain: floats([1, 1, 1, 0]), across, down, width: W }, H)
      let [sum, atX, atY, wide] = [0, 0, 0, 0]
      for (let y = 0; y < H; y++)
        for (let x = 0; x < W; x++) {
          const v = view(to)[(y * W + x) * 4] ?? 0
          sum += v
          atX += v * x
          atY += v * y
          wide += v * (x - px) ** 2
        }
      near(sum, 1)
      near(atX, px, 8)
      near(atY, py, 8)
      near(wide, 1.5, 8)
    }
  })
  it('leaves even light even, to the edges of odd sizes', () => {
    const [across, down] = [Math.ceil(W / 2), Math.ceil(H / 2)]
    const [from, to, small] = [picture(1), picture(2), crew.heap.alloc(across * down * 16)]
    view(from).fill(0.5)
    view(to).fill(0.25)
    crew.run('shrinkLight', { dst: small, src: from, width: W, height: H, across }, down)
    crew.run('growLight', { image: to, small, gain: floats([2, 2, 2, 0]), across, down, width: W }, H)
    for (let n = 0; n < W * H; n++) near(view(to)[n * 4], 1.25)
  })
})

describe('the grade', () => {
  it.each([0.02, -0.1])(
    'with a black of %d is of colour divided by alpha and of how bright it is, as its plain formula has it',
    (black) => {
      const [colour, glow] = [picture(21), picture(22, 2)]
      view(colour).fill(0, 0, 12)
      const before = [view(colour).slice(), view(glow).slice()] as const
      const [span, own, pivot, gamma, contrast, saturation] = [[0.9, 1, 1.1], [1.2, 1, 0.8], 0.3, 1.3, 1.2, 0.7]
      const numbers = new Array<number>(32).fill(0)
      numbers.splice(0, 3, black, black, black)
      numbers.splice(4, 3, ...span)
      numbers.splice(12, 3, ...own)
      numbers.splice(16, 4, pivot ** (1 / gamma), pivot, contrast / gamma, saturation)
      crew.run('gradeLayer', { colour, glow, curves: 0, numbers: floats(numbers), width: W }, H)
      const graded = (c: number[]): number[] => {
        const bright = (v: readonly number[]): number =>
          0.2126 * (v[0] ?? 0) + 0.7152 * (v[1] ?? 0) + 0.0722 * (v[2] ?? 0)
        const gain = (pivot ** (1 / gamma) * (bright(c) / pivot) ** (contrast / gamma)) / bright(c)
        const bent = c.map((v) => v * gain)
        return bent.map((v) => Math.max(0, bright(bent) + saturation * (v - bright(bent))))
      }
      for (let n = 0; n < W * H; n++) {
        const [k, g] = before.map((image) => [...image.subarray(4 * n, 4 * n + 4)]) as [number[], number[]]
        const alpha = k[3] ?? 0
        const lifted = span.map((s, c) => Math.max(0, black) + (s * (k[c] ?? 0)) / alpha)
        const veil = Math.max(0, Math.min(-black, 0.85 * Math.min(...lifted)))
        const straight = lifted.map((v) => v - veil)
        const bright = 0.2126 * (straight[0] ?? 0) + 0.7152 * (straight[1] ?? 0) + 0.0722 * (straight[2] ?? 0)
        const rest = -black - veil
        const toe = rest <= 1e-9 ? 1 : bright > 1.5 * rest ? (bright - rest) / bright : (4 / 27) * (bright / rest) ** 2
        const body = n < 3 ? [0, 0, 0] : graded(straight.map((v) => v * toe)).map((v) => v * alpha)
        const light = graded(own.map((s, c) => s * (g[c] ?? 0)))
        for (let c = 0; c < 3; c++) {
          near(view(colour)[4 * n + c], body[c] ?? 0, 4)
          near(view(glow)[4 * n + c], light[c] ?? 0, 8)
        }
        expect([view(colour)[4 * n + 3], view(glow)[4 * n + 3]]).toEqual([alpha, g[3]])
      }
    },
  )
})

describe('grain', () => {
  /** No more grain than the plate's anywhere. */
  const none = (): number => {
    const at = picture(1)
    view(at).fill(0)
    return at
  }
  const room = (): number => crew.heap.alloc(3 * (W + 2) * 16)
  const lay = (value: number, plateValue: number, seed = 3, spread = 0): number[] => {
    const [image, plate, to] = [picture(11), picture(12), picture(13)]
    view(image).forEach((_, n, all) => (all[n] = n % 4 === 3 ? 1 : value))
    view(plate).fill(plateValue)
    const law = { more: none(), grain: floats([1e-4, 1e-4, 1e-4, 0, 0, 0, spread, 1]), rows: room() }
    crew.run('compositeGrain', { dst: to, image, plate, ...law, seed, sensor: 0, width: W }, H)
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
      const law = { more: none(), grain: floats([1e-4, 1e-4, 1e-4, 0, 0, 0, 0.1, 1]), rows: room() }
      crew.run('compositeGrain', { dst: to, image, plate, ...law, seed, sensor: 0, width: W }, H)
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
