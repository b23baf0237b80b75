import { join } from 'node:path'
import { makeShot } from '@lantern/core/shot'
import { createAsset, createShot, getAsset, getShot } from '@lantern/store'
import { pino } from 'pino'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { type FreshStore, freshStore } from '../../store/testing/freshStore.ts'
import { nodeCrew } from './crew/nodeCrew.ts'
import type { JobContext } from './jobs/context.ts'
import { plateJob } from './jobs/plate.ts'
import { matchShot } from './matchReport.ts'

// A small plate of the yard whose camera does not move; those whose motion does not tell the lens are rows of the validation.

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
