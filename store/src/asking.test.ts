import { makeItem } from '@lantern/core/shot'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type FreshStore, freshStore } from '../testing/freshStore.ts'
import { burning, shotNamed } from '../testing/shots.ts'
import * as lantern from './index.ts'

let store: FreshStore
beforeAll(async () => {
  store = await freshStore()
})
afterAll(() => store.remove())

const text = (value: string): Uint8Array => new TextEncoder().encode(value)

const jobs = async (): Promise<string[]> =>
  (await store.pool.query<{ key: string }>('select key from graphile_worker.jobs order by id')).rows.map(
    ({ key }) => key,
  )

describe('asking the farm', () => {
  it('queues each thing once, whatever often it is asked', async () => {
    const shot = await shotNamed(store, 'Ask', burning)
    const before = (await jobs()).length
    for (let n = 0; n < 3; n++) await lantern.requestPicture(store, shot, 'look')
    // One gas and what tells of it ahead, four picture frames.
    expect((await jobs()).length - before).toBe(6)
    const status = await lantern.shotStatus(store, shot)
    expect(status.items.fire?.state).toBe('waiting')
    expect(status.look).toMatchObject({ state: 'running', kept: [] })
  })
  it('puts what a person asks for before what nobody did, whichever came first', async () => {
    await store.pool.query('delete from graphile_worker._private_jobs')
    const [demo, own] = [await shotNamed(store, 'Demo', burning), await shotNamed(store, 'Own', burning)]
    await lantern.requestPicture(store, demo, 'look', undefined, { asked: null })
    await lantern.requestPicture(store, own, 'look')
    const { rows } = await store.pool.query<{ shot: number; task: string }>(
      "select (payload->>'shot')::int as shot, task_identifier as task from graphile_worker.jobs join graphile_worker._private_jobs using (id) order by jobs.priority, jobs.run_at, id",
    )
    const [first, second] = [rows.slice(0, 6), rows.slice(6)]
    const tasks = ['estimate', 'bake', ...Array.from({ length: 4 }, () => 'picture')]
    expect(first.map(({ task }) => task)).toEqual(tasks)
    expect(second.map(({ task }) => task)).toEqual(tasks)
    expect([...new Set(first.map(({ shot }) => shot))]).toEqual([own.id])
  })
  it('puts the newest ask first, its pictures too, and what was in the background beside it once somebody asks', async () => {
    await store.pool.query('delete from graphile_worker._private_jobs')
    const [old, late, seeded] = await Promise.all(
      ['Old', 'Late', 'Seeded'].map((name) => shotNamed(store, name, burning)),
    )
    if (!old || !late || !seeded) throw new Error('three shots')
    await lantern.requestItem(store, seeded, 'fire', undefined, { asked: null })
    await lantern.requestItem(store, old, 'fire', undefined, { asked: new Date('2026-01-01T10:00:00Z') })
    await lantern.requestPicture(store, late, 'look', [1001, 1002, 1003, 1004], {
      asked: new Date('2026-01-01T10:01:00Z'),
    })
    const line = async (): Promise<string[]> =>
      (
        await store.pool.query<{ name: string; task: string }>(
          "select shot.name, task_identifier as task from graphile_worker.jobs join graphile_worker._private_jobs p using (id) join shot on shot.id = (p.payload->>'shot')::int order by jobs.priority, jobs.run_at, p.id",
        )
      ).rows.flatMap(({ name, task }) => (task === 'estimate' ? [] : [`${name} ${task}`]))
    const pictures = Array.from({ length: 4 }, () => 'Late picture')
    expect(await line()).toEqual(['Late bake', ...pictures, 'Old bake', 'Seeded bake'])
    await lantern.requestItem(store, seeded, 'fire')
    expect(await line()).toEqual(['Seeded bake', 'Late bake', ...pictures, 'Old bake'])
  })
  it('wants no more of a run than the frames that were asked for, until more are', async () => {
    const shot = await shotNamed(store, 'Range', burning)
    const until = async (): Promise<unknown> =>
      (await store.pool.query("select until from result where shot_id = $1 and kind = 'gas'", [shot.id])).rows[0]
    await lantern.requestPicture(store, shot, 'final', [1002])
    expect(await until()).toEqual({ until: 1002 })
    await lantern.requestPicture(store, shot, 'final', [1001])
    expect(await until()).toEqual({ until: 1002 })
    await lantern.requestPicture(store, shot, 'final', [1003])
    expect(await until()).toEqual({ until: 1003 })
    const key = await lantern.requestItem(store, shot, 'fire')
    expect(await until()).toEqual({ until: null })
    await lantern.requestItem(store, shot, 'fire', undefined, { until: 1002 })
    expect(await until()).toEqual({ until: null })
    expect(await lantern.isEnough(store, key, 1004)).toBe(false)
    await lantern.stopResults(store, [key])
    await lantern.requestItem(store, shot, 'fire', undefined, { until: 1002 })
    expect(await lantern.isEnough(store, key, 1001)).toBe(false)
    expect(await lantern.isEnough(store, key, 1002)).toBe(true)
    expect(await lantern.resultState(store, key)).toBe('stopped')
  })
  it('stops what waits, keeps what is kept, and shows it stale after an edit', async () => {
    const shot = await shotNamed(store, 'Stop', burning)
    const key = await lantern.requestItem(store, shot, 'fire')
    await lantern.insertFrame(
      store,
      { key, frame: 1001, blob: await lantern.putBlob(store, text('kept'), 'x'), figures: { heatKw: 12 } },
      undefined,
      1,
    )
    await lantern.stopResults(store, [key])
    expect((await jobs()).filter((job) => job.startsWith(`gas:${key}`))).toEqual([])
    expect((await lantern.shotStatus(store, shot)).items.fire).toMatchObject({
      state: 'stopped',
      kept: [1001],
      figures: [{ heatKw: 12 }],
      stale: [],
    })
    const edited = await lantern.editShot(store, 'Stop', shot.head, { items: { fire: { heat: 333 } } })
    expect((await lantern.shotStatus(store, edited)).items.fire).toMatchObject({
      state: 'missing',
      kept: [],
      stale: [1001],
    })
  })
  it('tells how long a gas takes by turns with another one on its machine, alone on another, and with one that only waits', async () => {
    const shot = await lantern.editShot(store, 'Beside', (await shotNamed(store, 'Beside', burning)).head, {
      items: { other: { ...makeItem('gas', { name: 'Other', order: 2, position: [3, 0, -4], seed: 1001 }) } },
    })
    await store.pool.query("update result set state = 'stopped' where kind = 'gas'")
    const run = async (item: string, machine: string, seconds: number): Promise<void> => {
      const key = await lantern.requestItem(store, shot, item)
      const fence = await lantern.takeLease(store, key, machine)
      await lantern.setResultState(store, key, 'running')
      for (const frame of [1001, 1002])
        await lantern.insertFrame(
          store,
          { key, frame, blob: await lantern.putBlob(store, text(`${item} ${frame}`), 'x'), figures: { seconds } },
          fence,
          seconds,
        )
    }
    const left = async (): Promise<unknown[]> => {
      const { items } = await lantern.shotStatus(store, shot)
      return [items.fire?.secondsLeft, items.other?.secondsLeft]
    }
    await run('fire', 'one', 10)
    await run('other', 'one', 2)
    const turn = async (item: string, machine: string | null, seconds: number): Promise<unknown> =>
      store.pool.query(
        "update result set machine = $2, since = now() - make_interval(secs => $3) where item = $1 and state in ('running', 'waiting')",
        [item, machine, seconds],
      )
    const near = (all: readonly unknown[], ...wanted: number[]): void =>
      wanted.forEach((one, n) => expect(Math.abs(Number(all[n]) - one)).toBeLessThan(2))
    // Two frames to go of each: 20 s are over within the turn that it has; what is between two turns waits for that.
    await turn('fire', 'one', 50)
    await turn('other', null, 10)
    near(await left(), 20, 24)
    // 200 s are not: 50 of its own, 4 of the other, 150 of its own.
    await store.pool.query(
      "update result_frame set figures = '{\"seconds\": 100}' where key = (select key from result where item = 'fire' and state = 'running')",
    )
    near(await left(), 204, 54)
    await store.pool.query(
      "update result_frame set figures = '{\"seconds\": 10}' where key = (select key from result where item = 'fire' and state = 'running')",
    )
    await turn('other', 'two', 10)
    near(await left(), 20, 4)
    // What only waits is taken to be as slow as the one that asks, four frames of 10 s or of 2 s; it was asked last, so it comes before what has no turn.
    await turn('other', null, 30)
    const third = await lantern.editShot(store, 'Beside', shot.head, {
      items: { third: { ...makeItem('gas', { name: 'Third', order: 3, position: [6, 0, -4], seed: 1002 }) } },
    })
    await lantern.requestItem(store, third, 'third')
    near(await left(), 20, 20 + 8 + 4)
    // Asked again, the other one is the newest.
    await lantern.requestItem(store, third, 'other')
    near(await left(), 20, 20 + 4)
  })
  it('tells how long a gas takes from what is told of it ahead, and how fast such work goes elsewhere', async () => {
    const shot = await shotNamed(store, 'Told ahead', (document) => {
      burning(document)
      document.items.fire = makeItem('gas', { ...document.items.fire, name: 'Fire', order: 1, runUp: 2 })
    })
    await store.pool.query("delete from result where kind = 'gas'")
    const key = await lantern.requestItem(store, shot, 'fire')
    expect(await jobs()).toContain(`gas:${key}:estimate`)
    const left = async (): Promise<number> => (await lantern.shotStatus(store, shot)).items.fire?.secondsLeft ?? -1
    await lantern.tellAhead(store, key, [100, 100, 400, 800, 800, 800])
    // Told before anything was timed anywhere: not known.
    expect(await left()).toBe(-1)
    const fence = (await lantern.takeLease(store, key, 'one')) ?? 0
    await lantern.setResultState(store, key, 'running')
    await lantern.tellShare(store, key, fence, 0.3, 'run-up 2 of 2', [
      [1, 125],
      [1, 125],
    ])
    expect(await left()).toBeCloseTo((2800 * 1.25) / 125, 6)
    // As before twice as slow as the work of another one, of which the most is still told by that.
    const other = await lantern.requestItem(
      store,
      await lantern.editShot(store, 'Told ahead', shot.head, { items: { fire: { heat: 77 } } }),
      'fire',
    )
    await lantern.setResultState(store, other, 'done')
    await lantern.insertFrame(
      store,
      {
        key: other,
        frame: 1001,
        blob: await lantern.putBlob(store, text('pace'), 'x'),
        figures: { seconds: 4, cells: 100, steps: 10 },
      },
      undefined,
      4,
    )
    expect(await lantern.lateWork(store, ['gas'])).toEqual(
      new Map([[other, { output: 'gas', seconds: 4, work: 1000 }]]),
    )
    expect(await left()).toBeGreaterThan(2800 * 1.25 * 0.004)
    expect(await left()).toBeLessThan((2800 * 1.25) / 125)
    // Frames that came from elsewhere tell nothing of that.
    const before = await left()
    await lantern.setResultState(store, other, 'waiting')
    await store.pool.query('update result_frame set figures = \'{"seconds": 1000}\' where key = $1', [other])
    await lantern.insertFrame(
      store,
      {
        key: await lantern.requestItem(
          store,
          await lantern.editShot(store, 'Told ahead', undefined, { items: { fire: { heat: 78 } } }),
          'fire',
        ),
        frame: 1001,
        blob: await lantern.putBlob(store, text('same pace'), 'x'),
        figures: { seconds: 4, cells: 100, steps: 10 },
      },
      undefined,
      4,
    )
    expect(await left()).toBeCloseTo(before, 6)
    // Asked again it is not told again.
    await lantern.stopResults(store, [key])
    await lantern.requestItem(store, shot, 'fire')
    expect((await jobs()).filter((job) => job.startsWith(`gas:${key}`))).toEqual([`gas:${key}`])
  })
  it('tells how long a gas takes while it still runs up', async () => {
    const shot = await shotNamed(store, 'Running up', (document) => {
      burning(document)
      document.items.fire = makeItem('gas', { ...document.items.fire, name: 'Fire', order: 1, runUp: 6 })
    })
    await store.pool.query("update result set state = 'stopped' where kind = 'gas'")
    const key = await lantern.requestItem(store, shot, 'fire')
    const fence = (await lantern.takeLease(store, key, 'one')) ?? 0
    await lantern.setResultState(store, key, 'running')
    const left = async (): Promise<unknown> => (await lantern.shotStatus(store, shot)).items.fire?.secondsLeft
    expect(await left()).toBeNull()
    expect(
      await lantern.tellShare(store, key, fence, 0.3, 'run-up 3 of 6', [
        [4, 9],
        [4, 9],
        [4, 9],
      ]),
    ).toBe(true)
    // Three more of its run-up and four that are kept.
    expect(await left()).toBe(28)
    await lantern.tellShare(
      store,
      key,
      fence,
      0.6,
      'run-up 6 of 6',
      Array.from({ length: 6 }, () => [4, 9] as const),
    )
    await lantern.insertFrame(
      store,
      { key, frame: 1001, blob: await lantern.putBlob(store, text('run up'), 'x'), figures: { seconds: 4 } },
      fence,
      4,
    )
    expect(await left()).toBe(12)
  })
  it('needs a camera for a picture, and a gas for a gas', async () => {
    const shot = await shotNamed(store, 'Bare')
    await expect(lantern.requestPicture(store, shot, 'look')).rejects.toMatchObject({ code: 'no-camera' })
    await expect(lantern.requestItem(store, shot, 'nothing')).rejects.toMatchObject({ code: 'no-item' })
  })
  it('knows when something is computed or waits that a person waits for: not a bake, not for another host, not what nobody takes', async () => {
    const shot = await shotNamed(store, 'Now', burning)
    await store.pool.query('delete from graphile_worker._private_jobs')
    expect(await lantern.nowIsBusy(store, 'here')).toBe(false)
    await lantern.requestItem(store, shot, 'fire')
    expect(await lantern.nowIsBusy(store, 'here')).toBe(false)
    await lantern.queueJob(store, 'reading', { shot: shot.id, reading: 'r', key: 'k' }, { jobKey: 'k' })
    expect(await lantern.nowIsBusy(store, 'here')).toBe(true)
    const change = (what: string): Promise<unknown> =>
      store.pool.query(`update graphile_worker._private_jobs set ${what} where key = 'k'`)
    await change("created_at = now() - interval '1 minute'")
    expect(await lantern.nowIsBusy(store, 'here')).toBe(false)
    await lantern.beat(store, { id: 'm', host: 'there', threads: 1 })
    await change("locked_by = 'm', locked_at = now()")
    expect(await lantern.nowIsBusy(store, 'here')).toBe(false)
    expect(await lantern.nowIsBusy(store, 'there')).toBe(true)
  })
})
