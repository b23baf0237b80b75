import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { type FreshStore, freshStore } from '../../store/testing/freshStore.ts'
import { call, type Route } from '../testing/call.ts'

// Route handlers as the server calls them, over a store of their own.
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

describe('news', () => {
  it('reaches any number of pages over one connection, and the rest of the server goes on', async () => {
    const { GET } = await import('../app/api/events/route.ts')
    const pages = await Promise.all(
      Array.from({ length: 25 }, async () => {
        const leave = new AbortController()
        const response = await (GET as unknown as Route)(new Request('http://127.0.0.1/x', { signal: leave.signal }), {
          params: Promise.resolve() as Promise<never>,
        })
        const reader = response.body?.getReader()
        if (!reader) throw new Error('the news has a body')
        return { leave, reader }
      }),
    )
    const text = async (reader: ReadableStreamDefaultReader<Uint8Array>): Promise<string> => {
      const told = new TextDecoder().decode((await reader.read()).value)
      // A sign of life, where it takes long.
      return told.startsWith(':') ? text(reader) : told
    }
    for (const { reader } of pages) expect(await text(reader)).toMatch(/^retry/)
    // What is told before their one connection listens would reach none of them.
    const { subscribe } = await import('./news.ts')
    const leaveAgain = await subscribe(store, { heard: () => undefined, lost: () => undefined })
    leaveAgain()
    const { notify } = await import('@lantern/store')
    await notify(store.db, { what: 'shots' })
    for (const { reader } of pages) expect(await text(reader)).toBe('data: {"what":"shots"}\n\n')
    const shots = await import('../app/api/shots/route.ts')
    expect((await call(shots.GET, {})).status).toBe(200)
    for (const { leave, reader } of pages) {
      leave.abort()
      expect((await reader.read()).done).toBe(true)
    }
  })
})

describe('a shot’s routes', () => {
  beforeAll(async () => {
    const { createAsset, createShot } = await import('@lantern/store')
    const { makeShot } = await import('@lantern/core/shot')
    const asset = await createAsset(store, 'yard.mp4')
    await createShot(
      store,
      makeShot('Yard', {
        asset,
        file: 'yard.mp4',
        width: 64,
        height: 36,
        first: 1,
        last: 4,
        rate: [24, 1],
        encoding: 'srgb',
      }),
    )
  })
  const params = { name: 'Yard' }
  it('edit against a revision, and answer a clash with what changed', async () => {
    const { GET, PATCH } = await import('../app/api/shots/[name]/route.ts')
    const { head } = (await call(GET, params)).body
    expect(
      (await call(PATCH, params, { method: 'PATCH', body: { base: head, patch: { camera: { kind: 'typed' } } } }))
        .status,
    ).toBe(200)
    const clash = await call(PATCH, params, { method: 'PATCH', body: { base: head, patch: { camera: { height: 2 } } } })
    expect(clash).toMatchObject({
      status: 409,
      body: { code: 'clash', message: 'The shot was changed elsewhere meanwhile: camera.kind.' },
    })
  })
  it('refuse what is no edit, no JSON, no shot, no renaming', async () => {
    const { GET, PATCH } = await import('../app/api/shots/[name]/route.ts')
    const { head } = (await call(GET, params)).body
    expect((await call(PATCH, params, { method: 'PATCH', raw: '{' })).body.message).toBe('The request is not JSON.')
    expect((await call(PATCH, params, { method: 'PATCH', body: { base: head, patch: [], more: 1 } })).status).toBe(400)
    const thin = { items: { thin: { kind: 'box', name: 'x', order: 1, width: -2 } } }
    const refused = await call(PATCH, params, { method: 'PATCH', body: { base: head, patch: thin } })
    expect(refused).toMatchObject({ status: 400, body: { message: expect.stringContaining('width') } })
    expect((await call(GET, params)).body.document?.items.thin).toBeUndefined()
    expect(
      (await call(PATCH, params, { method: 'PATCH', body: { base: head, patch: { name: 'Other' } } })).body.message,
    ).toMatch(/keeps the name/)
    expect((await call(GET, { name: 'Nobody' })).status).toBe(404)
  })
  it('give the camera of every frame, and history both ways', async () => {
    const [cameras, history] = [
      await import('../app/api/shots/[name]/cameras/route.ts'),
      await import('../app/api/shots/[name]/history/route.ts'),
    ]
    expect((await call(cameras.GET, params)).body).toMatchObject({ first: 1, cameras: [{ width: 64 }, {}, {}, {}] })
    expect((await call(history.POST, params, { body: { way: 'undo' } })).body).toMatchObject({
      canRedo: true,
      document: { camera: { kind: 'none' } },
    })
    expect((await call(history.POST, params, { body: { way: 'redo' } })).body).toMatchObject({
      document: { camera: { kind: 'typed' } },
    })
    expect((await call(history.POST, params, { body: { way: 'sideways' } })).status).toBe(400)
  })
  it('ask the farm, and say what is missing', async () => {
    const { POST } = await import('../app/api/shots/[name]/ask/route.ts')
    expect((await call(POST, params, { body: { what: 'bake', item: 'none' } })).body).toMatchObject({ code: 'no-item' })
    expect((await call(POST, params, { body: { what: 'dance' } })).status).toBe(400)
    const results = await import('../app/api/results/[key]/[frame]/route.ts')
    expect(await call(results.GET, { key: 'none', frame: '3' })).toMatchObject({
      status: 404,
      body: { code: 'no-result' },
    })
    expect((await call(results.GET, { key: 'none', frame: 'x' })).status).toBe(400)
  })
  it('refuse a camera file without a camera by its name', async () => {
    const { POST } = await import('../app/api/shots/[name]/camera/route.ts')
    const answer = await call(POST, params, { raw: '{"asset":{"version":"2.0"}}', query: '?file=yard.gltf&base=1' })
    expect(answer).toMatchObject({
      status: 400,
      body: { message: expect.stringContaining('yard.gltf holds no perspective camera') },
    })
  })
})
