import { random } from '@lantern/core/base'
import { describe, expect, it } from 'vitest'
import { corners, edgeSpread, type Luma, lumaOf, ninths, patchCorrelation, spectrumSlope, tones } from './figures.ts'

// The yardsticks themselves, on pictures whose figures are known.
const picture = (width: number, height: number, at: (x: number, y: number) => number): Luma => ({
  width,
  height,
  data: Float32Array.from({ length: width * height }, (_, n) => at(n % width, Math.floor(n / width))),
})

/** The normal distribution (Abramowitz & Stegun 7.1.26). */
function normal(x: number): number {
  const t = 1 / (1 + (0.3275911 * Math.abs(x)) / Math.SQRT2)
  const e =
    1 -
    t *
      (0.254829592 + t * (-0.284496736 + t * (1.421413741 + t * (-1.453152027 + t * 1.061405429)))) *
      Math.exp((-x * x) / 2)
  return x < 0 ? (1 - e) / 2 : (1 + e) / 2
}

it('reads light and tones from codes', () => {
  const rgb = new Uint8Array([0, 0, 0, 255, 255, 255, 128, 128, 128, 5, 11, 3])
  const { data } = lumaOf(rgb, 4, 1)
  expect(data[0]).toBe(0)
  expect(data[1]).toBeCloseTo(1, 6)
  expect(data[2]).toBeCloseTo(0.2158, 3)
  expect(tones(rgb)).toEqual({ dark: 0.5, clipped: 0.25 })
})

it('measures the rise of an edge: 2.56 sigma of its blur, on upright and level edges', () => {
  for (const sigma of [0.6, 0.9]) {
    const upright = picture(200, 120, (x) => 0.1 + 0.6 * normal((x - 100.3) / sigma))
    const level = picture(200, 120, (_, y) => 0.7 - 0.6 * normal((y - 60.2) / sigma))
    for (const one of [upright, level]) expect(Math.abs(edgeSpread(one) / (2.563 * sigma) - 1)).toBeLessThan(0.12)
  }
  expect(edgeSpread(picture(100, 100, () => 0.5))).toBeNaN()
})

it('finds the slope of a spectrum that was made with it', () => {
  for (const slope of [-1.5, -2.3]) {
    // Many plane waves, evenly over the octaves, with power density f^slope in the plane: f^(slope + 2) in an octave.
    const draw = random(5)
    const waves = Array.from({ length: 260 }, () => {
      const f = 3 * 2 ** (draw.next() * 6)
      const a = draw.next() * 2 * Math.PI
      return {
        u: (f * Math.cos(a)) / 256,
        v: (f * Math.sin(a)) / 256,
        strength: f ** ((slope + 2) / 2),
        phase: draw.next() * 7,
      }
    })
    const made = picture(
      256,
      256,
      (x, y) =>
        Math.exp(
          0.03 * waves.reduce((sum, w) => sum + w.strength * Math.sin(2 * Math.PI * (w.u * x + w.v * y) + w.phase), 0),
        ) * 0.5,
    )
    expect(Math.abs(spectrumSlope(made, 256) - slope)).toBeLessThan(0.3)
  }
})

describe('corners', () => {
  const board = picture(256, 192, (x, y) => ((Math.floor((x + 8) / 32) + Math.floor((y + 8) / 32)) % 2 ? 0.8 : 0.1))
  it('are those of a chequer, apart from one another, counted by ninths', () => {
    const found = corners(board)
    expect(found.length).toBe(8 * 6)
    for (const { x, y } of found) {
      expect(Math.abs(((x + 8 + 16) % 32) - 16)).toBeLessThanOrEqual(3)
      expect(Math.abs(((y + 8 + 16) % 32) - 16)).toBeLessThanOrEqual(3)
    }
    expect(ninths(found, 256, 192).reduce((sum, n) => sum + n, 0)).toBe(48)
    expect(Math.min(...ninths(found, 256, 192))).toBeGreaterThan(2)
    expect(corners(picture(64, 64, (x) => x / 64)).length).toBe(0)
  })
  it('correlate with themselves, between pixels too, whatever the exposure, and not with what is elsewhere', () => {
    const soft = picture(
      128,
      128,
      (x, y) => (0.5 + 0.3 * Math.sin(x * 0.5) * Math.cos(y * 0.37) + 0.1 * Math.sin(x * 0.21 + y * 0.9)) ** 2,
    )
    const moved = picture(
      128,
      128,
      (x, y) =>
        0.4 *
        (0.5 +
          0.3 * Math.sin((x - 3.4) * 0.5) * Math.cos((y + 1.7) * 0.37) +
          0.1 * Math.sin((x - 3.4) * 0.21 + (y + 1.7) * 0.9)) **
          2,
    )
    expect(patchCorrelation(soft, 60, 60, soft, 60, 60)).toBeCloseTo(1, 9)
    expect(patchCorrelation(soft, 60, 60, moved, 63.4, 58.3)).toBeGreaterThan(0.99)
    expect(patchCorrelation(soft, 60, 60, moved, 70, 66)).toBeLessThan(0.7)
    expect(patchCorrelation(soft, 2, 60, moved, 63, 58)).toBeUndefined()
  })
})
