import { describe, expect, it } from 'vitest'
import { type FloatImage, makeImage } from '../data/index.ts'
import { foregroundColours } from './foreground.ts'

/** A dark disc with a soft rim before a clipped sky: its picture, alpha and own colour. */
function backlit(
  width: number,
  height: number,
  soft: number,
): { picture: FloatImage; alpha: FloatImage; front: FloatImage } {
  const [picture, alpha, front] = [
    makeImage(width, height, 3),
    makeImage(width, height, 1),
    makeImage(width, height, 3),
  ]
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const n = y * width + x
      const away = Math.hypot(x - width / 2, y - height / 2) - height / 3
      const a = Math.min(1, Math.max(0, 0.5 - away / soft))
      alpha.data[n] = a
      const shade = 0.06 + 0.03 * Math.sin(x / 7)
      for (let c = 0; c < 3; c++) {
        front.data[3 * n + c] = shade * (1 + 0.2 * c)
        picture.data[3 * n + c] = a * (front.data[3 * n + c] ?? 0) + (1 - a)
      }
    }
  return { picture, alpha, front }
}

describe('colours of what a matte covers', () => {
  it('are its own at the rim, where the picture is mostly sky', () => {
    const { picture, alpha, front } = backlit(120, 90, 6)
    const found = foregroundColours(picture, alpha)
    let [own, plate, count] = [0, 0, 0]
    for (let n = 0; n < alpha.data.length; n++) {
      const a = alpha.data[n] ?? 0
      if (a < 0.05 || a > 0.95) continue
      own += a * Math.abs((found.data[3 * n] ?? 0) - (front.data[3 * n] ?? 0))
      plate += a * Math.abs((picture.data[3 * n] ?? 0) - (front.data[3 * n] ?? 0))
      count++
    }
    expect(own / count).toBeLessThan(0.01)
    expect(plate / count).toBeGreaterThan(0.1)
  })
  it('are the picture where it covers all, and finite where it covers nothing', () => {
    const { picture, alpha } = backlit(40, 30, 3)
    const found = foregroundColours(picture, alpha)
    const middle = 3 * (15 * 40 + 20)
    expect(found.data[middle]).toBeCloseTo(picture.data[middle] ?? 0, 3)
    expect(foregroundColours(picture, makeImage(40, 30, 1)).data.every(Number.isFinite)).toBe(true)
    const one = makeImage(1, 1, 3)
    expect(foregroundColours(one, makeImage(1, 1, 1)).data).toHaveLength(3)
  })
})
