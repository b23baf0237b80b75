import { makeItem, makeShot, mergePatch, parseShot, shotLayers } from '@lantern/core/shot'
import { expect, it } from 'vitest'
import { moveLayer, rosterEntries } from './entries.ts'

const plate = {
  asset: 'a',
  file: 'f',
  width: 320,
  height: 180,
  first: 1,
  last: 10,
  rate: [24, 1] as [number, number],
  encoding: 'srgb' as const,
}

it('lists a layer for every drawn item or group, the top one first, and moves one to another’s place', () => {
  const shot = makeShot('One', plate)
  shot.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  shot.items.fire = makeItem('gas', { name: 'Fire', order: 2 })
  shot.items.puff = { ...makeItem('gas', { name: 'Puff', order: 3 }), group: 'clouds' }
  shot.items.more = { ...makeItem('gas', { name: 'More', order: 4 }), group: 'clouds' }
  shot.items.again = makeItem('reuse', { name: 'Again', order: 5, of: 'fire' })
  const layers = rosterEntries(shot, undefined).filter(({ group }) => group === 'Layers')
  expect(layers.map(({ name, kind }) => [name, kind])).toEqual([
    ['Again', expect.any(String)],
    ['clouds', '2 items'],
    ['Fire', expect.any(String)],
  ])
  const moved = parseShot(mergePatch(shot, moveLayer(shot, 'again', 'fire')))
  expect(shotLayers(moved).map(({ id }) => id)).toEqual(['again', 'fire', 'g-clouds'])
  expect(moved.sit.layers.again).toMatchObject({ order: 1, amount: 1 })
})
