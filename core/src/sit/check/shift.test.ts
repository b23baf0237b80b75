import { describe, expect, it } from 'vitest'
import { shiftBetween } from './shift.ts'

const [W, H] = [72, 60]
const shade = (x: number, y: number): number =>
  0.4 + 0.12 * Math.sin(0.21 * x + 0.13 * y) + 0.1 * Math.sin(0.11 * x - 0.29 * y) + 0.05 * Math.sin(0.6 * x + 0.5 * y)
const picture = (dx: number, dy: number, gain = 1, level = 0): Float32Array =>
  Float32Array.from({ length: W * H }, (_, n) => gain * shade((n % W) - dx, Math.floor(n / W) - dy) + level)
const all = new Uint8Array(W * H).fill(1)

describe('how far a picture is moved against another', () => {
  it.each([
    [0, 0],
    [0.3, -0.7],
    [3, 1.25],
    [-6.5, 4],
  ])('is told to a twentieth of a pixel: %f, %f', (dx, dy) => {
    const found = shiftBetween(picture(0, 0), picture(dx, dy), all, W, H)
    expect(found?.[0]).toBeCloseTo(dx, 1)
    expect(found?.[1]).toBeCloseTo(dy, 1)
    expect(Math.abs((found?.[0] ?? 9) - dx)).toBeLessThan(0.05)
  })

  it('is the same where one is brighter and lifted', () => {
    const found = shiftBetween(picture(0, 0), picture(2, -1, 1.3, 0.05), all, W, H)
    expect(found?.[0]).toBeCloseTo(2, 1)
    expect(found?.[1]).toBeCloseTo(-1, 1)
  })

  it('looks at what is in the mask alone', () => {
    const to = picture(2, 0)
    const mask = Uint8Array.from({ length: W * H }, (_, n) => Number(n % W < 44))
    for (let n = 0; n < W * H; n++) if (n % W >= 44) to[n] = 9
    expect(shiftBetween(picture(0, 0), to, mask, W, H)?.[0]).toBeCloseTo(2, 1)
  })

  it('is not told where nothing varies, or along one way only', () => {
    const even = new Float32Array(W * H).fill(0.4)
    expect(shiftBetween(even, even, all, W, H)).toBeUndefined()
    const bars = Float32Array.from({ length: W * H }, (_, n) => 0.4 + 0.2 * Math.sin(0.4 * (n % W)))
    expect(shiftBetween(bars, bars, all, W, H)).toBeUndefined()
  })
})
