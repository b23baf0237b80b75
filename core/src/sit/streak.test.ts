import { describe, expect, it } from 'vitest'
import { makeCrew } from '../base/index.ts'
import { type FloatImage, type Motion, makeImage } from '../data/index.ts'
import { pushPull } from '../math/index.ts'
import {
  BARE_LAYER,
  BARE_STACK,
  type CheckFigures,
  compositeStack,
  filledMotion,
  lineOf,
  matchedLayer,
  type StackSettings,
} from './index.ts'

const [W, H] = [40, 12]
const even = (u: number, v = 0): Motion => {
  const [width, height] = [W / 2, H / 2]
  return { width, height, u: new Float32Array(width * height).fill(u), v: new Float32Array(width * height).fill(v) }
}
const image = (channels: number, value: (x: number, y: number) => number): FloatImage => {
  const made = makeImage(W, H, channels)
  for (let n = 0; n < W * H; n++) made.data.fill(value(n % W, Math.floor(n / W)), channels * n, channels * (n + 1))
  return made
}
const plateOut = (plate: FloatImage, motion: Motion, over: Partial<StackSettings['plateStreak']> = {}): FloatImage =>
  compositeStack(
    makeCrew(1),
    plate,
    undefined,
    { ...BARE_STACK, plateStreak: { motion, frames: 1, samples: 0, ...over } },
    1,
    1,
  )
const row = (of: FloatImage, y = H / 2): number[] => Array.from({ length: W }, (_, x) => of.data[4 * (y * W + x)] ?? 0)

/** The kernel's twin: the mean along each pixel's way, of what lies between the pixels. */
function twin(values: (x: number) => number, way: number, samples: number): number[] {
  return Array.from({ length: W }, (_, x) => {
    let [sum, there] = [0, 0]
    for (let k = 0; k < samples; k++) {
      const at = x + ((k + 0.5) / samples - 0.5) * way
      const [i, f] = [Math.floor(at), at - Math.floor(at)]
      for (const [n, share] of [
        [i, 1 - f],
        [i + 1, f],
      ] as const)
        if (n >= 0 && n < W) {
          sum += share * values(n)
          there += share
        }
    }
    return sum / there
  })
}

describe('the plate drawn out along its motion', () => {
  const bars = (x: number): number => (x % 7 < 3 ? 0.8 : 0.1)

  it('is the mean along the way, with so many samples as its length or as told', () => {
    for (const [samples, taken] of [
      [0, 7],
      [3, 3],
    ] as const) {
      const out = row(plateOut(image(3, bars), even(6), { samples }))
      const expected = twin(bars, 6, taken)
      out.forEach((value, x) => expect(value).toBeCloseTo(expected[x] ?? 0, 5))
    }
  })

  it('is the plate to the bit where nothing moves', () => {
    expect(row(plateOut(image(3, bars), even(0)))).toEqual(
      row(compositeStack(makeCrew(1), image(3, bars), undefined, BARE_STACK, 1, 1)),
    )
  })

  it('stops at a matte, on either side', () => {
    const matte = image(1, (x) => Number(x < W / 2))
    const out = row(
      plateOut(
        image(3, (x) => (x < W / 2 ? 1 : 0)),
        even(8, 2),
        { frames: 2, matte },
      ),
    )
    out.forEach((value, x) => expect(value).toBeCloseTo(x < W / 2 ? 1 : 0, 6))
    const open = row(
      plateOut(
        image(3, (x) => (x < W / 2 ? 1 : 0)),
        even(8, 2),
        { frames: 2 },
      ),
    )
    expect(open[W / 2]).toBeGreaterThan(0.3)
  })

  it('gets back the grain that the mean takes away', () => {
    const grain = {
      floor: [4e-4, 4e-4, 4e-4] as [number, number, number],
      slope: [0, 0, 0] as [number, number, number],
      spread: 0,
    }
    const plateStreak = { motion: even(6), frames: 1, samples: 0 }
    const settings = { ...BARE_STACK, plateStreak, grain, grainAmount: 1 }
    const out = compositeStack(
      makeCrew(1),
      image(3, () => 0.4),
      undefined,
      settings,
      1,
      1,
    )
    const values = Array.from({ length: W * H }, (_, n) => (out.data[4 * n] ?? 0) - 0.4)
    const variance = values.reduce((sum, v) => sum + v * v, 0) / values.length
    // Five parts of six: the plate's own grain that is left has the sixth.
    expect(variance / 4e-4).toBeGreaterThan(0.6)
    expect(variance / 4e-4).toBeLessThan(1.1)
  })
})

describe('a layer drawn out along its motion', () => {
  it('reaches over its edge by half its way, and no further', () => {
    const layer = {
      id: 'a',
      x: 15,
      y: 0,
      width: 10,
      height: H,
      alpha: makeImage(10, H, 1),
      colour: makeImage(10, H, 3),
    }
    layer.alpha.data.fill(1)
    layer.colour.data.fill(1)
    const picture = { width: W, height: H, layers: [layer], sunlit: makeImage(W, H, 1) }
    const lays = [{ of: 'a', how: { ...BARE_LAYER, streak: 1 } }]
    const motions = new Map([['a/vectors', even(8)]])
    const out = row(
      compositeStack(
        makeCrew(1),
        image(3, () => 0),
        picture,
        { ...BARE_STACK, lays, motions },
        1,
        1,
      ),
    )
    expect(out[20]).toBeCloseTo(1, 5)
    expect(out[14]).toBeGreaterThan(0.3)
    expect(out[12]).toBeGreaterThan(0.05)
    expect(out[9]).toBe(0)
    // What it covers in all stays.
    expect(out.reduce((sum, v) => sum + v, 0)).toBeCloseTo(10, 3)
  })
})

describe('motion where none is told', () => {
  it('is filled from around, however little is told', () => {
    const filled = filledMotion(even(3, -1), (n) => n === 7)
    expect([...filled.u].every((u) => Math.abs(u - 3) < 1e-5)).toBe(true)
    expect([...filledMotion(even(3), () => false).u].every((u) => u === 0)).toBe(true)
  })

  it('keeps what is told', () => {
    const values = Float32Array.from({ length: 64 }, (_, n) => n)
    pushPull(
      values,
      Uint8Array.from({ length: 64 }, (_, n) => Number(n > 40)),
      8,
      8,
    )
    expect(values[12]).toBe(12)
    expect(values[60]).toBeGreaterThan(20)
  })
})

describe('streaks that are too short', () => {
  const figures = {} as CheckFigures
  const streakOf = (streak: number, plate: number, layer: number): number | undefined =>
    matchedLayer(
      { ...BARE_LAYER, streak },
      figures,
      figures,
      [lineOf('blur', plate, layer, layer - plate, 0.2, { parts: [20] })],
      ['blur'],
    ).streak

  it('are matched by the shutter that is missing', () => {
    // 20 px a frame: half a frame open is 10 px.
    expect(streakOf(0, 10, 0)).toBeCloseTo(0.5, 6)
    // The picture has 6 px of its own; lengths add as their squares.
    expect(streakOf(0, 10, 6)).toBeCloseTo(0.4, 6)
    expect(streakOf(0.4, 10, 10)).toBeCloseTo(0.4, 6)
    expect(streakOf(0, 10, 14)).toBe(0)
  })
})
