import { makeItem, makeShot } from '@lantern/core/shot'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { type FreshStore, freshStore } from '../testing/freshStore.ts'
import * as lantern from './index.ts'

// What survives of a run: states it goes on from, frames that another run takes over, work that a machine left behind.

let store: FreshStore
beforeAll(async () => {
  store = await freshStore()
})
afterAll(() => store.remove())

let count = 0
let shot: lantern.Shot
/** A run asked for anew, and its key: no two are the same. */
async function run(): Promise<string> {
  shot = await lantern.editShot(store, shot.document.name, shot.head, { items: { fire: { seed: ++count } } })
  return lantern.requestItem(store, shot, 'fire')
}
beforeEach(async () => {
  const asset = await lantern.createAsset(store, 'yard.mp4')
  const document = makeShot(`Kept ${++count}`, {
    asset,
    file: 'yard.mp4',
    width: 64,
    height: 36,
    first: 1001,
    last: 1100,
    rate: [24, 1],
    encoding: 'srgb',
  })
  document.items.fire = makeItem('gas', { name: 'Fire', order: 1, position: [0, 0, -4], seed: count })
  shot = await lantern.createShot(store, document)
})
const blob = (name: string): Promise<string> =>
  lantern.putBlob(store, new TextEncoder().encode(`${name} ${count}`), 'x')
const held = async (key: string): Promise<number> => {
  const fence = await lantern.takeLease(store, key, 'machine')
  if (fence === undefined) throw new Error('nobody else holds it')
  return fence
}

describe('restart states', () => {
  it('are six at most, the newest among them, the rest spread over the run', async () => {
    const key = await run()
    const fence = await held(key)
    const free: string[] = []
    for (let done = 4; done <= 64; done += 4)
      free.push(
        ...(await lantern.putRestart(store, key, fence, {
          done,
          chain: `${key}-${done}`,
          state: { done },
          blob: await blob(`state ${done}`),
        })),
      )
    const kept = (
      await store.db.selectFrom('restart').select('done').where('key', '=', key).orderBy('done').execute()
    ).map(({ done }) => done)
    expect(kept).toHaveLength(6)
    expect(kept.at(-1)).toBe(64)
    expect(new Set(free).size).toBe(10)
    const gaps = kept.map((done, n) => done - (kept[n - 1] ?? 0))
    expect(Math.max(...gaps)).toBeLessThanOrEqual(24)
  })
  it('give the furthest that the same settings decided, whichever run kept it, and none that differs', async () => {
    const [one, other] = [await run(), await run()]
    const fence = await held(one)
    for (const done of [10, 20, 30])
      await lantern.putRestart(store, one, fence, {
        done,
        chain: `${one} up to ${done}`,
        state: { done },
        blob: await blob(`far ${done}`),
      })
    // The other run parts from this one after 20 frames.
    const chains = new Map(
      [10, 20, 30].map((done) => [done, done <= 20 ? `${one} up to ${done}` : `${other} up to ${done}`]),
    )
    expect(await lantern.getRestart(store, chains)).toMatchObject({ done: 20, state: { done: 20 } })
    expect(await lantern.getRestart(store, new Map([[20, `${one} up to 30`]]))).toBeUndefined()
    expect(await lantern.getRestart(store, new Map())).toBeUndefined()
  })
  it('are not taken from a machine that lost its lease', async () => {
    const key = await run()
    const fence = await held(key)
    await lantern.dropLease(store, key, fence)
    await lantern.takeLease(store, key, 'another')
    await lantern.putRestart(store, key, fence, { done: 5, chain: `${key} late`, state: {}, blob: await blob('late') })
    expect(await lantern.getRestart(store, new Map([[5, `${key} late`]]))).toBeUndefined()
  })
})

describe('frames that the same decided', () => {
  it('are taken over by a later run, the others left', async () => {
    const [one, other] = [await run(), await run()]
    for (const frame of [1001, 1002, 1003])
      await lantern.insertFrame(
        store,
        {
          key: one,
          frame,
          blob: await blob(`frame ${frame}`),
          figures: { heatKw: frame },
          chain: `${one} frame ${frame}`,
        },
        undefined,
        1,
      )
    const chains = new Map(
      [1001, 1002, 1003].map((frame) => [frame, frame < 1003 ? `${one} frame ${frame}` : `${other} frame ${frame}`]),
    )
    expect(await lantern.takeOverFrames(store, other, chains)).toBe(2)
    expect(await lantern.takeOverFrames(store, other, chains)).toBe(0)
    const kept = await lantern.keptFrames(store, [other])
    expect(kept.map(({ frame }) => frame).sort()).toEqual([1001, 1002])
    expect((await lantern.keptFrame(store, other, 1002))?.figures).toMatchObject({ heatKw: 1002 })
  })
  it('never come at another frame than they were kept at', async () => {
    const [one, other] = [await run(), await run()]
    await lantern.insertFrame(
      store,
      { key: one, frame: 1005, blob: await blob('fifth'), figures: {}, chain: `${one} fifth` },
      undefined,
      1,
    )
    expect(await lantern.takeOverFrames(store, other, new Map([[1006, `${one} fifth`]]))).toBe(0)
  })
})

