import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { decodeGasState, encodeGasState } from '@lantern/core/effects/gas'
import { readGasFrame } from '@lantern/core/formats'
import { emptyBudget, type GasState, storeFor } from '@lantern/core/gas'
import { makeItem, makeShot, type ShotDocument } from '@lantern/core/shot'
import * as lantern from '@lantern/store'
import { pino } from 'pino'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type FreshStore, freshStore } from '../../store/testing/freshStore.ts'
import { bakeJob } from './bake/bakeJob.ts'
import { estimateJob } from './bake/estimateJob.ts'
import { loadState, saveState } from './bake/states.ts'
import { nodeCrew } from './crew/nodeCrew.ts'
import { nodeDeflate } from './io/deflate.ts'
import { takeVolumes } from './io/takeVolumes.ts'
import type { JobContext } from './jobs/context.ts'
import { pictureJob } from './jobs/picture.ts'
import { writeVolumes } from './jobs/volumes.ts'

let store: FreshStore
let folder: string
const crew = nodeCrew(2)
beforeAll(async () => {
  store = await freshStore()
  folder = join(store.data, 'in')
  await mkdir(folder)
})
afterAll(async () => {
  crew.end()
  await store.remove()
})
const context = (over: Partial<JobContext> = {}): JobContext => ({
  store,
  crew,
  machine: 'test',
  log: pino({ level: 'silent' }),
  ending: () => false,
  ...over,
})
const LAST = 1008

async function shotOf(name: string, change: (document: ShotDocument) => void = () => undefined): Promise<lantern.Shot> {
  const asset = await lantern.createAsset(store, `${name}.mp4`)
  const document = makeShot(name, {
    asset,
    file: 'f.mp4',
    width: 96,
    height: 54,
    first: 1001,
    last: LAST,
    rate: [24, 1],
    encoding: 'srgb',
  })
  Object.assign(document.camera, { kind: 'typed', height: 1.2 })
  document.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  document.items.fire = makeItem('gas', {
    name: 'Fire',
    order: 2,
    position: [0, 0, -3],
    diameter: 0.8,
    heat: 300,
    cell: 100,
    runUp: 3,
    reach: 2,
  })
  change(document)
  return lantern.createShot(store, document)
}
/** Another recipe than the others'. */
const hot =
  (heat: number) =>
  (document: ShotDocument): void => {
    document.items.fire = makeItem('gas', { ...document.items.fire, name: 'Fire', order: 2, heat })
  }
