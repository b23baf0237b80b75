import { expect, it } from 'vitest'
import { makeImage } from '../data/index.ts'
import { prefiltered } from './prefilter.ts'

it('undoes what looking up between pixels and averaging over them blurs', () => {
  const image = makeImage(30, 20, 1)
  image.data.forEach((_, n) => (image.data[n] = 0.5 + 0.1 * Math.sin(1.7 * n) * Math.cos(0.31 * n)))
  const sharp = prefiltered(image)
  const at = (x: number, y: number): number => sharp.data[y * 30 + x] ?? 0
  // A pixel's mean of what lies straight between pixels.
  const weights = [1 / 8, 6 / 8, 1 / 8]
  for (let y = 4; y < 16; y++)
    for (let x = 4; x < 26; x++) {
      let sum = 0
      weights.forEach((a, i) => weights.forEach((b, j) => (sum += a * b * at(x + i - 1, y + j - 1))))
      expect(sum).toBeCloseTo(image.data[y * 30 + x] ?? 0, 4)
    }
})
it('stays finite beside what is clipped or no number', () => {
  const image = makeImage(20, 9, 3)
  image.data.fill(0.2)
  image.data[3 * (4 * 20 + 10)] = Number.POSITIVE_INFINITY
  image.data[3 * (2 * 20 + 3)] = Number.NaN
  const { data } = prefiltered(image)
  expect(data.every((value) => Number.isFinite(value) && value >= 0)).toBe(true)
  // A few pixels on nothing of it is left.
  expect(data[3 * (4 * 20 + 18)]).toBeCloseTo(0.2, 3)
})
it('leaves an even picture as it is', () => {
  const image = makeImage(8, 6, 3)
  image.data.fill(0.3)
  for (const value of prefiltered(image).data) expect(value).toBeCloseTo(0.3, 4)
})
