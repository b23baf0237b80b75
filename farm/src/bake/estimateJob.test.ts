import * as lantern from '@lantern/store'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { FreshStore } from '../../../store/testing/freshStore.ts'
import { type GasBench, hot, LAST, makeGasBench } from '../../testing/gasBench.ts'
import { estimateJob } from './estimateJob.ts'

let bench: GasBench
let store: FreshStore
beforeAll(async () => {
  bench = await makeGasBench()
  store = bench.store
})
afterAll(() => bench.remove())

describe('how much work a gas will be', () => {
  const aheadOf = async (key: string): Promise<number[]> =>
    (await lantern.resultRows(store, [key])).get(key)?.ahead ?? []
  const queued = async (key: string): Promise<string[]> =>
    (
      await store.pool.query<{ key: string }>(
        "select key from graphile_worker._private_jobs where key like $1 || '%' order by key",
        [`gas:${key}`],
      )
    ).rows.map((row) => row.key)
  const total = (works: readonly number[]): number => works.reduce((a, b) => a + b, 0)
  it('is told ahead of every frame, near to what the run then takes', async () => {
    const shot = await bench.shotOf('Ahead')
    const key = await lantern.requestItem(store, shot, 'fire')
    const payload = { key, shot: shot.id, item: 'fire', output: 'gas' }
    await estimateJob(bench.context(), payload)
    const ahead = await aheadOf(key)
    expect(ahead).toHaveLength(3 + LAST - 1000)
    const frames = await bench.kept(shot)
    const taken = frames.map(({ figures }) => Number(figures.cells) * Number(figures.steps))
    expect(total(ahead.slice(3)) / total(taken)).toBeGreaterThan(0.4)
    expect(total(ahead.slice(3)) / total(taken)).toBeLessThan(1.6)
    // What is told stays, and what is kept needs none.
    await estimateJob(bench.context({ ending: () => true }), payload)
    expect(await aheadOf(key)).toEqual(ahead)
  })
  it('is not told of one that is stopped or is another recipe by now', async () => {
    const shot = await bench.shotOf('Not ahead', hot(123))
    const key = await lantern.requestItem(store, shot, 'fire')
    await lantern.stopResults(store, [key])
    await estimateJob(bench.context(), { key, shot: shot.id, item: 'fire', output: 'gas' })
    expect(await aheadOf(key)).toEqual([])
    const moved = await lantern.editShot(store, 'Not ahead', undefined, { items: { fire: { heat: 124 } } })
    const gone = await lantern.requestItem(store, moved, 'fire')
    await lantern.editShot(store, 'Not ahead', undefined, { items: { fire: { heat: 125 } } })
    await estimateJob(bench.context(), { key: gone, shot: shot.id, item: 'fire', output: 'gas' })
    expect(await aheadOf(gone)).toEqual([])
  })
  it('is left to another machine by one that ends, and not told when the run is stopped meanwhile', async () => {
    // Long enough that it is stopped before it is through, however busy the machine is.
    const runUp = 80
    const shot = await bench.shotOf('Put down', (document) => {
      hot(126)(document)
      Object.assign(document.items.fire ?? {}, { runUp })
    })
    const key = await lantern.requestItem(store, shot, 'fire')
    const payload = { key, shot: shot.id, item: 'fire', output: 'gas' }
    await store.pool.query('delete from graphile_worker._private_jobs')
    await estimateJob(bench.context({ ending: () => true }), payload, 0)
    expect(await queued(key)).toEqual([`gas:${key}:estimate`])
    expect(await aheadOf(key)).toEqual([])
    let looked = 0
    // Stopped as it looks up for the second time.
    await estimateJob(
      bench.context({ ending: () => (looked++ === 1 && void lantern.stopResults(store, [key]), false) }),
      payload,
      0,
    )
    expect(looked).toBeGreaterThan(1)
    expect(looked).toBeLessThan(runUp + LAST - 1000)
    expect(await aheadOf(key)).toEqual([])
  })
})
