import { expect, it } from 'vitest'
import { hazeThickness } from './index.ts'

const [haze, own] = [[0.6, 0.65, 0.7] as const, [0.2, 0.12, 0.1] as const]
const seen = (d: number, t: readonly number[]) =>
  [0, 1, 2].map((c) => {
    const through = Math.exp(-(t[c] ?? 0) * d)
    return (own[c] ?? 0) * through + (haze[c] ?? 0) * (1 - through)
  }) as unknown as [number, number, number]

it('is what two patches of one material at two distances tell', () => {
  const t = [0.004, 0.005, 0.007]
  hazeThickness(seen(10, t), seen(80, t), haze, 10, 80).forEach((v, c) => expect(v).toBeCloseTo(t[c] ?? 0, 6))
  expect(hazeThickness(own, own, haze, 5, 50)).toEqual([0, 0, 0])
})

it('is refused of patches that can’t be of one material in it', () => {
  const t = [0.004, 0.005, 0.007]
  expect(() => hazeThickness(seen(10, t), seen(80, t), haze, 80, 10)).toThrow(/no further/)
  expect(() => hazeThickness(seen(80, t), seen(10, t), haze, 10, 80)).toThrow(/stands out more/)
  expect(() => hazeThickness([0.9, 0.9, 0.9], seen(80, t), haze, 10, 80)).toThrow(/either side/)
})
