import { makeItem, makeShot, parseShot } from '@lantern/core/shot'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type FreshStore, freshStore } from '../testing/freshStore.ts'
import * as lantern from './index.ts'
import { up as renameFigures } from './migrations/0006-figure-names.ts'

let store: FreshStore
beforeAll(async () => {
  store = await freshStore()
})
afterAll(() => store.remove())

const plate = { file: 'f', width: 64, height: 36, first: 1001, last: 1004, encoding: 'srgb' as const }
async function newShot(name: string): Promise<lantern.Shot> {
  const asset = await lantern.createAsset(store, `${name}.mp4`)
  const document = makeShot(name, { ...plate, asset, rate: [24, 1] })
  const fire = makeItem('gas', { name: 'Fire', order: 1, position: [0, 0, -3], seed: name.length })
  return lantern.createShot(
    store,
    parseShot({
      ...document,
      camera: { ...document.camera, kind: 'typed' },
      items: { fire, ground: makeItem('ground', { name: 'Ground', order: 2 }) },
      signals: { heat: { name: 'Heat', source: { kind: 'figure', item: 'fire', figure: 'heat' } } },
      light: { ...document.light, follows: { sunShare: { signal: 'heat', gain: 0.001 } } },
    }),
  )
}
const keep = async (key: string, frame: number, figures: Record<string, unknown>): Promise<boolean> => {
  const blob = await lantern.putBlob(store, new TextEncoder().encode(`${key} ${frame}`), 'x')
  return lantern.insertFrame(store, { key, frame, blob, figures }, undefined, 1)
}

describe('a shot is resolved', () => {
  it('once a revision, however often its status is asked for, and again after an edit', async () => {
    const shot = await newShot('Once')
    const before = lantern.resolveCounts(store)
    for (let n = 0; n < 5; n++) await lantern.shotStatus(store, await lantern.getShot(store, 'Once'))
    expect(lantern.resolveCounts(store)).toEqual({ base: before.base + 1, figures: before.figures + 1 })
    const edited = await lantern.editShot(store, 'Once', shot.head, { items: { fire: { heat: 222 } } })
    for (let n = 0; n < 3; n++) await lantern.shotStatus(store, edited)
    expect(lantern.resolveCounts(store)).toEqual({ base: before.base + 2, figures: before.figures + 2 })
  })

  it('anew in what reads kept figures when more frames are kept, its recipes not', async () => {
    const shot = await newShot('Figures')
    const key = await lantern.requestItem(store, shot, 'fire')
    const keysBefore = (await lantern.resolveShot(store, shot)).pictureKeys('look')
    const before = lantern.resolveCounts(store)
    await keep(key, 1002, { heatKw: 500 })
    const after = (await lantern.resolveShot(store, shot)).pictureKeys('look')
    expect(lantern.resolveCounts(store)).toEqual({ base: before.base, figures: before.figures + 1 })
    // The light follows the heat: the picture of that frame alone is another.
    expect([...after].filter(([frame, one]) => keysBefore.get(frame) !== one).map(([frame]) => frame)).toEqual([1002])
    await lantern.resolveShot(store, shot)
    expect(lantern.resolveCounts(store).figures).toBe(before.figures + 1)
  })

  it('apart from other shots', async () => {
    const [one, two] = [await newShot('One shot'), await newShot('Another shot')]
    const [a, b] = [await lantern.resolveShot(store, one), await lantern.resolveShot(store, two)]
    expect(a.items[0]?.runs[0]?.key).not.toBe(b.items[0]?.runs[0]?.key)
    expect((await lantern.resolveShot(store, one)).items).toBe(a.items)
  })
})

it('kept frames of before have their figures under today’s names', async () => {
  const key = await lantern.requestItem(store, await newShot('Names'), 'fire')
  await keep(key, 1001, { heatKw: 5, neck: 0.3, standing: 1.2 })
  await keep(key, 1002, { heatKw: 6, baseBuoyancy: 0.4 })
  await renameFigures(store.db as never)
  expect((await lantern.keptFrames(store, [key])).map(({ figures }) => figures)).toEqual([
    { heatKw: 5, baseBuoyancy: 0.3, axialFlameLength: 1.2 },
    { heatKw: 6, baseBuoyancy: 0.4 },
  ])
})
