import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { type FreshStore, freshStore } from '../testing/freshStore.ts'
import { full } from '../testing/fullDisk.ts'
import { burning, shotNamed } from '../testing/shots.ts'
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
    await expect(lantern.getBlob(store, damaged)).rejects.toThrow(/missing/)
    await lantern.putBlob(store, text('brick'), 'text/plain')
    expect(String(await lantern.getBlob(store, damaged))).toBe('brick')
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
  it('are not begun where they would leave too little for the database', async () => {
    await expect(lantern.refuseFull(store, 10, 1e18)).rejects.toMatchObject({
      code: 'disk-full',
      message: expect.stringContaining('kept free for the database'),
    })
    await expect(lantern.refuseFull({ ...store }, 1e18, 0)).rejects.toMatchObject({ code: 'disk-full' })
    await expect(lantern.refuseFull({ ...store }, 10, 0)).resolves.toBeUndefined()
  })
  it.each(['EROFS', 'EACCES'])('say what is wrong where nothing can be written at all (%s)', (code) => {
    expect(lantern.diskError(Object.assign(new Error('x'), { code }))).toMatchObject({
      code: 'disk-refused',
      remedy: expect.stringContaining('Let this program write there'),
    })
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
    await shotNamed(store, 'Once')
    await expect(shotNamed(store, 'Once')).rejects.toMatchObject({ code: 'shot-name' })
    await expect(lantern.getShot(store, 'Never')).rejects.toMatchObject({ code: 'no-shot' })
  })
  it('takes edits against its newest revision only, and names what clashed', async () => {
    const { head } = await shotNamed(store, 'Clash', burning)
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
    const before = await shotNamed(store, name, burning)
    await expect(lantern.editShot(store, name, before.head, patch)).rejects.toThrow(message)
    expect(await lantern.getShot(store, name)).toEqual(before)
  })
  it('goes back and forward through its history, and a new edit begins a new way forward', async () => {
    await shotNamed(store, 'History', burning)
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
    const { head } = await shotNamed(store, 'Same', burning)
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
    const shot = await shotNamed(store, 'Lease', burning)
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
    const shot = await shotNamed(store, 'Silent', burning)
    const key = await lantern.requestItem(store, shot, 'fire')
    await lantern.beat(store, { id: 'quiet', host: 'h', threads: 1 })
    await lantern.takeLease(store, key, 'quiet')
    expect(await lantern.reapSilent(store)).toEqual([])
    await store.pool.query("update machine set beat = now() - interval '1 minute' where id = 'quiet'")
    expect(await lantern.reapSilent(store)).toEqual(['quiet'])
    expect(await lantern.takeLease(store, key, 'other')).toBeTypeOf('number')
  })
})

it('drops what no shot names any more beyond the limit, oldest use first, and nothing else', async () => {
  const shot = await shotNamed(store, 'Sweep', burning)
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
  const shot = await shotNamed(store, 'Told', burning)
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
