import { describe, expect, it } from 'vitest'
import { at, box, lookingDown, NOON, render, thing, valueAt } from '../../testing/frames.ts'
import { makeCrew } from '../base/index.ts'
import { makeImage } from '../data/index.ts'
import { aboutAxis } from '../math/index.ts'
import type { Pose } from './index.ts'

const crew = makeCrew(1)
const camera = lookingDown(0, [0, 1, 4], 64, 64)
/** Darker to the left than to the right, a bright spot in the middle. */
const plate = makeImage(64, 64, 3)
for (let y = 0; y < 64; y++)
  for (let x = 0; x < 64; x++) {
    const value = Math.hypot(x - 32, y - 32) < 4 ? 0.9 : 0.1 + (0.3 * x) / 64
    plate.data.set([value, value, 0.5 * value], (y * 64 + x) * 3)
  }
const rest = at([0, 1, 0])
const shown = (pose: Pose) => {
  const own = thing(box([0.9, 0.9, 0.9]), { opening: pose }, { plate: { image: plate, camera, pose: rest } })
  const light = { ...NOON, sunDirection: [0, 0, 1] as const, sunShare: 0.05 }
  return render(crew, { box: [own] }, { camera, light })
}

describe('A plate that is projected on a thing', () => {
  it('shows as it was where the thing stands as it stood', () => {
    const picture = shown(rest)
    for (const [x, y] of [
      [20, 40],
      [32, 32],
      [44, 28],
    ] as const) {
      expect(valueAt(picture, 'box', 'colour', x, y, 0)).toBeCloseTo(plate.data[(y * 64 + x) * 3] ?? 0, 1.5)
      expect(valueAt(picture, 'box', 'colour', x, y, 2)).toBeCloseTo((plate.data[(y * 64 + x) * 3] ?? 0) / 2, 1.5)
    }
  })

  it('goes along with it', () => {
    // Its front is 3.1 m away, so half a metre is so many pixels.
    const moved = shown(at([0.5, 1, 0]))
    const column = 32 + Math.round((0.5 / 3.1) * 64)
    expect(valueAt(moved, 'box', 'colour', column, 32)).toBeGreaterThan(2.5 * valueAt(moved, 'box', 'colour', 32, 32))
  })

  it('is never more than four times as bright where it has turned and is lit anew', () => {
    const away = { ...rest, rotation: aboutAxis([0, 1, 0], Math.PI / 2) }
    const brightest = (pose: Pose): number => {
      const { layers } = shown(pose)
      return Math.max(...(layers[0]?.colour?.data ?? [0]))
    }
    expect(brightest(away)).toBeLessThanOrEqual(4 * 0.9 + 1e-5)
  })
})
