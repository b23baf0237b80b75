import { existsSync, readdirSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type FreshStore, freshStore } from '../../store/testing/freshStore.ts'
import { shotNamed } from '../../store/testing/shots.ts'
import { type Answer, call } from '../testing/call.ts'

// Plates that are sent, and what is done with whole shots, through the routes.
let store: FreshStore
beforeAll(async () => {
  store = await freshStore()
  process.env.LANTERN_DATABASE_URL = store.url
  process.env.LANTERN_DATA = store.data
})
afterAll(async () => {
  const { store: opened } = await import('./store.ts')
  await (await opened()).close()
  await store.remove()
})

interface Announced {
  asset: string
  received: Record<string, number>
}
const routes = async () => ({
  list: await import('../app/api/plates/route.ts'),
  plate: await import('../app/api/plates/[upload]/route.ts'),
  file: await import('../app/api/plates/[upload]/[file]/route.ts'),
  card: await import('../app/api/shots/[name]/card/route.ts'),
  shots: await import('../app/api/shots/route.ts'),
  removed: await import('../app/api/removed/[id]/route.ts'),
})
const announce = async (files: [string, number][], more: object = {}): Promise<Answer & { body: Announced }> => {
  const { list } = await routes()
  return (await call(
    list.POST,
    {},
    { body: { files: files.map(([name, bytes]) => ({ name, bytes })), ...more } },
  )) as never
}
const put = async (upload: string, file: string, raw: string, from = 0, length?: number): Promise<Answer> =>
  call((await routes()).file.PUT, { upload, file }, { method: 'PUT', raw, query: `?from=${from}`, length })
const arrivals = async () =>
  (await call((await routes()).list.GET, {})).body as unknown as {
    arrivals: { id: string; makes: string; state: string; received: number; bytes: number; sending: boolean }[]
    removed: { id: number; name: string }[]
  }

describe('a plate that is sent', () => {
  it('is on the list from the moment it is announced, and is queued when all of it is here', async () => {
    const { body } = await announce([['yard.mov', 5]], { makes: 'Yard' })
    expect((await arrivals()).arrivals).toMatchObject([{ makes: 'Yard', state: 'arriving', received: 0, bytes: 5 }])
    expect(await put(body.asset, 'yard.mov', 'abcde')).toMatchObject({ status: 200, body: { bytes: 5 } })
    expect((await arrivals()).arrivals).toMatchObject([{ makes: 'Yard', state: 'waiting' }])
    const { rows } = await store.pool.query('select payload from graphile_worker._private_jobs')
    expect(rows).toEqual([
      {
        payload: { asset: body.asset, path: join(store.data, 'uploads', body.asset, 'yard.mov'), kind: 'movie' },
      },
    ])
    await store.pool.query('delete from graphile_worker._private_jobs')
  })
  it('goes on where it was cut off, for the same files only', async () => {
    const { body } = await announce([['cut.mov', 6]], { makes: 'Cut' })
    expect(await put(body.asset, 'cut.mov', 'abc')).toMatchObject({
      status: 400,
      body: { message: 'cut.mov arrived short: 3 of 6 bytes.' },
    })
    const again = await announce([['cut.mov', 6]], { makes: 'Cut' })
    expect(again.body).toEqual({ asset: body.asset, received: { 'cut.mov': 3 } })
    expect(await put(body.asset, 'cut.mov', 'abcdef', 0)).toMatchObject({ body: { code: 'upload-place' } })
    expect(await put(body.asset, 'cut.mov', 'def', 3)).toMatchObject({ status: 200 })
    expect((await announce([['cut.mov', 7]], { makes: 'Cut' })).body.asset).not.toBe(body.asset)
  })
  it('is never longer than was announced, nor another file', async () => {
    const { body } = await announce([['long.mov', 2]])
    expect((await put(body.asset, 'long.mov', 'abc')).body.message).toMatch(/longer than was announced/)
    expect(readdirSync(join(store.data, 'uploads', body.asset))).toEqual([])
    expect((await put(body.asset, 'other.mov', 'ab')).body.message).toMatch(/was not announced/)
    expect((await put('../../tmp', 'x.png', 'x')).status).toBe(400)
    expect(existsSync(join(store.data, '../tmp/x.png'))).toBe(false)
  })
  it.each([
    ['a/b.png', /no slashes/],
    ['..', /Hidden files/],
    ['.env', /Hidden files/],
    [`${'x'.repeat(300)}.png`, /255 characters/],
    [`${'é'.repeat(125)}.png`, /too long/],
    ['a\0b.png', /no slashes/],
    ['a\ud800b.png', /no slashes/],
  ])('is refused under the name %j', async (name, message) => {
    const { status, body } = await announce([[name, 1]])
    expect(status).toBe(400)
    expect(body.message).toMatch(message)
  })
  it('is one movie or one run of stills; the stranger is named', async () => {
    const strange = await announce([
      ['other.0002.png', 1],
      ['yard.0001.png', 1],
    ])
    expect(strange.body.message).toMatch(/yard\.0001\.png does not belong to the run of other/)
    expect((await announce([])).body.message).toMatch(/No file was chosen/)
    expect(
      (
        await announce([
          ['a.1.png', 1],
          ['a.1.png', 1],
        ])
      ).body.message,
    ).toMatch(/same name/)
    expect((await announce([['a.1.png', 1]], { rate: [0, 1] })).status).toBe(400)
  })
  it('that two pages drop under one name is kept twice', async () => {
    const [one, two] = await Promise.all([
      announce([['same.mov', 3]], { makes: 'Same' }),
      announce([['same.mov', 4]], { makes: 'Same' }),
    ])
    await Promise.all([put(one.body.asset, 'same.mov', 'abc'), put(two.body.asset, 'same.mov', 'abcd')])
    expect(
      (await arrivals()).arrivals
        .filter(({ makes }) => makes === 'Same')
        .map(({ bytes }) => bytes)
        .sort(),
    ).toEqual([3, 4])
  })
  it('can be stopped, gone on with and removed', async () => {
    const { plate } = await routes()
    const { body } = await announce([['stop.mov', 1]], { makes: 'Stop' })
    const params = { upload: body.asset }
    expect((await call(plate.POST, params, { body: { what: 'go on' } })).body.message).toMatch(/missing/)
    await put(body.asset, 'stop.mov', 'a')
    const state = async (): Promise<string | undefined> =>
      (await arrivals()).arrivals.find(({ id }) => id === body.asset)?.state
    await call(plate.POST, params, { body: { what: 'stop' } })
    expect(await state()).toBe('stopped')
    await call(plate.POST, params, { body: { what: 'go on' } })
    expect(await state()).toBe('waiting')
    await call(plate.DELETE, params, { method: 'DELETE' })
    expect(await state()).toBe(undefined)
    expect(existsSync(join(store.data, 'uploads', body.asset))).toBe(false)
  })
  it('is not made a shot before something of it can be seen', async () => {
    const { body } = await announce([['early.mov', 3]])
    const made = await call((await routes()).shots.POST, {}, { body: { name: 'Early', asset: body.asset } })
    expect(made.body.message).toMatch(/not been read yet/)
  })
})

