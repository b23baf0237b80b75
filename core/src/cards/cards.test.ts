import { describe, expect, it } from 'vitest'
import { type FloatImage, makeImage } from '../data/index.ts'
import { borders, type ClipTiming, clipFrames, clipStep, cutByColour, cutFromBlack, feathered, mixed } from './index.ts'

const timing = (over: Partial<ClipTiming> = {}): ClipTiming => ({
  first: 1,
  last: 100,
  shot: 120,
  plate: 24,
  pace: 1,
  after: 'hold',
  crossFade: 0,
  offset: 0,
  between: 'blend',
  ...over,
})
const only = (over: Partial<ClipTiming>, elapsed: number): number | undefined => {
  const all = clipFrames(timing(over), elapsed)
  expect(all).toHaveLength(1)
  return all[0]?.frame
}

describe('a counted clip', () => {
  it('shot at 120 shows every fifth frame on a plate of 24, whatever it was delivered at', () => {
    expect(clipStep(timing())).toBe(5)
    for (const n of [0, 1, 2, 7, 19]) expect(only({}, n)).toBe(1 + 5 * n)
    expect(only({}, 40)).toBe(100)
    expect(clipFrames(timing(), -1)).toEqual([])
  })
  it('runs backward, twice as fast, from further in it, and ends', () => {
    expect(only({ pace: -1 }, 0)).toBe(100)
    expect(only({ pace: -1 }, 3)).toBe(85)
    expect(only({ pace: 2 }, 3)).toBe(31)
    expect(only({ offset: 10 }, 2)).toBe(21)
    expect(clipFrames(timing({ after: 'nothing' }), 20)).toEqual([])
    expect(only({ after: 'nothing' }, 19)).toBe(96)
  })
  it('is both of its neighbours between two frames, or the nearer one', () => {
    expect(clipFrames(timing({ shot: 60 }), 1)).toEqual([
      { frame: 3, share: 0.5 },
      { frame: 4, share: 0.5 },
    ])
    expect(only({ shot: 50, between: 'nearest' }, 1)).toBe(3)
  })
  it('loops, fading its end into its beginning, always with shares of one', () => {
    expect(only({ after: 'loop' }, 20)).toBe(1)
    for (let n = 0; n < 120; n++) {
      const all = clipFrames(timing({ after: 'loop', crossFade: 12, shot: 50 }), n)
      expect(all.reduce((sum, { share }) => sum + share, 0)).toBeCloseTo(1, 9)
      for (const { frame } of all) expect(frame >= 1 && frame <= 100).toBe(true)
    }
    // In the fade it is both ends.
    const fading = clipFrames(timing({ after: 'loop', crossFade: 10 }), 18)
    expect(fading.map(({ frame }) => frame).sort((a, b) => a - b)).toEqual([1, 91])
  })
})

const flat = (rgb: readonly number[], width = 4, height = 4): FloatImage => {
  const image = makeImage(width, height, 3)
  for (let n = 0; n < width * height; n++) image.data.set(rgb, 3 * n)
  return image
}
const pixel = ({ data }: FloatImage, n = 0): number[] => [...data.subarray(4 * n, 4 * n + 4)]

describe('an element filmed on black', () => {
  it('laid over a grey card is what its own alpha would give, within 1 %', () => {
    const [colour, alpha, lift, grey] = [[0.8, 0.5, 0.2], 0.4, 0.02, 0.18]
    const filmed = flat(colour.map((c) => c * alpha + lift))
    const [r = 0, g = 0, b = 0, a = 0] = pixel(cutFromBlack(filmed, lift, 0.8 + lift))
    expect(a).toBeCloseTo(alpha, 6)
    for (const [c, own] of [r, g, b].entries()) {
      const wanted = (colour[c] ?? 0) * alpha + grey * (1 - alpha)
      expect(Math.abs((own * a + grey * (1 - a)) / wanted - 1)).toBeLessThan(0.01)
    }
  })
  it('is nothing where it is no brighter than the black, and feathered at its borders', () => {
    expect(pixel(cutFromBlack(flat([0.02, 0.02, 0.02]), 0.02, 1))).toEqual([0, 0, 0, 0])
    const full = cutFromBlack(flat([1, 1, 1], 20, 10), 0, 1)
    expect(borders(full)).toEqual([1, 1, 1, 1])
    const soft = feathered(full, 0.3)
    expect(Math.max(...borders(soft))).toBeLessThan(0.1)
    expect(soft.data[4 * (5 * 20 + 10) + 3]).toBe(1)
    expect(
      mixed([
        { image: full, share: 0.25 },
        { image: soft, share: 0.75 },
      ])?.data[3],
    ).toBeLessThan(0.35)
    expect(mixed([])).toBeUndefined()
  })
})

describe('an element before a coloured backing', () => {
  const backing = [0.05, 0.6, 0.1] as const
  const key = { colour: backing, near: 0, far: 1, spill: 1, edge: 0.55 }
  /** All of it on the left, nothing on the right, a soft edge of 20 px between. */
  const shares = Array.from({ length: 60 * 20 }, (_, n) => Math.min(1, Math.max(0, (40 - (n % 60)) / 20)))
  it('is cut by how much of the backing there is: known alphas within 0.02 rms, spill under 2 %', () => {
    for (const own of [
      [0.5, 0.35, 0.25],
      [0.1, 0.1, 0.1],
      [0.9, 0.85, 0.8],
      [0.3, 0.32, 0.2],
    ]) {
      const filmed = makeImage(60, 20, 3)
      shares.forEach((alpha, n) =>
        filmed.data.set(
          own.map((c, k) => c * alpha + (backing[k] ?? 0) * (1 - alpha)),
          3 * n,
        ),
      )
      const { data } = cutByColour(filmed, key)
      const off = shares.map((alpha, n) => (data[4 * n + 3] ?? 0) - alpha)
      expect(Math.sqrt(off.reduce((sum, value) => sum + value * value, 0) / off.length)).toBeLessThan(0.02)
      expect(Math.max(...off.map(Math.abs))).toBeLessThan(0.08)
      // What is left of the backing's colour in what stays.
      const spill = shares.map((alpha, n) => {
        const [r = 0, g = 0, b = 0, a = 0] = data.subarray(4 * n, 4 * n + 4)
        const excess = (own[1] ?? 0) - ((own[0] ?? 0) + (own[2] ?? 0)) / 2
        return alpha < 0.05 ? 0 : a * Math.max(0, g - (r + b) / 2 - Math.max(0, excess))
      })
      expect(Math.max(...spill)).toBeLessThan(0.02)
    }
  })
  it('keeps nothing of a bare backing, and all of what has none of its colour', () => {
    expect(cutByColour(flat(backing), key).data.every((value) => value === 0)).toBe(true)
    expect(pixel(cutByColour(flat([0.4, 0.1, 0.3]), key))[3]).toBe(1)
  })
})