describe('the queue', () => {
  const waiting = async (prefix: string): Promise<string[]> =>
    (
      await store.pool.query<{ key: string }>(
        "select key from graphile_worker.jobs where key like $1 || '%' order by key",
        [prefix],
      )
    ).rows.map(({ key }) => key)
  it('holds a key once, and gives up what waits by its prefix', async () => {
    const key = await run()
    for (let n = 0; n < 3; n++)
      await lantern.queueJob(
        store,
        'bake',
        { key, shot: shot.id, item: 'fire', output: 'gas' },
        { jobKey: `part:${key}:1` },
      )
    await lantern.queueJob(
      store,
      'bake',
      { key, shot: shot.id, item: 'fire', output: 'gas' },
      { jobKey: `part:${key}:2` },
    )
    await lantern.queueJob(
      store,
      'bake',
      { key, shot: shot.id, item: 'fire', output: 'gas' },
      { jobKey: `whole:${key}` },
    )
    expect(await waiting(`part:${key}`)).toEqual([`part:${key}:1`, `part:${key}:2`])
    await lantern.cancelJobs(store, `part:${key}`)
    expect(await waiting(`part:${key}`)).toEqual([])
    expect(await waiting(`whole:${key}`)).toHaveLength(1)
  })
  it('refuses a job that lacks what it needs', async () => {
    await expect(lantern.queueJob(store, 'bake', { key: 'k', shot: 1.5, item: 'fire', output: 'gas' })).rejects.toThrow(
      /shot/,
    )
    await expect(lantern.queueJob(store, 'picture', { shot: 1, frames: [], quality: 'look' })).rejects.toThrow(/frames/)
  })
})

describe('what nobody works on any more', () => {
  const taken = async (key: string, machine: string): Promise<void> => {
    await lantern.beat(store, { id: machine, host: 'kiln', threads: 1 })
    await store.pool.query(
      "update graphile_worker._private_jobs set locked_by = $2, locked_at = now(), attempts = attempts + 1 where key like '%' || $1",
      [key, machine],
    )
    await store.pool.query("update machine set beat = now() - interval '1 minute' where id = $1", [machine])
  }
  const open = async (key: string): Promise<number> =>
    (
      await store.pool.query(
        "select 1 from graphile_worker.jobs where key like '%' || $1 and locked_at is null and attempts < max_attempts",
        [key],
      )
    ).rows.length
  it('is taken up again though three machines went down with it', async () => {
    const key = await run()
    await lantern.queueJob(store, 'bake', { key, shot: shot.id, item: 'fire', output: 'gas' }, { jobKey: `gas:${key}` })
    for (const machine of ['one', 'two', 'three']) {
      await taken(key, machine)
      expect(await open(key)).toBe(0)
      expect(await lantern.reapSilent(store)).toContain(machine)
      expect(await open(key)).toBe(1)
    }
    expect(await lantern.releaseStranded(store, 0)).not.toContain(key)
  })
  it('says so once no job is left for it, and goes on when it is asked for again', async () => {
    const [lost, held] = [await run(), await run()]
    expect(await lantern.releaseStranded(store, 0)).toEqual([])
    for (const key of [lost, held]) await lantern.cancelJobs(store, `gas:${key}`)
    await lantern.takeLease(store, held, 'kiln-c')
    expect(await lantern.releaseStranded(store, 60)).toEqual([])
    const released = await lantern.releaseStranded(store, 0)
    expect([released.includes(lost), released.includes(held)]).toEqual([true, false])
    expect((await lantern.resultRows(store, [lost])).get(lost)).toMatchObject({
      state: 'failed',
      error: { code: 'stranded', remedy: expect.stringContaining('Go on') },
    })
  })
})

describe('machines', () => {
  it('are told of while they beat, with what they are at, until they leave', async () => {
    await lantern.beat(store, { id: 'kiln-a', host: 'kiln', threads: 4 })
    await lantern.tellDoing(store, 'kiln-a', 'keeping Fire')
    expect(await lantern.liveMachines(store)).toEqual([
      { id: 'kiln-a', host: 'kiln', threads: 4, doing: 'keeping Fire' },
    ])
    const key = await run()
    await lantern.takeLease(store, key, 'kiln-a')
    expect(await lantern.takeLease(store, key, 'kiln-b')).toBeUndefined()
    await lantern.leave(store, 'kiln-a')
    expect(await lantern.liveMachines(store)).toEqual([])
    expect(await lantern.takeLease(store, key, 'kiln-b')).toBeTypeOf('number')
  })
  it('say how far they are only while they hold what they tell of', async () => {
    const key = await run()
    const fence = await held(key)
    expect(await lantern.tellShare(store, key, fence, 0.25, 'frame 1010')).toBe(true)
    expect(await lantern.tellShare(store, key, fence + 1, 0.5, 'frame 1020')).toBe(false)
  })
})
