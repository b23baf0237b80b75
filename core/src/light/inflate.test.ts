import { describe, expect, it } from 'vitest'
import { type FloatImage, makeImage } from '../data/index.ts'
import { inflate } from './inflate.ts'

const masked = (width: number, height: number, inside: (x: number, y: number) => boolean): FloatImage => {
  const image = makeImage(width, height, 1)
  for (let n = 0; n < image.data.length; n++)
    image.data[n] = inside((n % width) + 0.5, Math.floor(n / width) + 0.5) ? 1 : 0
  return image
}

describe('a matte that is rounded', () => {
  it('is half a ball where it is a disc', () => {
    const disc = masked(120, 100, (x, y) => (x - 60) ** 2 + (y - 50) ** 2 < 40 ** 2)
    const { height, normals } = inflate(disc, 1)
    for (const [x, y] of [
      [60, 50],
      [80, 50],
      [60, 25],
      [40, 65],
    ] as const) {
      const n = y * 120 + x
      const [dx, dy] = [x + 0.5 - 60, y + 0.5 - 50]
      const h = Math.sqrt(1600 - dx * dx - dy * dy)
      expect(Math.abs((height.data[n] ?? 0) - h)).toBeLessThan(1.5)
      const [nx = 0, ny = 0, nz = 0] = normals.data.subarray(3 * n, 3 * n + 3)
      expect((nx * dx - ny * dy + nz * h) / 40).toBeGreaterThan(0.995)
    }
    // Nothing outside, and half as deep leans half as much.
    expect(normals.data[0]).toBe(0)
    const flat = inflate(disc, 0.5).normals.data.subarray(3 * (50 * 120 + 90))
    const full = normals.data.subarray(3 * (50 * 120 + 90))
    expect((flat[0] ?? 0) / (flat[2] ?? 1)).toBeCloseTo((0.5 * (full[0] ?? 0)) / (full[2] ?? 1), 4)
  })
  it('has limbs of their own where they have mattes', () => {
    const body = masked(120, 100, (x, y) => Math.abs(x - 40) < 25 && Math.abs(y - 50) < 40)
    const arm = masked(120, 100, (x, y) => Math.abs(x - 50) < 5 && Math.abs(y - 50) < 30)
    const at = (relief: ReturnType<typeof inflate>, x: number): number => relief.normals.data[3 * (50 * 120 + x)] ?? 0
    // Before the body's right half the arm has its own left side.
    expect(at(inflate(body, 1), 46)).toBeGreaterThan(0)
    expect(at(inflate(body, 1, [arm]), 46)).toBeLessThan(-0.3)
  })
  it('of nothing is nothing, and touches the frame without harm', () => {
    expect(inflate(makeImage(8, 8, 1), 1).height.data.some((h) => h !== 0)).toBe(false)
    const whole = inflate(
      masked(16, 12, () => true),
      1,
    )
    expect(whole.normals.data.every(Number.isFinite)).toBe(true)
    expect(whole.normals.data[3 * (6 * 16 + 8) + 2]).toBeGreaterThan(0.9)
  })
})
