import { describe, expect, it } from 'vitest'
import { canonicalJson, makeCrew, recipeKey } from '../base/index.ts'
import { makeImage } from '../data/index.ts'
import { type GasItem, gasRecipe } from '../effects/gas/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../shot/index.ts'
import {
  cameraAt,
  carriedFrames,
  GOLDEN_BREAK,
  GOLDEN_HASH,
  goldenBreak,
  goldenHash,
  lightAlone,
  pickLevel,
  pickSurface,
  pictureFrame,
  pictureRecipe,
  platesOn,
  resizeImage,
} from './index.ts'

const made = (): ShotDocument => {
  const shot = makeShot('One', {
    asset: 'a',
    file: 'f',
    width: 320,
    height: 180,
    first: 1,
    last: 10,
    rate: [24, 1],
    encoding: 'srgb',
  })
  shot.camera = { ...shot.camera, kind: 'typed', height: 1.6, tilt: -5 }
  shot.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  shot.items.wall = makeItem('box', { name: 'Wall', order: 2, position: [0, 0, -8], width: 4, height: 3 })
  shot.items.fire = makeItem('gas', { name: 'Fire', order: 3, position: [0, 0, -5] })
  return shot
}
const gasKey = (shot: ShotDocument): string => recipeKey(gasRecipe(shot, 'fire', 'full'))
const pictureKey = (shot: ShotDocument): string =>
  recipeKey(
    pictureRecipe(
      shot,
      pictureFrame(shot, (frame) => cameraAt(shot, undefined, frame), 1),
      'look',
      () => gasKey(shot),
    ),
  )
const changed = (change: (shot: ShotDocument) => void): ShotDocument => {
  const shot = made()
  change(shot)
  return shot
}

describe('recipes', () => {
  it('are the same for the same values in any order', () => {
    expect(canonicalJson({ b: [1, { z: null, a: 'x' }], a: -0 })).toBe('{"a":0,"b":[1,{"a":"x","z":null}]}')
    expect(() => canonicalJson({ a: Number.NaN })).toThrow()
    expect(gasKey(made())).toBe(gasKey(made()))
  })
  it('make stale only what hangs on a change', () => {
    const [gas, picture] = [gasKey(made()), pictureKey(made())]
    const renamed = changed((shot) => (shot.items.fire = { ...(shot.items.fire as GasItem), name: 'Other' }))
    expect([gasKey(renamed), pictureKey(renamed)]).toEqual([gas, picture])
    const graded = changed((shot) => (shot.sit.fireExposure = -3))
    expect([gasKey(graded), pictureKey(graded)]).toEqual([gas, picture])
    const white = changed((shot) => (shot.items.fire = { ...(shot.items.fire as GasItem), albedo: 0.9 }))
    expect(gasKey(white)).toBe(gas)
    expect(pictureKey(white)).not.toBe(picture)
    const hot = changed((shot) => (shot.items.fire = { ...(shot.items.fire as GasItem), heat: 900 }))
    expect(gasKey(hot)).not.toBe(gas)
    const moved = changed((shot) => Object.assign(shot.items.wall ?? {}, { position: [1, 0, -8] }))
    expect(gasKey(moved)).not.toBe(gas)
    const lens = changed((shot) => (shot.camera.tilt = 2))
    expect(gasKey(lens)).toBe(gas)
    expect(pictureKey(lens)).not.toBe(picture)
  })
  it('go stale with the plate’s curve where the plate is on something', () => {
    const curve = (shot: ShotDocument): ShotDocument => ({ ...shot, sit: { ...shot.sit, curve: 'clip' } })
    const carrying = changed((shot) => Object.assign(shot.items.wall ?? {}, { carries: 'frozen' }))
    expect(pictureKey(curve(carrying))).not.toBe(pictureKey(carrying))
    expect(pictureKey(curve(made()))).toBe(pictureKey(made()))
  })
  it('hang on another shot’s plate by its own camera, where that is on something', () => {
    const camera = {
      position: [0, 1, 2] as [number, number, number],
      rotation: [0, 0, 0, 1] as [number, number, number, number],
      focalPx: 300,
      centre: [160, 90] as [number, number],
      k1: 0,
      k2: 0,
      width: 320,
      height: 180,
    }
    const still = (asset: string) => ({ shot: 'Still', asset, frame: 7, encoding: 'srgb', curve: 'sensor', camera })
    const carrying = (asset: string): ShotDocument =>
      changed((shot) => Object.assign(shot.items.wall ?? {}, { carries: 'still', still: still(asset) }))
    expect(pictureKey(carrying('b'))).not.toBe(pictureKey(carrying('c')))
    const on = platesOn(carrying('b'), () => undefined, 3)
    expect(on.wall).toMatchObject({ frame: 7, camera, other: { asset: 'b', encoding: 'srgb' } })
    expect([...carriedFrames(carrying('b'), 3).keys()]).toEqual(['b/7/srgb/sensor'])
    const own = changed((shot) => Object.assign(shot.items.wall ?? {}, { carries: 'moving' }))
    expect([...carriedFrames(own, 3).keys()]).toEqual(['3'])
  })
  it('leave the plate’s own light out where a lamp shines alone', () => {
    const shot = changed((one) => {
      Object.assign(one.items.wall ?? {}, { carries: 'moving' })
      one.items.lamp = makeItem('lamp', { name: 'Lamp', order: 4 })
    })
    expect(lightAlone(shot, 'lamp').items).toMatchObject({ wall: { carries: 'nothing' }, lamp: { shown: true } })
    expect(lightAlone(shot, 'plateLight').items).toMatchObject({ wall: { carries: 'moving' }, lamp: { shown: false } })
  })
})

describe('what lies under a pixel', () => {
  it('is the wall before the ground, the ground elsewhere, nothing in the sky', () => {
    const shot = made()
    const camera = cameraAt(shot, undefined, 1)
    if (!camera) throw new Error('a camera was made')
    expect(pickSurface(shot, camera, 160, 90)).toMatchObject({ item: 'wall' })
    expect(pickSurface(shot, camera, 160, 90)?.point[2]).toBeCloseTo(-7.85, 2)
    expect(pickSurface(shot, camera, 20, 170)?.item).toBe('ground')
    expect(pickSurface(shot, camera, 20, 2)).toBeUndefined()
    expect(pickLevel(camera, 160, 2, 0)).toBeUndefined()
    expect(pickLevel(camera, 160, 170, 0)?.[1]).toBeCloseTo(0, 9)
  })
})

it('the picture needs a camera, and says so', () => {
  expect(() => pictureFrame(made(), () => undefined, 1)).toThrow(/no camera/)
})

it('pictures keep their mean between the plate’s sizes', () => {
  const image = makeImage(16, 8, 3)
  image.data.forEach((_, n) => (image.data[n] = (n * 7) % 13))
  const mean = ({ data }: { data: Float32Array }): number => data.reduce((sum, v) => sum + v, 0) / data.length
  expect(mean(resizeImage(image, 8, 4))).toBeCloseTo(mean(image), 4)
  expect(resizeImage(resizeImage(image, 8, 4), 16, 8).width).toBe(16)
})

it('gives its golden hash', async () => {
  expect(goldenHash(makeCrew(1))).toBe(GOLDEN_HASH)
  expect(await goldenBreak()).toBe(GOLDEN_BREAK)
})
