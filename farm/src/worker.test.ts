import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { fileURLToPath } from 'node:url'
import { GOLDEN_HASH, goldenHash } from '@lantern/core/pipeline'
import * as lantern from '@lantern/store'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { FreshStore } from '../../store/testing/freshStore.ts'
import { type Bench, makeBench } from '../testing/bench.ts'
import { nodeCrew } from './crew/nodeCrew.ts'

const TOP = fileURLToPath(new URL('../..', import.meta.url))

let bench: Bench
let store: FreshStore

beforeAll(async () => {
  bench = await makeBench()
  store = bench.store
})
afterAll(() => bench.remove())

it('gives the golden hash with two threads too', () => {
  const more = nodeCrew(2)
  expect(more.threads).toBe(2)
  expect(goldenHash(more)).toBe(GOLDEN_HASH)
  more.end()
})

describe('two farm machines', () => {
  const start = (): ReturnType<typeof spawn> =>
    spawn(process.execPath, ['farm/dist/worker.mjs'], {
      cwd: TOP,
      stdio: ['ignore', 'inherit', 'inherit'],
      env: {
        ...process.env,
        LANTERN_DATABASE_URL: store.url,
        LANTERN_DATA: store.data,
        LANTERN_THREADS: '1',
        LANTERN_LOG: 'error',
      },
    })
  it('share a picture run; when one is killed its frames are taken over, none lost, none doubled', async () => {
    const shot = await bench.firstShot('Farm', (document) => {
      document.plate.last = 1008
      Object.assign(document.items.fire ?? {}, { cell: 110 })
    })
    const machines = [start(), start()]
    try {
      await expect
        .poll(async () => (await lantern.liveMachines(store)).length, { timeout: 30_000 })
        .toBeGreaterThanOrEqual(2)
      await lantern.requestPicture(store, shot, 'look')
      const kept = async (): Promise<number> => (await lantern.shotStatus(store, shot)).look.kept.length
      await expect.poll(kept, { timeout: 60_000 }).toBeGreaterThanOrEqual(2)
      machines[0]?.kill('SIGKILL')
      await expect.poll(kept, { timeout: 90_000, interval: 500 }).toBe(8)
      await expect
        .poll(async () => (await lantern.shotStatus(store, shot)).look.state, { timeout: 10_000 })
        .toBe('done')
      const status = await lantern.shotStatus(store, shot)
      const rows = await store.pool.query<{ count: number }>(
        'select count(*)::int as count from result_frame where key = any($1) group by key, frame',
        [Object.values(status.look.keys)],
      )
      expect(rows.rows).toHaveLength(8)
      expect(rows.rows.every(({ count }) => count === 1)).toBe(true)
      for (const { blob } of await lantern.keptFrames(store, Object.values(status.look.keys)))
        await lantern.getBlob(store, blob)
    } finally {
      for (const machine of machines) {
        if (machine.exitCode !== null || machine.signalCode) continue
        machine.kill('SIGTERM')
        await once(machine, 'exit')
      }
    }
  }, 180_000)
})
