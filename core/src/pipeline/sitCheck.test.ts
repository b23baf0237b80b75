import { describe, expect, it } from 'vitest'
import { makeCrew, random } from '../base/index.ts'
import { type FloatImage, makeImage, type PictureLayer } from '../data/index.ts'
import { BARE_LAYER, BARE_STACK, type LineName, type Spreads } from '../sit/index.ts'
import { type CheckedLay, checkFrame, type LayerCheck } from './sitCheck.ts'

// What of a layer is measured, and what of its shadow.

const [W, H] = [192, 128]
const crew = makeCrew(1)
const spreads = Object.fromEntries(
  ['black', 'white', 'colour', 'contrast', 'grain', 'grainSize', 'sharpness'].map((name) => [name, 0.15]),
) as unknown as Spreads

/** An image of a value with a little texture, so that its tones differ. */
function textured(width: number, height: number, value: number): FloatImage {
  const [image, stream] = [makeImage(width, height, 3), random(7)]
  for (let n = 0; n < width * height; n++) image.data.fill(value * (0.8 + 0.4 * stream.next()), 3 * n, 3 * n + 3)
  return image
}
/** A layer in a part of the picture that covers so much and has a colour of so much, premultiplied. */
function square(id: string, x: number, width: number, value: number, cover = 1): PictureLayer {
  const [colour, alpha] = [textured(width, 80, value * cover), makeImage(width, 80, 1)]
  alpha.data.fill(cover)
  return { id, x, y: 24, width, height: 80, colour, alpha }
}
/** A layer that lets so much of the sun through in a part, and throws so much light there. */
function shading(id: string, x: number, width: number, sun: number, light = 0): PictureLayer {
  const even = (channels: number, value: number): FloatImage => {
    const image = makeImage(width, 80, channels)
    image.data.fill(value)
    return image
  }
  return {
    id,
    x,
    y: 24,
    width,
    height: 80,
    sun: even(1, sun),
    sky: even(1, 1),
    ...(light ? { light: even(3, light) } : {}),
  }
}

function check(layers: readonly PictureLayer[], names: readonly Partial<CheckedLay>[] = []): LayerCheck[] {
  const sunlit = makeImage(W, H, 1)
  sunlit.data.fill(0.6)
  return checkFrame(crew, {
    plate: textured(W, H, 0.2),
    picture: { width: W, height: H, layers: [...layers], sunlit },
    settings: { ...BARE_STACK, lays: layers.map(({ id }) => ({ of: id, how: BARE_LAYER })) },
    names: layers.map(({ id }, n) => ({ id, of: id, name: id, ...names[n] })),
    ...{ fullWidth: W, frame: 1, spreads },
  }).layers
}
const lineOf = (layers: readonly LayerCheck[], id: string, name: LineName) =>
  layers.find((layer) => layer.id === id)?.lines.find((line) => line.name === name)

describe('what is measured of a layer', () => {
  it('has no tones where it is filmed smoke that lets much through, and has where it is filmed and solid', () => {
    const tones = (cover: number, filmed: boolean) =>
      lineOf(check([square('clip', 20, 100, 0.05, cover)], [{ filmed }]), 'clip', 'white')
    expect(tones(0.6, true)).toBeUndefined()
    expect(tones(0.6, false)).toBeDefined()
    expect(tones(1, true)).toBeDefined()
  })
})

describe('the shadow of a layer', () => {
  it('is as dense whatever light a fire throws into it', () => {
    const dark = lineOf(check([shading('crate', 20, 100, 0.1)]), 'crate', 'shadow')
    const lit = lineOf(check([shading('crate', 20, 100, 0.1, 0.4)]), 'crate', 'shadow')
    expect(dark?.difference).toBeCloseTo(0, 0)
    expect(lit?.layer).toBeCloseTo(dark?.layer ?? Number.NaN, 3)
  })
  it('is told where it is its own alone', () => {
    const both = check([shading('crate', 20, 100, 0.1), shading('dust', 80, 100, 0.1)])
    for (const id of ['crate', 'dust']) expect(lineOf(both, id, 'shadow')?.difference).toBeCloseTo(0, 0)
    const over = check([shading('crate', 20, 100, 0.1), shading('dust', 20, 100, 0.1)])
    expect(lineOf(over, 'crate', 'shadow')).toBeUndefined()
  })
})
