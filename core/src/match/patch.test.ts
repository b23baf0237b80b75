import { describe, expect, it } from 'vitest'
import { H, moved, patternPlate, W } from '../../testing/pattern.ts'
import { SAME, throughHomography } from '../math/index.ts'
import { lightLevels, rootLight } from './light.ts'
import { findPatch, lookAt } from './patch.ts'

const LEVELS = 3
const corners = [
  [50, 40],
  [140, 44],
  [136, 110],
  [54, 104],
] as const
const levelsOf = (frame: number, noise = 0, light: (n: number) => number = () => 1) =>
  lightLevels(rootLight(patternPlate(frame + 1, noise, light).frame(frame) as Float32Array, W, H), LEVELS)
const look = () => {
  const made = lookAt(levelsOf(0), corners, 'turn')
  if (!made) throw new Error('the pattern has a look')
  return made
}
const worst = (motion: Parameters<typeof throughHomography>[0], frame: number): number =>
  Math.max(
    ...corners.map(([x, y]) => {
      const [a, b] = throughHomography(motion, x, y)
      const [u, v] = moved(frame, x, y)
      return Math.hypot(a - u, b - v)
    }),
  )

describe('a patch found again', () => {
  it('lies where it went, to a few hundredths of a pixel, in other light too', () => {
    for (const light of [() => 1, (n: number) => 1 - 0.08 * n]) {
      const found = findPatch(look(), levelsOf(3, 0, light), SAME, 0)
      expect(worst(found.motion, 3)).toBeLessThan(0.05)
      expect(found.likeness).toBeGreaterThan(0.99)
    }
  })
  it('is looked for where it is not where it was thought to be', () => {
    const far = [1, 0, -40, 0, 1, 34, 0, 0, 1] as const
    const levels = levelsOf(2, 0.005)
    expect(worst(findPatch(look(), levels, far, 60).motion, 2)).toBeLessThan(0.1)
    expect(findPatch(look(), levels, far, 0).likeness).toBeLessThan(0.85)
  })
  it('keeps to itself where a tenth of it is covered', () => {
    const covered = patternPlate(3, 0).frame(2) as Float32Array
    for (let j = 40; j < 60; j++) for (let i = 50; i < 84; i++) covered.fill(0.9, (j * W + i) * 3, (j * W + i) * 3 + 3)
    expect(worst(findPatch(look(), lightLevels(rootLight(covered, W, H), LEVELS), SAME, 0).motion, 2)).toBeLessThan(0.3)
  })
  it('says by its likeness that something else is there', () => {
    const other = Float32Array.from(
      { length: W * H * 3 },
      (_, n) => 0.5 + 0.3 * Math.sin((Math.floor(n / 3) % W) * 0.9) * Math.sin(Math.floor(n / 3 / W) * 0.7),
    )
    expect(findPatch(look(), lightLevels(rootLight(other, W, H), LEVELS), SAME, 10).likeness).toBeLessThan(0.5)
  })
  it('has no look where it is flat, or out of the picture', () => {
    const flat = lightLevels(rootLight(new Float32Array(W * H * 3).fill(0.4), W, H), LEVELS)
    expect(lookAt(flat, corners, 'turn')).toBeUndefined()
    expect(
      lookAt(
        levelsOf(0),
        corners.map(([x, y]) => [x + 400, y] as const),
        'turn',
      ),
    ).toBeUndefined()
  })
})
