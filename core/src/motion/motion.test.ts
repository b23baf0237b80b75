import { describe, expect, it } from 'vitest'
import { makeCrew, random } from '../base/index.ts'
import { type Motion, motionAt } from '../data/index.ts'
import { denseMotion, motionPicture } from './dense.ts'

const [W, H] = [160, 120]
const stream = random(5)
/** A grey texture of waves of many lengths, known between pixels too. */
const waves = Array.from({ length: 40 }, () => {
  const [length, angle] = [4 + 36 * stream.next(), 6.3 * stream.next()]
  return [(6.3 / length) * Math.cos(angle), (6.3 / length) * Math.sin(angle), 6.3 * stream.next()] as const
})
const shade = (x: number, y: number): number =>
  0.3 + waves.reduce((sum, [a, b, c]) => sum + 0.012 * Math.sin(a * x + b * y + c), 0)

/** A frame in which each place shows what `from` says. */
const frame = (from: (x: number, y: number) => readonly [number, number], gain = 1): Float32Array => {
  const rgb = new Float32Array(3 * W * H)
  for (let n = 0; n < W * H; n++) {
    const [x, y] = from((n % W) + 0.5, Math.floor(n / W) + 0.5)
    rgb.fill(gain * shade(x, y), 3 * n, 3 * n + 3)
  }
  return rgb
}
const still = frame((x, y) => [x, y])

/** The largest error, px, away from the rim. */
function worst(motion: Motion, wanted: (x: number, y: number) => readonly [number, number]): number {
  const at = { u: 0, v: 0 }
  let most = 0
  for (let y = 20; y < H - 20; y++)
    for (let x = 20; x < W - 20; x++) {
      const [u, v] = wanted(x, y)
      motionAt(motion, x, y, at)
      most = Math.max(most, Math.hypot(at.u - u, at.v - v))
    }
  return most
}
const between = (a: Float32Array, b: Float32Array, threads = 1) => {
  const crew = makeCrew(threads)
  return denseMotion(crew, motionPicture(crew, a, W, H), motionPicture(crew, b, W, H))
}

describe('dense motion', () => {
  it('is none between a frame and itself', () => {
    expect(worst(between(still, still).to, () => [0, 0])).toBeLessThan(1e-3)
  })
  it('finds a shift by parts of pixels, and the way back', () => {
    const { to, back } = between(
      still,
      frame((x, y) => [x - 5.3, y + 2.6]),
    )
    expect(worst(to, () => [5.3, -2.6])).toBeLessThan(0.12)
    expect(worst(back, () => [-5.3, 2.6])).toBeLessThan(0.12)
  })
  it('finds a turn with a zoom', () => {
    const [c, s] = [1.02 * Math.cos(0.03), 1.02 * Math.sin(0.03)]
    const there = (x: number, y: number) =>
      [80 + c * (x - 80) - s * (y - 60), 60 + s * (x - 80) + c * (y - 60)] as const
    const d = c * c + s * s
    const home = (x: number, y: number) =>
      [80 + (c * (x - 80) + s * (y - 60)) / d, 60 + (-s * (x - 80) + c * (y - 60)) / d] as const
    const { to } = between(still, frame(home))
    expect(
      worst(to, (x, y) => {
        const [a, b] = there(x, y)
        return [a - x, b - y]
      }),
    ).toBeLessThan(0.2)
  })
  it('is not led away by a change of brightness', () => {
    const moved = frame((x, y) => [x - 2, y], 1.04)
    expect(worst(between(still, moved).to, () => [2, 0])).toBeLessThan(0.5)
  })
  it('stays finite where there is nothing to see', () => {
    const flat = new Float32Array(3 * W * H).fill(0.4)
    expect(worst(between(flat, flat).to, () => [0, 0])).toBeLessThan(1e-3)
  })
  it('refuses pictures that are too small, saying so', () => {
    expect(() => motionPicture(makeCrew(1), new Float32Array(3 * 20 * 20), 20, 20)).toThrow(/32 px/)
  })
})
