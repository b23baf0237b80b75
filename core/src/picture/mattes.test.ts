import { describe, expect, it } from 'vitest'
import { LEVEL as camera, WHITE_SKY as light, smokeBlock, thing } from '../../testing/frames.ts'
import { makeCrew } from '../base/index.ts'
import { boxMesh, makeImage, type Picture } from '../data/index.ts'
import { type Drawable, FINAL, renderPicture, type SceneMatte } from './index.ts'

const board = (z: number): Drawable => thing(boxMesh([0, 1, -z], [1, 1, 0.1], [0, 0, 0, 1]))
/** A figure that covers so much of the left half. */
function figure(distance: number, share = 1, over: Partial<SceneMatte> = {}): SceneMatte {
  const image = makeImage(32, 24, 1)
  image.data.forEach((_, n) => (image.data[n] = n % 32 < 16 ? share : 0))
  return { image, distance, ...over }
}
const rendered = (layers: Record<string, Drawable[]>, mattes: SceneMatte[]): Picture =>
  renderPicture(makeCrew(1), {
    pieces: [],
    layers: Object.entries(layers).map(([id, drawables]) => ({ id, drawables })),
    camera,
    light,
    quality: FINAL,
    mattes,
  })
const alpha = (picture: Picture, id: string, x: number, y = 12): number => {
  const layer = picture.layers.find((one) => one.id === id)
  const [u, v] = [x - (layer?.x ?? 0), y - (layer?.y ?? 0)]
  const inside = layer && u >= 0 && v >= 0 && u < layer.width && v < layer.height
  return inside ? (layer.alpha?.data[v * layer.width + u] ?? 0) : 0
}
const [IN, OUT] = [14, 18]

describe('a figure 6 m away between gases', () => {
  const near = { near: [smokeBlock(5, 1)] }
  const both = { near: [smokeBlock(5, 1)], far: [smokeBlock(7, 1)] }
  it('is covered by gas at 5 m as if it were not there, and hides gas at 7 m', () => {
    const [free, held] = [rendered(both, []), rendered(both, [figure(6)])]
    expect(alpha(held, 'near', IN)).toBeCloseTo(alpha(free, 'near', IN), 3)
    expect(alpha(free, 'far', IN)).toBeGreaterThan(0.15)
    expect(alpha(held, 'far', IN)).toBeLessThan(1e-4)
    expect(alpha(held, 'far', OUT)).toBeCloseTo(alpha(free, 'far', OUT), 3)
  })
  it('has no fringe: at its rim each side has its share within 2 %', () => {
    for (const share of [0.25, 0.5, 0.75]) {
      const [free, held] = [rendered(both, []), rendered(both, [figure(6, share)])]
      expect(alpha(held, 'far', IN) / alpha(free, 'far', IN)).toBeCloseTo(1 - share, 2)
      expect(alpha(held, 'near', IN)).toBeCloseTo(alpha(rendered(near, []), 'near', IN), 2)
    }
  })
})

describe('a matte in depth', () => {
  it('stands along the view: a flat wall before it is seen to its corners, one behind it nowhere', () => {
    const wall = { wall: [thing(boxMesh([0, 1, -6], [20, 20, 0.02], [0, 0, 0, 1]))] }
    const whole = (distance: number): SceneMatte => {
      const image = makeImage(32, 24, 1)
      image.data.fill(1)
      return { image, distance }
    }
    for (const [x, y] of [
      [16, 12],
      [0, 0],
      [31, 23],
    ] as const) {
      expect(alpha(rendered(wall, [whole(6.05)]), 'wall', x, y)).toBeCloseTo(1, 3)
      expect(alpha(rendered(wall, [whole(5.95)]), 'wall', x, y)).toBeCloseTo(0, 3)
    }
  })
  it('soft in depth, holds out a part of what lies within that', () => {
    const held = (distance: number, soft: number, share = 1): number =>
      alpha(rendered({ board: [board(6)] }, [figure(distance, share, { soft })]), 'board', IN)
    expect(held(5, 0)).toBeCloseTo(0, 5)
    expect(held(6.5, 0)).toBeCloseTo(1, 5)
    // The board's face is 5.9 m away: an eighth of the way more is held out every quarter metre from 4.9 m to 6.9 m.
    expect(held(5.9, 2)).toBeCloseTo(0.5, 2)
    expect(held(5.4, 2)).toBeCloseTo(0.25, 2)
    expect(held(5.4, 2, 0.5)).toBeCloseTo(0.625, 2)
    expect(held(4, 2)).toBeCloseTo(0, 5)
  })
  it('stands at each pixel’s own distance where it has one, and is not there where it has none', () => {
    const distances = makeImage(32, 24, 1)
    distances.data.forEach((_, n) => (distances.data[n] = n % 32 < 8 ? 0 : n % 32 < 12 ? 7 : 5))
    const held = rendered({ board: [board(6)] }, [figure(1, 1, { distances })])
    expect([7, 10, 14].map((x) => alpha(held, 'board', x))).toEqual([1, 1, 0].map((v) => expect.closeTo(v, 5)))
  })
  it('takes away only the layers that it is to cut: what is behind them shows', () => {
    const layers = { smoke: [smokeBlock(5, 2)], board: [board(7)] }
    const free = rendered(layers, [])
    const cut = rendered(layers, [figure(4, 1, { cuts: ['smoke'] })])
    expect(alpha(free, 'smoke', IN)).toBeGreaterThan(0.7)
    expect(alpha(cut, 'smoke', IN)).toBeLessThan(1e-4)
    expect(alpha(cut, 'board', IN)).toBeCloseTo(1, 4)
    expect(alpha(cut, 'smoke', OUT)).toBeCloseTo(alpha(free, 'smoke', OUT), 3)
    const solid = rendered(layers, [figure(4, 0.5, { cuts: ['board'] })])
    expect(alpha(solid, 'board', IN)).toBeCloseTo(0.5 * alpha(free, 'board', IN), 3)
    expect(alpha(solid, 'smoke', IN)).toBeCloseTo(alpha(free, 'smoke', IN), 3)
    // Layers that are not there are no reason to hold all out; what is before it is not cut.
    expect(alpha(rendered(layers, [figure(4, 1, { cuts: ['gone'] })]), 'smoke', IN)).toBeCloseTo(
      alpha(free, 'smoke', IN),
      3,
    )
    expect(alpha(rendered(layers, [figure(6, 1, { cuts: ['smoke'] })]), 'smoke', IN)).toBeCloseTo(
      alpha(free, 'smoke', IN),
      3,
    )
  })
})