const kept = async (shot: lantern.Shot, item = 'fire'): Promise<lantern.KeptFrame[]> => {
  const key = await lantern.requestItem(store, shot, item)
  expect(await bakeJob(context(), { key, shot: shot.id, item, output: 'gas' })).toBe(true)
  return lantern.keptFrames(store, [key])
}
const frameOf = async (frame: lantern.KeptFrame | undefined) =>
  readGasFrame(await lantern.getBlob(store, frame?.blob ?? ''), nodeDeflate)

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
    const shot = await shotOf('Ahead')
    const key = await lantern.requestItem(store, shot, 'fire')
    const payload = { key, shot: shot.id, item: 'fire', output: 'gas' }
    await estimateJob(context(), payload)
    const ahead = await aheadOf(key)
    expect(ahead).toHaveLength(3 + LAST - 1000)
    const frames = await kept(shot)
    const taken = frames.map(({ figures }) => Number(figures.cells) * Number(figures.steps))
    expect(total(ahead.slice(3)) / total(taken)).toBeGreaterThan(0.4)
    expect(total(ahead.slice(3)) / total(taken)).toBeLessThan(1.6)
    // What is told stays, and what is kept needs none.
    await estimateJob(context({ ending: () => true }), payload)
    expect(await aheadOf(key)).toEqual(ahead)
  })
  it('is not told of one that is stopped or is another recipe by now', async () => {
    const shot = await shotOf('Not ahead', hot(123))
    const key = await lantern.requestItem(store, shot, 'fire')
    await lantern.stopResults(store, [key])
    await estimateJob(context(), { key, shot: shot.id, item: 'fire', output: 'gas' })
    expect(await aheadOf(key)).toEqual([])
    const moved = await lantern.editShot(store, 'Not ahead', undefined, { items: { fire: { heat: 124 } } })
    const gone = await lantern.requestItem(store, moved, 'fire')
    await lantern.editShot(store, 'Not ahead', undefined, { items: { fire: { heat: 125 } } })
    await estimateJob(context(), { key: gone, shot: shot.id, item: 'fire', output: 'gas' })
    expect(await aheadOf(gone)).toEqual([])
  })
  it('is left to another machine by one that ends, and not told when the run is stopped meanwhile', async () => {
    const shot = await shotOf('Put down', hot(126))
    const key = await lantern.requestItem(store, shot, 'fire')
    const payload = { key, shot: shot.id, item: 'fire', output: 'gas' }
    const before = await queued(key)
    await estimateJob(context({ ending: () => true }), payload, 0)
    expect((await queued(key)).filter((one) => !before.includes(one))).toEqual([`gas:${key}:estimate-back`])
    expect(await aheadOf(key)).toEqual([])
    let looked = 0
    // Stopped as it looks up for the second time.
    await estimateJob(
      context({ ending: () => (looked++ === 1 && void lantern.stopResults(store, [key]), false) }),
      payload,
      0,
    )
    expect(looked).toBeGreaterThan(1)
    expect(looked).toBeLessThan(3 + LAST - 1000)
    expect(await aheadOf(key)).toEqual([])
  })
})

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
    const shot = await shotOf('Keyed', pulsed(300))
    const first = await kept(shot)
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
    const helped = await kept(edited)
    expect(helped.map(({ frame }) => frame)).toEqual(first.map(({ frame }) => frame))
    expect(helped[7]?.blob).not.toBe(first[7]?.blob)
    await store.pool.query('delete from restart; ')
    await store.pool.query('delete from result_frame')
    await store.pool.query("update result set state = 'waiting'")
    expect((await kept(edited)).map(({ blob }) => blob)).toEqual(helped.map(({ blob }) => blob))
  })
  it('goes on from within its run-up, bit for bit, and says how far that is', async () => {
    const shot = await shotOf('Run-up', (document) => {
      document.items.fire = makeItem('gas', { ...document.items.fire, name: 'Fire', order: 2, runUp: 12 })
    })
    const key = await lantern.requestItem(store, shot, 'fire')
    let told = 0
    await bakeJob(
      context({
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
      await bakeJob(context({ progress: { report: (share) => void shares.push(share), cancelled: () => false } }), {
        key,
        shot: shot.id,
        item: 'fire',
        output: 'gas',
      }),
    ).toBe(true)
    expect(shares).toHaveLength(12 + LAST - 1000 - (state?.done ?? 0))
    expect(await times()).toHaveLength(12)
    expect((await times()).slice(0, before.length)).toEqual(before)
    expect((await lantern.shotStatus(store, shot)).items.fire?.doing).toBeNull()
    const resumed = (await lantern.keptFrames(store, [key])).map(({ blob }) => blob)
    await store.pool.query('delete from restart; ')
    await store.pool.query('delete from result_frame')
    await store.pool.query("update result set state = 'waiting'")
    expect((await kept(shot)).map(({ blob }) => blob)).toEqual(resumed)
  })
  it('of a command that is ended is stopped, not left as if somebody went on with it', async () => {
    const shot = await shotOf('Ended')
    const key = await lantern.requestItem(store, shot, 'fire')
    let told = 0
    expect(
      await bakeJob(
        context({ progress: { report: () => void told++, cancelled: () => false }, ending: () => told >= 5 }),
        { key, shot: shot.id, item: 'fire', output: 'gas' },
      ),
    ).toBe(false)
    expect(await lantern.resultState(store, key)).toBe('stopped')
    expect(await lantern.keptFrames(store, [key])).toHaveLength(2)
    expect(await kept(shot)).toHaveLength(LAST - 1000)
  })
  it('puts itself down at the end of its turn for whoever waits, but not when it is nearly done', async () => {
    const shot = await shotOf('Turns', hot(311))
    const key = await lantern.requestItem(store, shot, 'fire')
    const turn = (finish: number): Promise<boolean> =>
      bakeJob(context(), { key, shot: shot.id, item: 'fire', output: 'gas' }, { times: { turn: 0, finish } })
    const jobs = async (): Promise<string[]> =>
      (
        await store.pool.query<{ key: string }>(
          "select key from graphile_worker._private_jobs where key like $1 || '%' order by key",
          [`gas:${key}`],
        )
      ).rows.map((row) => row.key)
    expect(await turn(0)).toBe(false)
    expect(await jobs()).toContain(`gas:${key}:1`)
    expect((await lantern.resultRows(store, [key])).get(key)).toMatchObject({ state: 'running', machine: null })
    expect(await turn(1000)).toBe(true)
    expect(await lantern.keptFrames(store, [key])).toHaveLength(LAST - 1000)
    expect(await jobs()).not.toContain(`gas:${key}:2`)
  })
  it('is stopped within a long frame, keeps what it had before it, and goes on to the same bits', async () => {
    const shot = await shotOf('Long frames', hot(310))
    const key = await lantern.requestItem(store, shot, 'fire')
    let told = 0
    // Asked once at the fourth frame’s end; the second time lies within the fifth.
    let looks = 0
    expect(
      await bakeJob(
        context({
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
    const resumed = await kept(shot)
    expect(resumed).toHaveLength(LAST - 1000)
    for (const what of ['restart', 'result_frame']) await store.pool.query(`delete from ${what} where key = $1`, [key])
    await store.pool.query("update result set state = 'waiting' where key = $1", [key])
    expect((await kept(shot)).map(({ blob }) => blob)).toEqual(resumed.map(({ blob }) => blob))
  })
  it('is not stopped by a command that another one took it over from', async () => {
    const shot = await shotOf('Taken over', hot(320))
    const key = await lantern.requestItem(store, shot, 'fire')
    let told = 0
    let taken = false
    const report = (): void => {
      if (++told === 5) void lantern.takeLease(store, key, 'test').then(() => (taken = true))
    }
    // It is ended once the other one has it, whichever frame it is at by then.
    expect(
      await bakeJob(context({ progress: { report, cancelled: () => false }, ending: () => taken }), {
        key,
        shot: shot.id,
        item: 'fire',
        output: 'gas',
      }),
    ).toBe(false)
    expect(taken).toBe(true)
    expect(await lantern.resultState(store, key)).toBe('running')
    expect(await kept(shot)).toHaveLength(LAST - 1000)
  })
  it('keeps several states along its way, no more than it should, the newest always', async () => {
    const shot = await shotOf('States')
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
    const shot = await shotOf('Tiles', hot(260))
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
    await saveState(context(), key, fence, 'tiles', encodeGasState(state(4, whole)))
    const back = await loadState(context(), key, bake, new Map([[4, 'tiles']]))
    expect(back && decodeGasState(back)).toEqual(state(4, whole))
    await saveState(context(), key, fence, 'short', encodeGasState(state(5, whole - 18)))
    expect(await loadState(context(), key, bake, new Map([[5, 'short']]))).toBeUndefined()
    await lantern.dropLease(store, key, fence)
  })
})

describe('a part that is kept alone', () => {
  it('has its frames only, and no gas outside its region', async () => {
    const shot = await shotOf('Part', (document) => {
      document.items.fire = makeItem('gas', {
        ...document.items.fire,
        name: 'Fire',
        order: 2,
        part: { frames: [1003, 1004], low: [-5, 0, -3], high: [5, 1, 5] },
      })
    })
    const frames = await kept(shot)
    expect(frames.map(({ frame }) => frame)).toEqual([1003, 1004])
    const { box } = await frameOf(frames[1])
    expect(box.origin[2] * box.cell).toBeGreaterThanOrEqual(-3.01)
    expect((await lantern.shotStatus(store, shot)).items.fire).toMatchObject({ state: 'done', first: 1003, last: 1004 })
  })
})

describe('a gas that cannot be', () => {
  it('is refused before it starts where it is larger than memory, and says what would fit', async () => {
    const shot = await shotOf('Large', (document) => {
      document.items.fire = makeItem('gas', { ...document.items.fire, name: 'Fire', order: 2, cell: 8, reach: 8 })
    })
    await expect(lantern.requestItem(store, shot, 'fire')).rejects.toThrow(/million cells of 8 mm.*more than fits/)
    expect(
      await lantern.resultRows(
        store,
        (await lantern.resolveShot(store, shot)).items.flatMap(({ runs }) => runs.map(({ key }) => key)),
      ),
    ).toEqual(new Map())
  })
  it('says on its row what it lacks, and the rest of the shot goes on', async () => {
    const shot = await shotOf('Lacking', (document) => {
      document.items.line = makeItem('gas', { name: 'Ground fire', order: 3, shape: 'line' })
    })
    const status = await lantern.shotStatus(store, shot)
    expect(status.items.line?.error).toMatchObject({ message: expect.stringContaining('none is drawn') })
    expect(status.items.fire?.error).toBeNull()
    await expect(lantern.requestPicture(store, shot, 'look')).rejects.toThrow(/none is drawn/)
    await expect(lantern.requestItem(store, shot, 'line')).rejects.toThrow(/none is drawn/)
  })
  it('that runs away is caught, told with its frame and cause, and keeps what it had', async () => {
    const shot = await shotOf('Wild', (document) => {
      document.signals.gale = {
        name: 'Gale',
        shown: true,
        source: {
          kind: 'keys',
          curve: 'hold',
          keys: [
            { frame: 1001, value: 0 },
            { frame: 1005, value: 500 },
          ],
        },
      }
      for (let n = 0; n < 16; n++)
        document.items[`push-${n}`] = makeItem('force', {
          name: `Push ${n}`,
          order: 4 + n,
          way: 'blow',
          axis: [1, 0, 0],
          position: [0, 0.5, -3],
          radius: 0,
          strength: 0,
          follows: { strength: { signal: 'gale', gain: 1 } },
        })
    })
    const key = await lantern.requestItem(store, shot, 'fire')
    expect(await bakeJob(context(), { key, shot: shot.id, item: 'fire', output: 'gas' }).catch(() => false)).toBe(false)
    const row = (await lantern.resultRows(store, [key])).get(key)
    expect(row?.state).toBe('failed')
    expect(row?.error?.message).toMatch(/ran away: a speed of .* at frame .* with a force of/)
    // It runs away with larger cells too: what it will be can't be told, and that is no fault of the machine's.
    await lantern.setResultState(store, key, 'waiting')
    await estimateJob(context(), { key, shot: shot.id, item: 'fire', output: 'gas' })
    expect((await lantern.resultRows(store, [key])).get(key)).toMatchObject({
      state: 'waiting',
      ahead: [],
      error: null,
    })
    const before = await lantern.keptFrames(store, [key])
    expect(before.length).toBeGreaterThanOrEqual(4)
    for (const { blob } of before) await lantern.getBlob(store, blob)
  })
})

describe('a kept run', () => {
  it('is made finer, frame by frame, and its pictures are of the finer one', async () => {
    const shot = await shotOf('Finer', (document) => {
      document.items.fire = makeItem('gas', { ...document.items.fire, name: 'Fire', order: 2, detail: 2 })
    })
    const coarse = await kept(shot)
    const finer = (await lantern.resolveShot(store, shot)).items[0]?.runs[1]?.key ?? ''
    expect(await bakeJob(context(), { key: finer, shot: shot.id, item: 'fire', output: 'finer' })).toBe(true)
    const fine = await lantern.keptFrames(store, [finer])
    expect(fine.map(({ frame }) => frame)).toEqual(coarse.map(({ frame }) => frame))
    expect((await frameOf(fine[5])).box.cell).toBeCloseTo((await frameOf(coarse[5])).box.cell / 2, 9)
    expect((await lantern.shotStatus(store, shot)).items.fire?.derived).toMatchObject([
      {
        state: 'done',
        kept: coarse.map(({ frame }) => frame),
      },
    ])
    const [pictureKey] = await lantern.requestPicture(store, shot, 'look', [1006])
    expect(
      await pictureJob(context(), { shot: shot.id, frames: [{ frame: 1006, key: pictureKey ?? '' }], quality: 'look' }),
    ).toBe(0)
    // The same gas without its finer form is another picture.
    const plain = await lantern.editShot(store, 'Finer', undefined, { items: { fire: { detail: 1 } } })
    expect((await lantern.resolveShot(store, plain)).pictureKeys('look').get(1006)).not.toBe(pictureKey)
  })
  it('waits for the coarse frames, and is stopped by another recipe', async () => {
    const shot = await shotOf('Waits', (document) => {
      document.items.fire = makeItem('gas', { ...document.items.fire, name: 'Fire', order: 2, detail: 2, seed: 77 })
    })
    await lantern.requestItem(store, shot, 'fire')
    const finer = (await lantern.resolveShot(store, shot)).items[0]?.runs[1]?.key ?? ''
    expect(await bakeJob(context(), { key: finer, shot: shot.id, item: 'fire', output: 'finer' })).toBe(false)
    await lantern.editShot(store, 'Waits', undefined, { items: { fire: { detail: 3 } } })
    expect(await bakeJob(context(), { key: finer, shot: shot.id, item: 'fire', output: 'finer' })).toBe(false)
    expect(await lantern.resultState(store, finer)).toBe('stopped')
  })
  it('is shown again without being computed again', async () => {
    const shot = await shotOf('Again', (document) => {
      document.items.again = makeItem('reuse', {
        name: 'Again',
        order: 3,
        of: 'fire',
        position: [0.5, 0, -4],
        turn: 60,
        scale: 0.7,
        loop: true,
        loopLength: 4,
        loopBlend: 2,
      })
      document.items.fire = { ...document.items.fire, shown: false } as ShotDocument['items'][string]
    })
    await kept(shot)
    const before = (await store.pool.query("select count(*)::int as n from result where kind = 'gas'")).rows[0] as {
      n: number
    }
    const [pictureKey] = await lantern.requestPicture(store, shot, 'look', [1007])
    expect(
      await pictureJob(context(), { shot: shot.id, frames: [{ frame: 1007, key: pictureKey ?? '' }], quality: 'look' }),
    ).toBe(0)
    expect(await lantern.resultState(store, pictureKey ?? '')).toBe('done')
    expect((await store.pool.query("select count(*)::int as n from result where kind = 'gas'")).rows[0]).toEqual(before)
  })
})

describe('a gas from elsewhere', () => {
  it('comes back from OpenVDB as it went out, and is a gas like any other', async () => {
    const shot = await shotOf('Out')
    const frames = await kept(shot)
    const files = await writeVolumes(context(), shot, join(folder, 'vdb'), [1003, 1004, 1005], false)
    const taken = await takeVolumes(store, join(folder, 'vdb', 'Out-Fire.####.vdb'), 1002)
    expect(taken).toMatchObject({ first: 1003, at: 1002 })
    expect(taken.blobs).toHaveLength(3)
    const other = await shotOf('In', (document) => {
      delete document.items.fire
      document.items.smoke = makeItem('gas', { name: 'Smoke', order: 2, taken })
      document.items.again = makeItem('reuse', { name: 'Again', order: 3, of: 'smoke', position: [1, 0, -5] })
    })
    const back = await kept(other, 'smoke')
    expect(back.map(({ frame }) => frame)).toEqual([1002, 1003, 1004])
    const [a, b] = [await frameOf(frames[2]), await frameOf(back[0])]
    const total = (frame: typeof a, c: number): number =>
      (frame.channels[c] ?? new Uint16Array(0)).reduce((sum, half) => sum + half, 0)
    expect(b.box.cell).toBeCloseTo(a.box.cell, 6)
    expect(b.ambient).toBeCloseTo(a.ambient, 2)
    for (const channel of [0, 2]) expect(total(b, channel)).toBe(total(a, channel))
    const [pictureKey] = await lantern.requestPicture(store, other, 'look', [1003])
    expect(
      await pictureJob(context(), {
        shot: other.id,
        frames: [{ frame: 1003, key: pictureKey ?? '' }],
        quality: 'look',
      }),
    ).toBe(0)
    expect(await lantern.resultState(store, pictureKey ?? '')).toBe('done')
    // Another unit is another gas.
    const denser = await lantern.editShot(store, 'In', undefined, { items: { smoke: { taken: { density: 2 } } } })
    expect((await lantern.resolveShot(store, denser)).items[0]?.runs[0]?.key).not.toBe(
      (await lantern.resolveShot(store, other)).items[0]?.runs[0]?.key,
    )
    expect(files).toHaveLength(3)
  })
  it('is refused by name: a gap, no such file, a broken file', async () => {
    const bytes = await readFile(join(folder, 'vdb', 'Out-Fire.1003.vdb'))
    await mkdir(join(folder, 'gap'))
    for (const n of [1, 2, 4]) await writeFile(join(folder, 'gap', `x.${n}.vdb`), bytes)
    await expect(takeVolumes(store, join(folder, 'gap', 'x.#.vdb'), 1)).rejects.toThrow(
      /Frame 3 of x\.#\.vdb is missing/,
    )
    await expect(takeVolumes(store, join(folder, 'none', 'x.#.vdb'), 1)).rejects.toThrow(/no file like/)
    await mkdir(join(folder, 'bad'))
    await writeFile(join(folder, 'bad', 'y.1.vdb'), bytes.subarray(0, bytes.length >> 1))
    await expect(takeVolumes(store, join(folder, 'bad', 'y.#.vdb'), 1)).rejects.toThrow(/y\.1\.vdb/)
  })
})
