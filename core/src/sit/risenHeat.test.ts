import { describe, expect, it } from 'vitest'
import { makeCrew } from '../base/index.ts'
import { makeImage, type PictureLayer } from '../data/index.ts'
import { BARE_LAYER, BARE_STACK, compositeStack, type StackPicture, type StackSettings } from './index.ts'
import { withRisenHeat } from './risenHeat.ts'

const [W, H] = [40, 40]
const flame = (): PictureLayer => {
  const [emission, alpha] = [makeImage(6, 8, 3), makeImage(6, 8, 1)]
  emission.data.fill(2)
  return { id: 'flame', x: 17, y: 30, width: 6, height: 8, emission, alpha }
}
const picture = (): StackPicture => ({ width: W, height: H, layers: [flame()], sunlit: makeImage(W, H, 1) })
const settings = (hotAir: number, over: Partial<StackSettings> = {}): StackSettings => ({
  ...BARE_STACK,
  lays: [{ of: 'flame', how: { ...BARE_LAYER, hotAir } }],
  shimmer: { amount: 1, fine: 0, focal: 40, distance: 4, time: 0 },
  ...over,
})
const heatAt = (of: StackPicture, x: number, y: number): number => of.heat?.data[y * W + x] ?? 0

describe('hot air over a filmed fire', () => {
  it('rises from its bright parts, less and less, and not beside or below', () => {
    const hot = withRisenHeat(picture(), settings(1), W)
    // Ten px a metre: six px wide are 0.6 m of gas, three quarters thinner.
    expect(heatAt(hot, 20, 34)).toBeCloseTo(0.45, 6)
    expect(heatAt(hot, 20, 25)).toBeGreaterThan(0.15)
    expect(heatAt(hot, 20, 10)).toBeLessThan(heatAt(hot, 20, 25))
    expect(heatAt(hot, 20, 10)).toBeGreaterThan(0.01)
    expect(heatAt(hot, 3, 34)).toBe(0)
    expect(heatAt(hot, 20, 39)).toBe(0)
  })

  it('comes to what the computed gas has', () => {
    const own = makeImage(W, H, 1)
    own.data.fill(0.1)
    expect(heatAt(withRisenHeat({ ...picture(), heat: own }, settings(1), W), 20, 34)).toBeCloseTo(0.55, 6)
    expect(withRisenHeat(picture(), settings(0), W).heat).toBeUndefined()
    expect(
      withRisenHeat(picture(), settings(1, { shimmer: { ...settings(1).shimmer, amount: 0 } }), W).heat,
    ).toBeUndefined()
  })

  it('rises over a drawn area, and bends what is behind it without any layer', () => {
    const matte = makeImage(W, H, 1)
    for (let n = 0; n < W * H; n++) if (n % W > 15 && n % W < 24 && n / W > 30) matte.data[n] = 1
    const shimmer = { amount: 40, fine: 0, focal: 40, distance: 4, time: 0, over: { matte: 'm', metres: 0.5 } }
    const plate = makeImage(W, H, 3)
    plate.data.forEach((_, n) => (plate.data[n] = (Math.floor(n / 3) % 5) / 5))
    const depth = makeImage(W, H, 1)
    const mattes = new Map([['m', matte]])
    const bare = { width: W, height: H, layers: [], sunlit: makeImage(W, H, 1), depth }
    const out = compositeStack(makeCrew(1), plate, bare, { ...BARE_STACK, shimmer, mattes }, 1, 1)
    const moved = (x: number, y: number): number =>
      Math.abs((out.data[4 * (y * W + x)] ?? 0) - (plate.data[3 * (y * W + x)] ?? 0))
    const row = (y: number): number => Math.max(...Array.from({ length: W }, (_, x) => moved(x, y)))
    expect(row(25)).toBeGreaterThan(1e-3)
    // Far aside nothing is bent.
    expect(Math.max(...Array.from({ length: H }, (_, y) => moved(0, y)))).toBe(0)
  })
})
