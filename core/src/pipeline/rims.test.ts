import { describe, expect, it } from 'vitest'
import { makeImage, type Picture } from '../data/index.ts'
import { cleanRims } from './rims.ts'

const [W, H] = [48, 32]
/** Half of the picture is a dark figure with a soft rim, before a bright sky; a layer of smoke at a distance covers all that it does not hold. */
function scene(depth: number) {
  const [plate, image, alpha, far] = [makeImage(W, H, 3), makeImage(W, H, 1), makeImage(W, H, 1), makeImage(W, H, 1)]
  for (let n = 0; n < W * H; n++) {
    const a = Math.min(1, Math.max(0, 0.5 - ((n % W) - W / 2) / 5))
    image.data[n] = a
    for (let c = 0; c < 3; c++) plate.data[3 * n + c] = a * 0.1 + (1 - a)
    alpha.data[n] = depth > 6 ? 1 - a : 1
    far.data[n] = depth * (alpha.data[n] ?? 0)
  }
  const layer = { id: 'smoke', x: 0, y: 0, width: W, height: H, alpha, depth: far }
  const whole = { width: W, height: H, layers: [layer] } as unknown as Picture
  return { plate, image, picture: whole }
}
/** The picture laid over its plate. */
const laid = ({ layers: [layer] }: Picture, plate: ReturnType<typeof makeImage>, n: number): number =>
  (1 - (layer?.alpha?.data[n] ?? 0)) * (plate.data[3 * n] ?? 0) + (layer?.colour?.data[3 * n] ?? 0)

describe('a matte’s rim before what lies behind it', () => {
  it('is the figure’s own colour, without the sky that the plate has there', () => {
    const { plate, image, picture } = scene(8)
    const clean = cleanRims(picture, [{ image, distance: 6 }], plate)
    for (let x = W / 2 - 2; x <= W / 2 + 2; x++) {
      const n = (H / 2) * W + x
      const a = image.data[n] ?? 0
      // Black smoke behind: what is left is the figure's share of its own colour.
      expect(laid(clean, plate, n)).toBeCloseTo(0.1 * a, 2)
      if (a > 0.2 && a < 0.8) expect(laid(picture, plate, n)).toBeGreaterThan(0.1 * a + 0.1)
    }
  })
  it('is left alone by what lies before it, by mattes that cut what is chosen, and without alpha', () => {
    const { plate, image, picture } = scene(4)
    expect(cleanRims(picture, [{ image, distance: 6 }], plate).layers[0]?.colour?.data.every((v) => v === 0)).toBe(true)
    const behind = scene(8)
    const same = cleanRims(behind.picture, [{ image, distance: 6, cuts: ['smoke'] }], plate)
    expect(same.layers[0]).toBe(behind.picture.layers[0])
    const bare = { ...behind.picture, layers: [{ id: 'lamp', x: 0, y: 0, width: W, height: H }] }
    expect(cleanRims(bare, [{ image, distance: 6 }], plate).layers[0]).toBe(bare.layers[0])
    expect(cleanRims(behind.picture, [{ image: makeImage(W, H, 1), distance: 6 }], plate)).toEqual(behind.picture)
  })
})
