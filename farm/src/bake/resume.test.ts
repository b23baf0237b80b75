import { decodeGasState, encodeGasState } from '@lantern/core/effects/gas'
import { emptyBudget, type GasState, storeFor } from '@lantern/core/gas'
import { makeItem, type ShotDocument } from '@lantern/core/shot'
import * as lantern from '@lantern/store'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { FreshStore } from '../../../store/testing/freshStore.ts'
import { type GasBench, hot, LAST, makeGasBench } from '../../testing/gasBench.ts'
import { bakeJob } from './bakeJob.ts'
import { loadState, saveState } from './states.ts'

let bench: GasBench
let store: FreshStore
beforeAll(async () => {
  bench = await makeGasBench()
  store = bench.store
})
afterAll(() => bench.remove())

describe('a run that another one shares its beginning with', () => {
  const pulsed =
    (value: number) =>
    (document: ShotDocument): void => {
      document.signals.power = {
        name: 'Power',
        shown: true,
        source: {
          kind: 'keys',
          curve: 'straight',
          keys: [
            { frame: 1001, value: 300 },
            { frame: 1005, value: 300 },
            { frame: LAST, value },
          ],
        },
      }
      document.items.fire = makeItem('gas', {
        ...document.items.fire,
        name: 'Fire',
        order: 2,
        follows: { heat: { signal: 'power' } },
      })
    }
  it('takes its frames over up to where they differ, goes on from its state, and is the run that was never helped, bit for bit', async () => {
    const shot = await bench.shotOf('Keyed', pulsed(300))
    const first = await bench.kept(shot)
    const edited = await lantern.editShot(store, 'Keyed', undefined, {
      signals: {
        power: {
          source: {
            keys: [
              { frame: 1001, value: 300 },
              { frame: 1005, value: 300 },
              { frame: LAST, value: 2000 },
            ],
          },
        },
      },
    })
    const key = await lantern.requestItem(store, edited, 'fire')
    const taken = await lantern.keptFrames(store, [key])
    expect(taken.map(({ frame }) => frame)).toEqual([1001, 1002, 1003, 1004, 1005])
    expect(taken.map(({ blob }) => blob)).toEqual(first.slice(0, 5).map(({ blob }) => blob))
    const helped = await bench.kept(edited)
    expect(helped.map(({ frame }) => frame)).toEqual(first.map(({ frame }) => frame))
    expect(helped[7]?.blob).not.toBe(first[7]?.blob)
    await store.pool.query('delete from restart; ')
    await store.pool.query('delete from result_frame')
    await store.pool.query("update result set state = 'waiting'")
    expect((await bench.kept(edited)).map(({ blob }) => blob)).toEqual(helped.map(({ blob }) => blob))
  })
  it('goes on from within its run-up, bit for bit, and says how far that is', async () => {
    const shot = await bench.shotOf('Run-up', (document) => {
      document.items.fire = makeItem('gas', { ...document.items.fire, name: 'Fire', order: 2, runUp: 12 })
    })
    const key = await lantern.requestItem(store, shot, 'fire')
    let told = 0
    await bakeJob(
      bench.context({
        progress: {
          report: () => void (++told === 2 && void lantern.stopResults(store, [key])),
          cancelled: () => false,
        },
      }),
      { key, shot: shot.id, item: 'fire', output: 'gas' },
    )
    const {
      rows: [state],
    } = await store.pool.query<{ done: number }>('select done from restart where key = $1', [key])
    expect(state?.done).toBeGreaterThan(1)
    expect(state?.done).toBeLessThanOrEqual(12)
    expect(await lantern.keptFrames(store, [key])).toEqual([])
    await lantern.setResultState(store, key, 'running')
    expect((await lantern.shotStatus(store, shot)).items.fire?.doing).toBe(`run-up ${state?.done} of 12`)
    const times = async (): Promise<readonly lantern.PreRollFrame[]> =>
      (await lantern.resultRows(store, [key])).get(key)?.preRoll ?? []
    const before = await times()
    expect(before).toHaveLength(state?.done ?? 0)
    expect((await lantern.shotStatus(store, shot)).items.fire?.secondsLeft).toBeGreaterThan(0)
    const shares: number[] = []
    expect(
      await bakeJob(
        bench.context({ progress: { report: (share) => void shares.push(share), cancelled: () => false } }),
        {
          key,
          shot: shot.id,
          item: 'fire',
          output: 'gas',
        },
      ),
    ).toBe(true)
    expect(shares).toHaveLength(12 + LAST - 1000 - (state?.done ?? 0))
    expect(await times()).toHaveLength(12)
    expect((await times()).slice(0, before.length)).toEqual(before)
    expect((await lantern.shotStatus(store, shot)).items.fire?.doing).toBeNull()
    const resumed = (await lantern.keptFrames(store, [key])).map(({ blob }) => blob)
    await store.pool.query('delete from restart; ')
    await store.pool.query('delete from result_frame')
    await store.pool.query("update result set state = 'waiting'")
    expect((await bench.kept(shot)).map(({ blob }) => blob)).toEqual(resumed)
  })
  it('of a command that is ended is stopped, not left as if somebody went on with it', async () => {
    const shot = await bench.shotOf('Ended')
    const key = await lantern.requestItem(store, shot, 'fire')
    let told = 0
    expect(
      await bakeJob(
        bench.context({ progress: { report: () => void told++, cancelled: () => false }, ending: () => told >= 5 }),
        { key, shot: shot.id, item: 'fire', output: 'gas' },
      ),
    ).toBe(false)
    expect(await lantern.resultState(store, key)).toBe('stopped')
    expect(await lantern.keptFrames(store, [key])).toHaveLength(2)
    expect(await bench.kept(shot)).toHaveLength(LAST - 1000)
  })
  it('puts itself down at the end of its turn for whoever waits, but not when it is nearly done', async () => {
    const shot = await bench.shotOf('Turns', hot(311))
    const key = await lantern.requestItem(store, shot, 'fire')
    const turn = (finish: number): Promise<boolean> =>
      bakeJob(bench.context(), { key, shot: shot.id, item: 'fire', output: 'gas' }, { times: { turn: 0, finish } })
    const jobs = async (): Promise<{ key: string; run_at: Date }[]> =>
      (
        await store.pool.query<{ key: string; run_at: Date }>(
          'select key, run_at from graphile_worker.jobs where key = $1',
          [`gas:${key}`],
        )
      ).rows
    const asked = await jobs()
    await store.pool.query('delete from graphile_worker._private_jobs')
    expect(await turn(0)).toBe(false)
    // One job, where its ask stands.
    expect(await jobs()).toEqual(asked)
    await store.pool.query('delete from graphile_worker._private_jobs')
    expect((await lantern.resultRows(store, [key])).get(key)).toMatchObject({ state: 'running', machine: null })
    expect(await turn(1000)).toBe(true)
    expect(await lantern.keptFrames(store, [key])).toHaveLength(LAST - 1000)
    expect(await jobs()).toEqual([])
  })
  it('goes no further than what is wanted of it, keeps its state there, and goes on when more is', async () => {
    const shot = await bench.shotOf('So far', hot(312))
    const key = await lantern.requestItem(store, shot, 'fire', undefined, { until: 1002 })
    const go = (): Promise<boolean> =>
      bakeJob(
        bench.context(),
        { key, shot: shot.id, item: 'fire', output: 'gas' },
        { times: { turn: 1000, finish: 0 } },
      )
    expect(await go()).toBe(false)
    expect((await lantern.keptFrames(store, [key])).map(({ frame }) => frame)).toEqual([1001, 1002])
    expect(await lantern.resultState(store, key)).toBe('stopped')
    await lantern.requestItem(store, shot, 'fire', undefined, { until: 1002 })
    expect(await go()).toBe(false)
    expect(await lantern.keptFrames(store, [key])).toHaveLength(2)
    await lantern.requestItem(store, shot, 'fire')
    expect(await go()).toBe(true)
    expect(await lantern.keptFrames(store, [key])).toHaveLength(LAST - 1000)
  })
  it('is stopped within a long frame, keeps what it had before it, and goes on to the same bits', async () => {
    const shot = await bench.shotOf('Long frames', hot(310))
    const key = await lantern.requestItem(store, shot, 'fire')
    let told = 0
    // Asked once at the fourth frame’s end; the second time lies within the fifth.
    let looks = 0
    expect(
      await bakeJob(
        bench.context({
          progress: { report: () => void told++, cancelled: () => false },
          ending: () => told === 4 && ++looks > 1,
        }),
        { key, shot: shot.id, item: 'fire', output: 'gas' },
        { times: { longFrame: 0, lookEvery: 0 } },
      ),
    ).toBe(false)
    expect(told).toBe(4)
    expect(await lantern.resultState(store, key)).toBe('stopped')
    expect(await lantern.keptFrames(store, [key])).toHaveLength(1)
    expect(
      (await store.pool.query<{ done: number }>('select done from restart where key = $1 order by done desc', [key]))
        .rows[0]?.done,
    ).toBe(4)
    const resumed = await bench.kept(shot)
    expect(resumed).toHaveLength(LAST - 1000)
    for (const what of ['restart', 'result_frame']) await store.pool.query(`delete from ${what} where key = $1`, [key])
    await store.pool.query("update result set state = 'waiting' where key = $1", [key])
    expect((await bench.kept(shot)).map(({ blob }) => blob)).toEqual(resumed.map(({ blob }) => blob))
  })
  it('is not stopped by a command that another one took it over from', async () => {
    const shot = await bench.shotOf('Taken over', hot(320))
    const key = await lantern.requestItem(store, shot, 'fire')
    let told = 0
    let taken = false
    const report = (): void => {
      if (++told === 5) void lantern.takeLease(store, key, 'test').then(() => (taken = true))
    }
    // It is ended once the other one has it, whichever frame it is at by then.
    expect(
      await bakeJob(bench.context({ progress: { report, cancelled: () => false }, ending: () => taken }), {
        key,
        shot: shot.id,
        item: 'fire',
        output: 'gas',
      }),
    ).toBe(false)
    expect(taken).toBe(true)
    expect(await lantern.resultState(store, key)).toBe('running')
    expect(await bench.kept(shot)).toHaveLength(LAST - 1000)
  })
  it('keeps several states along its way, no more than it should, the newest always', async () => {
    const shot = await bench.shotOf('States')
    const key = await lantern.requestItem(store, shot, 'fire')
    const fence = (await lantern.takeLease(store, key, 'test')) ?? 0
    for (let done = 1; done <= 20; done++) {
      const blob = await lantern.putBlob(store, Uint8Array.of(done, 7), 'application/octet-stream')
      for (const free of await lantern.putRestart(store, key, fence, { done, chain: `chain-${done}`, state: {}, blob }))
        await lantern.dropBlob(store, free)
    }
    const { rows } = await store.pool.query<{ done: number; blob: string }>(
      'select done, blob from restart where key = $1 order by done',
      [key],
    )
    expect(rows).toHaveLength(6)
    expect(rows.at(-1)?.done).toBe(20)
    expect(Math.max(...rows.map(({ done }, n) => done - (rows[n - 1]?.done ?? 0)))).toBeLessThan(9)
    for (const { blob } of rows) await lantern.getBlob(store, blob)
    expect(
      (
        await lantern.getRestart(
          store,
          new Map([
            [4, 'chain-4'],
            [rows[1]?.done ?? 0, `chain-${rows[1]?.done}`],
            [19, 'of another run'],
          ]),
        )
      )?.done,
    ).toBe(rows[1]?.done)
    expect(await lantern.getRestart(store, new Map())).toBeUndefined()
    // A holder whose lease was taken over keeps nothing.
    expect(
      await lantern.putRestart(store, key, fence - 1, { done: 30, chain: 'x', state: {}, blob: rows[0]?.blob ?? '' }),
    ).toEqual([])
    expect((await store.pool.query('select 1 from restart where done = 30')).rows).toEqual([])
    await lantern.dropLease(store, key, fence)
  })
  it('keeps a state of a box that is stored in part, and takes none that holds another number of cells', async () => {
    const shot = await bench.shotOf('Tiles', hot(260))
    const key = await lantern.requestItem(store, shot, 'fire')
    const fence = (await lantern.takeLease(store, key, 'test')) ?? 0
    const size: [number, number, number] = [24, 16, 16]
    const active = Uint8Array.from({ length: 12 }, (_, n) => (n === 1 || n === 7 ? 1 : 0))
    const state = (done: number, cells: number): GasState => ({
      done,
      box: { cell: 0.1, origin: [0, 0, -8], size },
      closed: 4,
      budget: emptyBudget(),
      active,
      fields: Array.from({ length: 9 }, (_, n) => new Float32Array(cells).fill(n + 0.5)),
    })
    const whole = storeFor(size, active).cells
    expect(whole).toBeLessThan(26 * 18 * 18)
    const bake = (await lantern.resolveShot(store, shot)).items[0]?.runs[0]?.bake
    if (bake?.way !== 'steps') throw new TypeError('a gas goes from frame to frame')
    await saveState(bench.context(), key, fence, 'tiles', encodeGasState(state(4, whole)))
    const back = await loadState(bench.context(), key, bake, new Map([[4, 'tiles']]))
    expect(back && decodeGasState(back)).toEqual(state(4, whole))
    await saveState(bench.context(), key, fence, 'short', encodeGasState(state(5, whole - 18)))
    expect(await loadState(bench.context(), key, bake, new Map([[5, 'short']]))).toBeUndefined()
    await lantern.dropLease(store, key, fence)
  })
})
