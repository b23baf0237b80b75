import { join } from 'node:path'
import { makeShot } from '@lantern/core/shot'
import { createAsset, createShot, getAsset, getShot, keptSolveOf, matchKeys } from '@lantern/store'
import { pino } from 'pino'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { type FreshStore, freshStore } from '../../store/testing/freshStore.ts'
import { nodeCrew } from './crew/nodeCrew.ts'
import type { JobContext } from './jobs/context.ts'
import { plateJob } from './jobs/plate.ts'
import { matchShot } from './matchReport.ts'

// Small plates of the yard whose motion does not tell the lens.

let store: FreshStore
let context: JobContext
const crew = nodeCrew(2)
beforeAll(async () => {
  store = await freshStore()
  context = {
    store,
    crew,
    machine: 'test',
    log: pino({ level: 'silent' }),
    ending: () => false,
    progress: { report: () => undefined, cancelled: () => false },
  }
})
afterAll(async () => {
  crew.end()
  await store.remove()
})

async function shotOf(plate: string): Promise<void> {
  const file = `${plate}.mp4`
  const asset = await createAsset(store, file)
  await plateJob(context, { asset, path: join(import.meta.dirname, '../../demo/plates', file), kind: 'movie' })
  const { info } = await getAsset(store, asset)
  const document = makeShot(plate, {
    asset,
    file,
    width: info.width ?? 1,
    height: info.height ?? 1,
    first: info.first ?? 1,
    last: info.last ?? 1,
    rate: info.rate ?? [24, 1],
    encoding: 'srgb',
  })
  // Enough, and quicker.
  document.match.count = 120
  await createShot(store, document)
}

it('a camera bolted to the ground is said to be locked off, with the worker crossing and the fire burning', async () => {
  await shotOf('yard-bolted')
  await expect(matchShot(context, 'yard-bolted', {})).rejects.toMatchObject({
    message: expect.stringMatching(/The camera does not move/),
    remedy: expect.stringMatching(/line the shot up by its edges, or type the camera/),
  })
  expect((await getShot(store, 'yard-bolted')).document.camera.kind).toBe('none')
}, 120_000)

it.each([
  ['yard-nudged', /turned too little to fix its focal length/],
  ['yard-cobbles', /fix (its|the) focal length/],
])(
  '%s keeps the proposed focal length, says why, and is not made the camera by itself',
  async (plate, why) => {
    await shotOf(plate)
    const found = await matchShot(context, plate, {})
    expect(found.doubts[0]?.what).toMatch(why)
    expect(found).toMatchObject({ focalPx: 0.85 * 640, distortion: { k1: 0, k2: 0 }, taken: false })
    const { document } = await getShot(store, plate)
    expect(document.camera.kind).toBe('none')
    const solve = await keptSolveOf(store, matchKeys(document).solve)
    expect(solve?.held?.map(({ term }) => term)).toContain('focalPx')
  },
  180_000,
)
