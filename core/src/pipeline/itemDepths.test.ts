import { describe, expect, it } from 'vitest'
import { recipeKey } from '../base/index.ts'
import type { Camera } from '../data/index.ts'
import { makeItem, makeShot } from '../shot/index.ts'
import { itemDepths } from './itemDepths.ts'
import { pictureRecipe } from './picture.ts'
import { pictureFrame } from './pictureFrame.ts'

const camera: Camera = {
  position: [0, 1, 5],
  rotation: [0, 0, 0, 1],
  focalPx: 64,
  centre: [32, 32],
  k1: 0,
  k2: 0,
  width: 64,
  height: 64,
}
const plate = { asset: 'a', file: 'f', width: 64, height: 64, first: 1, last: 9, rate: [24, 1], encoding: 'srgb' }
const shot = (z: number) => {
  const made = makeShot('Yard', plate as Parameters<typeof makeShot>[1])
  made.items.box = {
    ...makeItem('box', { name: 'Box', order: 1, position: [0, 0, z], width: 2, height: 2, depth: 2 }),
    shown: false,
  }
  made.items.r = makeItem('render', { name: 'R', order: 2, standIn: 'box' })
  return made
}

describe('how far away an item is', () => {
  it('is that of its nearest side, hidden or not, and endless beside it', () => {
    const depths = itemDepths(shot(0), 'box', 1, camera, () => undefined)
    expect(depths?.[32 * 64 + 32]).toBeCloseTo(4, 3)
    expect(depths?.[32 * 64 + 2]).toBe(Infinity)
    expect(itemDepths(shot(0), 'nothing', 1, camera, () => undefined)).toBeUndefined()
    expect(itemDepths(shot(0), 'r', 1, camera, () => undefined)).toBeUndefined()
  })
  it('decides the picture of a render that has its shape', () => {
    const key = (z: number) =>
      recipeKey(
        pictureRecipe(
          shot(z),
          pictureFrame(shot(z), () => camera, 3),
          'look',
          () => '',
        ),
      )
    expect(key(0)).not.toBe(key(-1))
    expect(key(0)).toBe(key(0))
  })
})
