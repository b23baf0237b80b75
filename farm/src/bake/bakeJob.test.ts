import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import * as lantern from '@lantern/store'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import type { FreshStore } from '../../../store/testing/freshStore.ts'
import { full } from '../../../store/testing/fullDisk.ts'
import { type Bench, makeBench } from '../../testing/bench.ts'
import { bakeJob } from './bakeJob.ts'
import { GiveWay } from './giveWay.ts'
import { underLease } from './lease.ts'

vi.mock('node:fs/promises', async (original) =>
  (await import('../../../store/testing/fullDisk.ts')).overFullDisk(original as never),
)

let bench: Bench
let store: FreshStore

beforeAll(async () => {
  bench = await makeBench()
  store = bench.store
})
afterAll(() => bench.remove())

describe('a run', () => {
  it('stops when asked, and what is resumed equals what was never stopped, bit for bit', async () => {
    const shot = await bench.firstShot('Stop')
    const key = await lantern.requestItem(store, shot, 'fire')
    let frames = 0
    const stopping = bench.context({
      progress: {
        report: () => void (++frames === 7 && void lantern.stopResults(store, [key])),
        cancelled: () => false,
      },
    })
    while (frames < 7) await bakeJob(stopping, { key, shot: shot.id, item: 'fire', output: 'gas' })
    await expect.poll(() => lantern.resultState(store, key)).toBe('stopped')
    expect(await bakeJob(bench.context(), { key, shot: shot.id, item: 'fire', output: 'gas' })).toBe(false)
    await lantern.requestItem(store, shot, 'fire')
    expect(await bakeJob(bench.context(), { key, shot: shot.id, item: 'fire', output: 'gas' })).toBe(true)
    const resumed = (await lantern.keptFrames(store, [key])).map(({ blob }) => blob)
    await store.pool.query('delete from result_frame where key = $1', [key])
    await store.pool.query('delete from restart where key = $1', [key])
    await store.pool.query("update result set state = 'waiting' where key = $1", [key])
    expect(await bakeJob(bench.context(), { key, shot: shot.id, item: 'fire', output: 'gas' })).toBe(true)
    expect((await lantern.keptFrames(store, [key])).map(({ blob }) => blob)).toEqual(resumed)
  })

  it('stops on a full disk with that message, keeps what was kept, and goes on when there is room', async () => {
    const shot = await bench.firstShot('Full')
    const key = await lantern.requestItem(store, shot, 'fire')
    let frames = 0
    const filling = bench.context({
      progress: { report: () => void (++frames === 8 && (full.now = true)), cancelled: () => false },
    })
    await expect(bakeJob(filling, { key, shot: shot.id, item: 'fire', output: 'gas' })).rejects.toMatchObject({
      code: 'disk-full',
    })
    const row = (await lantern.resultRows(store, [key])).get(key)
    expect(row).toMatchObject({ state: 'failed', error: { message: expect.stringContaining('disk is full') } })
    for (const { blob } of await lantern.keptFrames(store, [key])) await lantern.getBlob(store, blob)
    expect(row?.kept).toBeGreaterThan(0)
    full.now = false
    await lantern.requestItem(store, shot, 'fire')
    expect(await bakeJob(bench.context(), { key, shot: shot.id, item: 'fire', output: 'gas' })).toBe(true)
  })

  it('is not begun where it was stopped between being taken up and set out on', async () => {
    const shot = await bench.firstShot('Early')
    const key = await lantern.requestItem(store, shot, 'fire')
    await lantern.stopResults(store, [key])
    const work = vi.fn(async () => true)
    expect(await underLease(bench.context(), { key, shot: shot.id, item: 'fire', output: 'gas' }, work)).toBe(false)
    expect(work).not.toHaveBeenCalled()
    expect(await lantern.resultState(store, key)).toBe('stopped')
    expect(await lantern.takeLease(store, key, 'another')).toBeDefined()
  })

  it('rests while somebody waits for the machine, holds its lease meanwhile, and makes the same bits', async () => {
    const shot = await bench.firstShot('Rests')
    const key = await lantern.requestItem(store, shot, 'fire')
    const payload = { key, shot: shot.id, item: 'fire', output: 'gas' }
    expect(await bakeJob(bench.context(), payload)).toBe(true)
    const blobs = (await lantern.keptFrames(store, [key])).map(({ blob }) => blob)
    await store.pool.query('delete from result_frame where key = $1', [key])
    await store.pool.query('delete from restart where key = $1', [key])
    await store.pool.query("update result set state = 'waiting' where key = $1", [key])
    let [asked, others] = [0, 0]
    const nowIsBusy = async (): Promise<boolean> => {
      if ((await lantern.takeLease(store, key, 'another')) !== undefined) others++
      return ++asked < 4
    }
    const due = vi
      .spyOn(GiveWay.prototype, 'due', 'get')
      .mockReturnValueOnce(false)
      .mockReturnValueOnce(true)
      .mockReturnValue(false)
    expect(await bakeJob(bench.context({ nowIsBusy }), payload)).toBe(true)
    expect([asked, others]).toEqual([4, 0])
    due.mockRestore()
    expect((await lantern.keptFrames(store, [key])).map(({ blob }) => blob)).toEqual(blobs)
  })

  it('makes a frame again that was damaged on the disk, to the same bits', async () => {
    const shot = await bench.firstShot('Damaged')
    const key = await lantern.requestItem(store, shot, 'fire')
    const payload = { key, shot: shot.id, item: 'fire', output: 'gas' }
    expect(await bakeJob(bench.context(), payload)).toBe(true)
    const frames = await lantern.keptFrames(store, [key])
    const { blob, frame } = frames[1] as lantern.KeptFrame
    await writeFile(join(store.data, 'blobs', blob.slice(0, 2), blob), 'soot')
    await expect(lantern.getBlob(store, blob)).rejects.toThrow(/damaged/)
    expect((await lantern.shotStatus(store, shot)).items.fire).toMatchObject({
      state: 'stopped',
      kept: frames.flatMap((one) => (one.frame === frame ? [] : [one.frame])),
    })
    await lantern.requestItem(store, shot, 'fire')
    expect(await bakeJob(bench.context(), payload)).toBe(true)
    expect((await lantern.keptFrames(store, [key])).map((one) => one.blob)).toEqual(frames.map((one) => one.blob))
    await lantern.getBlob(store, blob)
  })

  it('drops the work of a shot that has moved on', async () => {
    const shot = await bench.firstShot('Moved')
    const key = await lantern.requestItem(store, shot, 'fire')
    await lantern.editShot(store, 'Moved', shot.head, { items: { fire: { heat: 301 } } })
    expect(await bakeJob(bench.context(), { key, shot: shot.id, item: 'fire', output: 'gas' })).toBe(false)
    expect(await lantern.resultState(store, key)).toBe('stopped')
  })
})
