import { describe, expect, it } from 'vitest'
import { LEVEL as camera, WHITE_SKY as light, smokeBlock, thing } from '../../testing/frames.ts'
import { noiseImage } from '../../testing/stackPictures.ts'
import { makeCrew } from '../base/index.ts'
import { boxMesh, type Camera, cropped, layerValue, makeImage, type Picture, type PictureLayer } from '../data/index.ts'
import { type Drawable, FINAL, renderPicture } from '../picture/index.ts'
import { BARE_LAYER, BARE_STACK, compositeStack, type StackPicture, type StackSettings } from './index.ts'
import { uncovered } from './uncover.ts'

const crew = makeCrew(2)
/** A white board so far away; a card that is black and hides so much, too small to shade what is far behind it. */
const board = (z: number): Drawable => thing(boxMesh([0, 1, -z], [1, 1, 0.1], [0, 0, 0, 1]))
const card = (z: number, alpha: number): Drawable =>
  thing(boxMesh([0, 1, -z], [0.2, 0.2, 0.001], [0, 0, 0, 1]), {}, { base: [0, 0, 0, alpha], roughness: 1 })
const rendered = (layers: Record<string, Drawable>): Picture =>
  renderPicture(crew, {
    pieces: [],
    layers: Object.entries(layers).map(([id, one]) => ({ id, drawables: [one] })),
    camera,
    light,
    quality: FINAL,
  })
const layerOf = ({ layers }: StackPicture, id: string): PictureLayer => {
  const found = layers.find((one) => one.id === id)
  if (!found) throw new Error(`no layer ${id}`)
  return found
}
const [X, Y] = [16, 12]
const alphaOf = (picture: StackPicture, id: string): number => layerValue(layerOf(picture, id), 'alpha', X, Y)
const hiddenOf = (picture: StackPicture, id: string): number => layerValue(layerOf(picture, id), 'hiddenAlpha', X, Y)
const laid = (amounts: Record<string, number>): StackSettings => ({
  ...BARE_STACK,
  lays: Object.entries(amounts).map(([of, amount]) => ({ of, how: { ...BARE_LAYER, shown: amount > 0, amount } })),
})
const shown = (picture: Picture, amounts: Record<string, number>): StackPicture =>
  uncovered(crew, picture, laid(amounts), () => false)
const black = makeImage(32, 24, 3)
const composite = (picture: Picture, amounts: Record<string, number>): number =>
  compositeStack(crew, black, picture, laid(amounts), 1, 1).data[(Y * 32 + X) * 4] ?? 0

describe('what a layer has that others hide', () => {
  it('makes it whole: seen and hidden are what it is alone, of a board and a gas behind gas', () => {
    const all = rendered({ near: smokeBlock(4, 1.2), far: smokeBlock(6.5, 1), board: board(9) })
    for (const [id, drawable] of [
      ['far', smokeBlock(6.5, 1)],
      ['board', board(9)],
      ['near', smokeBlock(4, 1.2)],
    ] as const) {
      const alone = alphaOf(rendered({ [id]: drawable }), id)
      expect(alphaOf(all, id) + (id === 'near' ? 0 : hiddenOf(all, id)), id).toBeCloseTo(alone, 2)
    }
    expect(hiddenOf(all, 'board')).toBeGreaterThan(0.4)
    expect(layerOf(all, 'near').hiddenAlpha).toBeUndefined()
  })
  it('is wholly there behind a card that hides all, and nowhere behind a solid thing', () => {
    const behindCard = rendered({ card: card(1.5, 1), board: board(9) })
    expect(alphaOf(behindCard, 'board')).toBeCloseTo(0, 5)
    expect(hiddenOf(behindCard, 'board')).toBeCloseTo(1, 3)
    const bare = rendered({ board: board(9) })
    expect(layerValueOf(behindCard, 'board')).toBeCloseTo(layerOf(bare, 'board').colour?.data[colourAt(bare)] ?? 0, 2)
    const behindThing = rendered({ wall: board(5), card: card(7, 0.7) })
    expect(behindThing.layers.map(({ id }) => id)).toEqual(['wall'])
  })
  it('is nothing in tiles where nothing is hidden, whatever was rendered before them', () => {
    const wide: Camera = { ...camera, centre: [64, 12], width: 128 }
    const behind = thing(boxMesh([0, 1, -9], [8, 1, 0.1], [0, 0, 0, 1]))
    const all = thing(boxMesh([0, 1, -1], [9, 9, 0.001], [0, 0, 0, 1]), {}, { base: [0, 0, 0, 1], roughness: 1 })
    const [, { layers: got }] = [all, smokeBlock(4, 0.5)].map((near) => {
      const layers = Object.entries({ near, board: behind }).map(([id, one]) => ({ id, drawables: [one] }))
      return renderPicture(crew, { pieces: [], layers, camera: wide, light, quality: FINAL })
    }) as [Picture, Picture]
    const hidden = got.find(({ id }) => id === 'board')?.hiddenAlpha
    expect(Math.max(...(hidden?.data ?? [0]))).toBeGreaterThan(0.2)
    for (const x of [3, 20, 100, 120])
      expect(layerValue(got.find(({ id }) => id === 'board') as PictureLayer, 'hiddenAlpha', x, Y), `${x}`).toBe(0)
  })
})