describe('a whole shot', () => {
  const act = async (name: string, body: object): Promise<Answer> =>
    call((await routes()).card.POST, { name }, { body })
  it('is renamed, with its document and its history, but not to a name that is taken', async () => {
    const { GET } = await import('../app/api/shots/[name]/route.ts')
    await shotNamed(store, 'Old name')
    await shotNamed(store, 'Taken')
    expect((await act('Old name', { what: 'rename', to: 'Taken' })).status).toBe(409)
    expect((await act('Old name', { what: 'rename', to: ' . ' })).status).toBe(400)
    expect((await act('Old name', { what: 'rename', to: 'New name' })).status).toBe(200)
    expect((await call(GET, { name: 'New name' })).body).toMatchObject({
      name: 'New name',
      document: { name: 'New name' },
    })
    expect((await call(GET, { name: 'Old name' })).status).toBe(404)
  })
  it('is duplicated under a name of its own, over the same plate', async () => {
    const one = await shotNamed(store, 'Double')
    expect((await act('Double', { what: 'duplicate' })).body).toEqual({ name: 'Double 2' })
    expect((await act('Double', { what: 'duplicate' })).body).toEqual({ name: 'Double 3' })
    const { GET } = await import('../app/api/shots/[name]/route.ts')
    expect((await call(GET, { name: 'Double 3' })).body.document?.plate).toEqual(one.document.plate)
  })
  it('is removed and had back, under another name where its own was taken meanwhile', async () => {
    const { removed } = await routes()
    const { id } = await shotNamed(store, 'Gone')
    await act('Gone', { what: 'remove' })
    expect((await arrivals()).removed).toMatchObject([{ id, name: 'Gone' }])
    await shotNamed(store, 'Gone')
    expect((await call(removed.POST, { id: String(id) }, { body: {} })).body).toEqual({ name: 'Gone 2' })
    expect((await arrivals()).removed).toEqual([])
    expect((await call(removed.POST, { id: '99999999999' }, { body: {} })).status).toBe(400)
    expect((await call(removed.POST, { id: '4000' }, { body: {} })).status).toBe(404)
  })
  it('goes for good after its minute, with its plate unless another shot has it', async () => {
    const { purgeRemoved, putAssetFrame, putBlob, duplicateShot, getAsset } = await import('@lantern/store')
    const { document } = await shotNamed(store, 'Last')
    const { asset } = document.plate
    const blob = await putBlob(store, new TextEncoder().encode('a frame of Last'), 'x')
    await putAssetFrame(store, asset, 1, 'full', blob)
    await duplicateShot(store, 'Last')
    await act('Last', { what: 'remove' })
    expect(await purgeRemoved(store, 0)).toBe(1)
    expect((await getAsset(store, asset)).file).toBe('yard.mp4')
    await act('Last 2', { what: 'remove' })
    await purgeRemoved(store, 0)
    await expect(getAsset(store, asset)).rejects.toMatchObject({ code: 'no-asset' })
    expect(existsSync(join(store.data, 'blobs', blob.slice(0, 2), blob))).toBe(false)
  })
})

it('clears uploads away that were cut off and left', async () => {
  const { clearAbandoned } = await import('@lantern/store')
  const { body } = await announce([['left.mov', 9]], { makes: 'Left' })
  await put(body.asset, 'left.mov', 'abc')
  expect(await clearAbandoned(store, 1)).toBe(0)
  await store.pool.query("update asset set touched = now() - interval '2 days' where id = $1", [body.asset])
  expect(await clearAbandoned(store, 1)).toBe(1)
  expect(existsSync(join(store.data, 'uploads', body.asset))).toBe(false)
})
