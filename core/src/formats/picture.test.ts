import { describe, expect, it } from 'vitest'
import { type FloatImage, makeImage, type Picture, type PictureLayer } from '../data/index.ts'
import { readPicture, writePicture } from './index.ts'

const image = (width: number, height: number, channels: number, step = 8): FloatImage => {
  const one = makeImage(width, height, channels)
  one.data.forEach((_, n) => (one.data[n] = (n % 17) / step))
  return one
}
const layer: PictureLayer = {
  id: 'fire',
  x: 2,
  y: 1,
  width: 5,
  height: 4,
  colour: image(5, 4, 3),
  alpha: image(5, 4, 1, 64),
  sun: image(5, 4, 1),
}
const picture = (): Picture => ({
  width: 9,
  height: 7,
  layers: [layer, { id: 'cart', x: 0, y: 0, width: 9, height: 7, light: image(9, 7, 3) }],
  plate: image(9, 7, 1),
  sunlit: image(9, 7, 1, 32),
  depth: image(9, 7, 1, 7),
  normal: image(9, 7, 3),
  place: image(9, 7, 3),
  motion: image(9, 7, 2),
  heat: image(9, 7, 1),
})

describe('a kept picture', () => {
  it('comes back to half precision, depth to the bit, with what its layers leave of the plate', () => {
    const before = picture()
    const back = readPicture(writePicture(before))
    expect(back.layers).toEqual(before.layers)
    for (const name of ['sunlit', 'depth', 'normal', 'motion', 'heat'] as const)
      expect(back[name]).toEqual(before[name])
    expect(back.plate.data[0]).toBe(1)
    const n = (1 + 3) * 9 + 2 + 4
    expect(back.plate.data[n]).toBeCloseTo(1 - (layer.alpha?.data[3 * 5 + 4] ?? 0), 6)
  })
  it('is refused where it is cut short, changed, or none', () => {
    const bytes = writePicture(picture())
    for (const wrong of [new Uint8Array(0), new Uint8Array(40), bytes.slice(0, 60), bytes.slice(0, -9)])
      expect(() => readPicture(wrong)).toThrow(/kept picture is damaged/)
    const head = new TextDecoder().decode(bytes.slice(8, 200))
    const wider = bytes.slice()
    wider.set(new TextEncoder().encode('5'), 8 + head.indexOf('"width":9') + 8)
    expect(() => readPicture(wider)).toThrow(/damaged/)
  })
})