/** The red of a layer's hidden colour at the pixel, and where its own lies. */
const layerValueOf = (picture: Picture, id: string): number => {
  const layer = layerOf(picture, id)
  return layer.hiddenColour?.data[((Y - layer.y) * layer.width + X - layer.x) * 3] ?? 0
}
const colourAt = (picture: Picture): number => {
  const { x, y, width } = layerOf(picture, 'board')
  return ((Y - y) * width + X - x) * 3
}

describe('a layer that is laid with less of it', () => {
  const layers = { near: smokeBlock(4, 1.2), far: smokeBlock(6.5, 1), board: board(9) }
  const all = rendered(layers)
  it('shows what it hides: without it all is as if it had not been there', () => {
    const { near: _, ...rest } = layers
    expect(composite(all, { near: 0 })).toBeCloseTo(composite(rendered(rest), {}), 2)
    const { far: __, ...others } = layers
    expect(composite(all, { far: 0 })).toBeCloseTo(composite(rendered(others), {}), 2)
    expect(composite(all, { near: 0, far: 0 })).toBeCloseTo(composite(rendered({ board: board(9) }), {}), 2)
  })
  it('hides as much as is laid of it', () => {
    const picture = rendered({ card: card(1.5, 1), board: board(9) })
    const whole = composite(rendered({ board: board(9) }), {})
    for (const amount of [0, 0.25, 0.6, 0.9])
      expect(composite(picture, { card: amount }), `${amount}`).toBeCloseTo((1 - amount) * whole, 2)
    expect(composite(picture, { card: 1 })).toBeCloseTo(0, 5)
  })
  it('leaves the picture as it is where all are laid whole, and layers that it does not touch', () => {
    expect(shown(all, {})).toBe(all)
    expect(layerOf(shown(all, { board: 0.5 }), 'near')).toBe(layerOf(all, 'near'))
  })
  it('is told apart from what lies behind: that gives nothing up for it', () => {
    expect(alphaOf(shown(all, { board: 0 }), 'far')).toBeCloseTo(alphaOf(all, 'far'), 2)
  })
  it('holds of a picture as it is kept: cut down to where it holds something', () => {
    expect(composite(cropped(all), { near: 0.3 })).toBeCloseTo(composite(all, { near: 0.3 }), 4)
  })
})

describe('the optical depths before a layer', () => {
  it('are those of a plain sum', () => {
    const size = { x: 0, y: 0, width: 8, height: 6 }
    const make = (id: string, seed: number, hidden: boolean): PictureLayer => {
      const [alpha, rest] = [noiseImage(8, 6, 1, seed, 0.5), noiseImage(8, 6, 1, seed + 1, 0.5)]
      const far = (image: typeof alpha, d: number) => ({
        ...image,
        data: image.data.map((a, n) => a * (d + (n % 5) / 9)),
      })
      const own = { id, ...size, alpha, depth: far(alpha, seed / 10) }
      return hidden ? { ...own, hiddenAlpha: rest, hiddenDepth: far(rest, seed / 10) } : own
    }
    const layers = [make('a', 50, true), make('b', 51, true), make('c', 48, false)]
    const picture: StackPicture = { width: 8, height: 6, layers, sunlit: makeImage(8, 6, 1) }
    const amounts = { a: 1, b: 0.4, c: 0.8 }
    const [got] = uncovered(crew, picture, laid(amounts), () => false).layers
    const alone = (layer: PictureLayer, n: number): [number, number] => {
      const at = (image?: { data: Float32Array }): number => image?.data[n] ?? 0
      return [at(layer.alpha) + at(layer.hiddenAlpha), at(layer.depth) + at(layer.hiddenDepth)]
    }
    const depth = (alpha: number): number => -Math.log(1 - Math.min(0.999, alpha))
    for (let n = 0; n < 48; n++) {
      const [own, distance] = alone(layers[0] as PictureLayer, n)
      let [now, whole] = [0, 0]
      for (const [k, amount] of [
        [1, 0.4],
        [2, 0.8],
      ] as const) {
        const [alpha, other] = alone(layers[k] as PictureLayer, n)
        const sure = Math.max(1e-4, Math.min(1, 0.5 + distance / own - other / alpha))
        now += sure * depth(alpha * amount)
        whole += sure * depth(alpha)
      }
      const [seen, hidden] = [layers[0]?.alpha?.data[n] ?? 0, layers[0]?.hiddenAlpha?.data[n] ?? 0]
      const was = Math.max(0.001, seen / own)
      expect(got?.alpha?.data[n], `${n}`).toBeCloseTo(seen + (hidden * (was ** (now / whole) - was)) / (1 - was), 5)
    }
  })
})
