import { readFile, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { makeItem, makeShot, type ShotDocument } from '@lantern/core/shot'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { type FreshStore, freshStore } from '../testing/freshStore.ts'
import { full } from '../testing/fullDisk.ts'
import * as lantern from './index.ts'

vi.mock('node:fs/promises', async (original) =>
  (await import('../testing/fullDisk.ts')).overFullDisk(original as never),
)

let store: FreshStore
beforeAll(async () => {
  store = await freshStore()
})
afterAll(() => store.remove())

const text = (value: string): Uint8Array => new TextEncoder().encode(value)
const placeOf = (sha256: string): string => join(store.data, 'blobs', sha256.slice(0, 2), sha256)

async function shotNamed(
  name: string,
  change: (document: ShotDocument) => void = () => undefined,
): Promise<lantern.Shot> {
  const asset = await lantern.createAsset(store, 'yard.mp4')
  const document = makeShot(name, {
    asset,
    file: 'yard.mp4',
    width: 64,
    height: 36,
    first: 1001,
    last: 1004,
    rate: [24, 1],
    encoding: 'srgb',
  })
  change(document)
  return lantern.createShot(store, document)
}
let seed = 0
/** Each shot's fire is another one, or its results would be shared. */
const burning = (document: ShotDocument): void => {
  document.camera.kind = 'typed'
  document.items.fire = makeItem('gas', { name: 'Fire', order: 1, position: [0, 0, -4], seed: ++seed })
}
const jobs = async (): Promise<string[]> =>
  (await store.pool.query<{ key: string }>('select key from graphile_worker.jobs order by id')).rows.map(
    ({ key }) => key,
  )

describe('blobs', () => {
  it('are kept by content, once, and come back', async () => {
    const [a, b] = [
      await lantern.putBlob(store, text('cobbles'), 'text/plain'),
      await lantern.putBlob(store, text('cobbles'), 'text/plain'),
    ]
    expect(a).toBe(b)
    expect((await lantern.getBlob(store, a)).toString()).toBe('cobbles')
  })
  it('say when they are damaged, missing or misnamed', async () => {
    const damaged = await lantern.putBlob(store, text('brick'), 'text/plain')
    await writeFile(placeOf(damaged), 'brikc')
    await expect(lantern.getBlob(store, damaged)).rejects.toThrow(/damaged/)
    await rm(placeOf(damaged))
    await expect(lantern.getBlob(store, damaged)).rejects.toThrow(/missing/)
    await expect(lantern.getBlob(store, '../../etc/passwd')).rejects.toThrow(/no such name/)
  })
  it('take a finished file in without reading it whole, and give it back as a stream', async () => {
    const path = join(store.data, 'movie.part')
    await writeFile(path, 'frames')
    const { sha256, bytes } = await lantern.putBlobFile(store, path, 'video/mp4')
    expect(bytes).toBe(6)
    expect((await lantern.getBlob(store, sha256)).toString()).toBe('frames')
    const parts: Buffer[] = []
    for await (const part of (await lantern.streamBlob(store, sha256)).stream) parts.push(part as Buffer)
    expect(Buffer.concat(parts).toString()).toBe('frames')
    await writeFile(placeOf(sha256), 'frame')
    await expect(lantern.streamBlob(store, sha256)).rejects.toThrow(/missing or damaged/)
  })
  it('leave nothing half-written behind on a full disk, and say so', async () => {
    full.now = true
    await expect(lantern.putBlob(store, text('mortar'), 'text/plain')).rejects.toMatchObject({
      code: 'disk-full',
      remedy: expect.stringContaining('Free some space'),
    })
    full.now = false
    const there = await lantern.putBlob(store, text('mortar'), 'text/plain')
    expect(await readFile(placeOf(there), 'utf8')).toBe('mortar')
  })
})

describe('a shot', () => {
  it('is made once under a name', async () => {
    await shotNamed('Once')
    await expect(shotNamed('Once')).rejects.toMatchObject({ code: 'shot-name' })
    await expect(lantern.getShot(store, 'Never')).rejects.toMatchObject({ code: 'no-shot' })
  })
  it('takes edits against its newest revision only, and names what clashed', async () => {
    const { head } = await shotNamed('Clash', burning)
    await lantern.editShot(store, 'Clash', head, { items: { fire: { heat: 900 } } })
    await expect(lantern.editShot(store, 'Clash', head, { items: { fire: { heat: 100 } } })).rejects.toMatchObject({
      code: 'clash',
      place: { field: 'items.fire.heat' },
    })
    expect((await lantern.getShot(store, 'Clash')).document.items.fire).toMatchObject({ heat: 900 })
  })
  it.each([
    ['a field that is none', { items: { fire: { heet: 3 } } }, /heet/],
    ['a negative size', { items: { fire: { diameter: -1 } } }, /diameter/],
    ['no number', { items: { fire: { heat: 'hot' } } }, /heat/],
    ['no object', [1], /not a JSON object/],
  ])('refuses %s and stays as it was', async (what, patch, message) => {
    const name = `Refuses ${what}`
    const before = await shotNamed(name, burning)
    await expect(lantern.editShot(store, name, before.head, patch)).rejects.toThrow(message)
    expect(await lantern.getShot(store, name)).toEqual(before)
  })
  it('goes back and forward through its history, and a new edit begins a new way forward', async () => {
    await shotNamed('History', burning)
    const heat = (shot: lantern.Shot): unknown => (shot.document.items.fire as { heat?: number }).heat
    for (const value of [500, 600])
      await lantern.editShot(store, 'History', undefined, { items: { fire: { heat: value } } })
    expect(heat(await lantern.stepHistory(store, 'History', 'undo'))).toBe(500)
    expect(heat(await lantern.stepHistory(store, 'History', 'undo'))).toBe(400)
    expect((await lantern.stepHistory(store, 'History', 'undo')).canUndo).toBe(false)
    expect(heat(await lantern.stepHistory(store, 'History', 'redo'))).toBe(500)
    await lantern.editShot(store, 'History', undefined, { items: { fire: { heat: 700 } } })
    await lantern.stepHistory(store, 'History', 'undo')
    expect(heat(await lantern.stepHistory(store, 'History', 'redo'))).toBe(700)
  })
  it('makes no revision of an edit that changes nothing', async () => {
    const { head } = await shotNamed('Same', burning)
    expect((await lantern.editShot(store, 'Same', head, { items: { fire: { heat: 400 } } })).head).toBe(head)
  })
})

describe('a plate', () => {
  it('shows the frame before a gap, and says when nothing was read', async () => {
    const asset = await lantern.createAsset(store, 'stills')
    await expect(lantern.assetFrame(store, asset, 3, 'half')).rejects.toMatchObject({
      code: 'plate-frame',
      place: { frame: 3 },
    })
    const [one, four] = [await lantern.putBlob(store, text('1'), 'x'), await lantern.putBlob(store, text('4'), 'x')]
    await lantern.putAssetFrame(store, asset, 1, 'half', one)
    await lantern.putAssetFrame(store, asset, 4, 'half', four)
    expect(await lantern.assetFrame(store, asset, 3, 'half')).toBe(one)
    expect(await lantern.assetFrame(store, asset, 0, 'half')).toBe(one)
    expect(await lantern.assetFrame(store, asset, 9, 'half')).toBe(four)
  })
})

describe('leases', () => {
  it('let one machine at a recipe; one that lost its lease keeps nothing', async () => {
    const shot = await shotNamed('Lease', burning)
    const key = await lantern.requestItem(store, shot, 'fire')
    const first = await lantern.takeLease(store, key, 'machine-a')
    expect(first).toBeTypeOf('number')
    expect(await lantern.takeLease(store, key, 'machine-b')).toBeUndefined()
    await store.pool.query("update result set lease_until = now() - interval '1 second' where key = $1", [key])
    const second = await lantern.takeLease(store, key, 'machine-b')
    expect(second).toBeGreaterThan(first ?? 0)
    const blob = await lantern.putBlob(store, text('frame'), 'x')
    const frame = { key, frame: 1001, blob, figures: {} }
    expect(await lantern.insertFrame(store, frame, first, 1)).toBe(false)
    expect(await lantern.keptFrames(store, [key])).toHaveLength(0)
    expect(await lantern.insertFrame(store, frame, second, 1)).toBe(true)
    expect(await lantern.insertFrame(store, frame, second, 1)).toBe(true)
    expect(await lantern.keptFrames(store, [key])).toHaveLength(1)
    expect(await lantern.holdLease(store, key, first ?? 0)).toBe(false)
  })
  it('come back from machines that fell silent', async () => {
    const shot = await shotNamed('Silent', burning)
    const key = await lantern.requestItem(store, shot, 'fire')
    await lantern.beat(store, { id: 'quiet', host: 'h', threads: 1 })
    await lantern.takeLease(store, key, 'quiet')
    expect(await lantern.reapSilent(store)).toEqual([])
    await store.pool.query("update machine set beat = now() - interval '1 minute' where id = 'quiet'")
    expect(await lantern.reapSilent(store)).toEqual(['quiet'])
    expect(await lantern.takeLease(store, key, 'other')).toBeTypeOf('number')
  })
})

describe('asking the farm', () => {
  it('queues each thing once, whatever often it is asked', async () => {
    const shot = await shotNamed('Ask', burning)
    const before = (await jobs()).length
    for (let n = 0; n < 3; n++) await lantern.requestPicture(store, shot, 'look')
    // One gas and what tells of it ahead, two runs of picture frames (three frames and one).
    expect((await jobs()).length - before).toBe(4)
    const status = await lantern.shotStatus(store, shot)
    expect(status.items.fire?.state).toBe('waiting')
    expect(status.look).toMatchObject({ state: 'running', kept: [] })
  })
  it('stops what waits, keeps what is kept, and shows it stale after an edit', async () => {
    const shot = await shotNamed('Stop', burning)
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
    const shot = await lantern.editShot(store, 'Beside', (await shotNamed('Beside', burning)).head, {
      items: { other: { ...makeItem('gas', { name: 'Other', order: 2, position: [3, 0, -4], seed: ++seed }) } },
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
    // What only waits is taken to be as slow as the one that asks, four frames of 10 s or of 2 s, and comes after what has waited longer.
    await turn('other', null, 30)
    const third = await lantern.editShot(store, 'Beside', shot.head, {
      items: { third: { ...makeItem('gas', { name: 'Third', order: 3, position: [6, 0, -4], seed: ++seed }) } },
    })
    await lantern.requestItem(store, third, 'third')
    near(await left(), 20, 20 + 4)
    await turn('other', null, 0)
    await turn('third', null, 30)
    near(await left(), 20, 20 + 8 + 4)
  })
  it('tells how long a gas takes from what is told of it ahead, and how fast such work goes elsewhere', async () => {
    const shot = await shotNamed('Told ahead', (document) => {
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
    const shot = await shotNamed('Running up', (document) => {
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
    const shot = await shotNamed('Bare')
    await expect(lantern.requestPicture(store, shot, 'look')).rejects.toMatchObject({ code: 'no-camera' })
    await expect(lantern.requestItem(store, shot, 'nothing')).rejects.toMatchObject({ code: 'no-item' })
  })
})

it('drops what no shot names any more beyond the limit, oldest use first, and nothing else', async () => {
  const shot = await shotNamed('Sweep', burning)
  const keep = async (key: string, name: string): Promise<string> => {
    const blob = await lantern.putBlob(store, text(name.repeat(1000)), 'x')
    await lantern.insertFrame(store, { key, frame: 1001, blob, figures: {} }, undefined, 1)
    await lantern.setResultState(store, key, 'done')
    return blob
  }
  const old = await keep(await lantern.requestItem(store, shot, 'fire'), 'older')
  const second = await lantern.editShot(store, 'Sweep', shot.head, { items: { fire: { heat: 111 } } })
  const middle = await keep(await lantern.requestItem(store, second, 'fire'), 'middle')
  const third = await lantern.editShot(store, 'Sweep', second.head, { items: { fire: { heat: 222 } } })
  const now = await keep(await lantern.requestItem(store, third, 'fire'), 'present')
  const all = await lantern.keptBytes(store)
  expect(await lantern.sweep(store, all)).toBe(0)
  await store.pool.query(
    "update result set used = '2000-01-01' where key in (select key from result_frame where blob = $1)",
    [old],
  )
  expect(await lantern.sweep(store, all - 1)).toBe(1)
  await expect(lantern.getBlob(store, old)).rejects.toThrow(/missing/)
  await lantern.getBlob(store, middle)
  await lantern.sweep(store, 0)
  await expect(lantern.getBlob(store, middle)).rejects.toThrow(/missing/)
  await lantern.getBlob(store, now)
})

it('tells of a change as it is committed', async () => {
  const shot = await shotNamed('Told', burning)
  const heard: lantern.StoreEvent[] = []
  const end = await lantern.listen(
    store,
    (event) => heard.push(event),
    () => undefined,
  )
  await lantern.editShot(store, 'Told', shot.head, { items: { fire: { heat: 410 } } })
  await expect
    .poll(() => heard)
    .toContainEqual(expect.objectContaining({ what: 'shot', shot: shot.id, head: shot.head + 1 }))
  end()
})

it('knows a database that is away from a fault', async () => {
  const away = lantern.openStore('postgres://lantern@127.0.0.1:1/none', store.data)
  const error: unknown = await lantern.listShots(away).catch((caught: unknown) => caught)
  expect(lantern.isDatabaseAway(error)).toBe(true)
  expect(lantern.isDatabaseAway(new TypeError('x'))).toBe(false)
  await away.close()
})
