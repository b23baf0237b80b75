import { describe, expect, it } from 'vitest'
import {
  type FloatImage,
  LAYER_IMAGE_NAMES,
  LAYER_IMAGES,
  type LayerImage,
  layerValue,
  makeImage,
  type Picture,
  type PictureLayer,
  placeOf,
} from '../data/index.ts'
import { plainDeflate, readPicture, writePicture } from './index.ts'

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

/** An image of a layer over the whole picture. */
function wholeOf({ layers, width, height }: Picture, k: number, name: LayerImage): number[] | undefined {
  const layer = layers[k] as PictureLayer
  const own = layer[name]
  if (!own) return undefined
  const place = placeOf(layer, name)
  const { channels, elsewhere } = LAYER_IMAGES[name]
  const out = new Array<number>(width * height * channels).fill(elsewhere)
  for (let n = 0; n < own.data.length; n++) {
    const pixel = Math.floor(n / channels)
    const [x, y] = [place.x + (pixel % place.width), place.y + Math.floor(pixel / place.width)]
    out[(y * width + x) * channels + (n % channels)] = own.data[n] ?? 0
  }
  return out
}

describe('a kept picture', () => {
  it('holds no more of a layer than where it is something', () => {
    const alpha = makeImage(9, 7, 1)
    alpha.data[3 * 9 + 4] = 1
    const sun = makeImage(9, 7, 1)
    sun.data.fill(1)
    sun.data[6 * 9 + 8] = 0.5
    // Halves can't tell this one from 1.
    sun.data[0] = 0.9999
    const light = makeImage(9, 7, 3)
    const size = { x: 0, y: 0, width: 9, height: 7 }
    const [back] = readPicture(writePicture({ ...picture(), layers: [{ id: 'a', ...size, alpha, sun, light }] })).layers
    expect(back).toMatchObject({ x: 4, y: 3, width: 1, height: 1, sun: { at: [8, 6], width: 1, height: 1 } })
    expect(back?.light?.data.length).toBe(0)
    expect(layerValue(back as PictureLayer, 'sun', 8, 6)).toBe(0.5)
    expect(layerValue(back as PictureLayer, 'sun', 0, 0)).toBe(1)
  })
  it('is read as it was kept before images had parts of their own', () => {
    const images = ['alpha', 'sun'] as const
    const head = { width: 9, height: 7, layers: [{ id: 'a', x: 2, y: 1, width: 5, height: 4, images }] }
    const body = new Uint8Array(63 * 2 * 7 + 63 * 4 + 2 * 20 * 2)
    // High bytes of 1 in halves: the alpha's, then the sun's.
    body.fill(0x3c, body.length - 60, body.length - 40).fill(0x3c, body.length - 20)
    const text = new TextEncoder().encode(JSON.stringify(head))
    const packed = plainDeflate.deflate(body)
    const bytes = new Uint8Array(8 + text.length + packed.length)
    new DataView(bytes.buffer).setUint32(0, 0x46504c43, true)
    new DataView(bytes.buffer).setUint32(4, text.length, true)
    bytes.set(text, 8)
    bytes.set(packed, 8 + text.length)
    const [back] = readPicture(bytes).layers
    expect(back).toMatchObject({ x: 2, y: 1, width: 5, height: 4 })
    expect([...(back?.alpha?.data ?? [])]).toEqual(new Array(20).fill(1))
    expect([...(back?.sun?.data ?? [])]).toEqual(new Array(20).fill(1))
  })
  it('comes back to half precision, depth to the bit, with what its layers leave of the plate', () => {
    const before = picture()
    const back = readPicture(writePicture(before))
    for (const [k, { id }] of before.layers.entries()) {
      expect(back.layers[k]?.id).toBe(id)
      for (const name of LAYER_IMAGE_NAMES) expect(wholeOf(back, k, name)).toEqual(wholeOf(before, k, name))
    }
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
