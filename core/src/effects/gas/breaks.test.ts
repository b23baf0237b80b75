import { expect, it } from 'vitest'
import { smallFire } from '../../../testing/fires.ts'
import { emptyBroken, emptyDust } from '../../data/index.ts'
import { plainDeflate, writeBrokenFrame } from '../../formats/index.ts'
import { BreakInputs, pointsOfDust } from './breaks.ts'

const dustOf = (masses: readonly number[]) => {
  const dust = emptyDust(masses.length)
  dust.masses.set(masses)
  dust.positions.set(masses.flatMap((_, n) => [n, 1, 0]))
  return dust
}

it('the heaviest places come first, and are large enough for what they give off', () => {
  const { points, mass } = pointsOfDust(dustOf([0.1, 6, 0.2]))
  expect(mass).toBeCloseTo(6.3, 5)
  expect(points[0]).toBe(1)
  let volume = 0
  for (let n = 3; n < points.length; n += 4) volume += (4 / 3) * Math.PI * (points[n] ?? 0) ** 3
  expect(mass / volume).toBeLessThanOrEqual(0.5 + 1e-6)
  // A little needs no more room than its places have.
  expect(pointsOfDust(dustOf([1e-5])).points[3]).toBeCloseTo(0.07, 6)
  expect(pointsOfDust(dustOf(Array.from({ length: 500 }, () => 0.01))).points).toHaveLength(4 * 90)
})

it('a gas has a frame’s dust in that frame alone', async () => {
  const settings = smallFire({ preRoll: 0 })
  const run = { key: 'k', name: 'Break', first: 1, last: 9, frameKeys: new Map<number, string>() }
  const inputs = new BreakInputs(settings, [{ source: 0, input: run }], 24, 1, 9)
  const frame = { ...emptyBroken(0), dust: dustOf([0.5]) }
  const bytes = writeBrokenFrame(frame, plainDeflate)
  await inputs.take([{ input: 0, frame: 3, figures: {}, bytes: async () => bytes }], plainDeflate)
  const smoke = inputs.settings.sceneInputs.map(({ sources }) => sources[0]?.smoke ?? 0)
  const before = settings.sceneInputs[0]?.sources[0]?.smoke ?? 0
  // 0.5 kg in a frame of a 24th of a second.
  expect(smoke[2]).toBeCloseTo(12, 6)
  expect(smoke.filter((_, n) => n !== 2).every((value) => value === before)).toBe(true)
})
