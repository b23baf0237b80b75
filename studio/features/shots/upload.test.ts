import { afterEach, describe, expect, it, vi } from 'vitest'
import { shotNameFor, takeInPlate } from './upload.ts'

const file = (name: string, text = 'x'): File => new File([text], name)
afterEach(() => vi.unstubAllGlobals())

describe('a new shot’s name', () => {
  it.each([
    [['yard_walk.mov'], 'yard_walk'],
    [['kiln.0001.png', 'kiln.0002.png'], 'kiln'],
    [['0001.png', '0002.png'], 'Shot'],
    [[`${'x'.repeat(200)}.mp4`], 'x'.repeat(80)],
    [['plate-.mp4'], 'plate'],
  ])('of %j is %s', (names, expected) => {
    expect(shotNameFor(names.map((name) => file(name)))).toBe(expected)
  })
})

/** A server that answers by a table of address endings; every call is noted. */
function server(answers: (path: string, method: string, count: number) => [number, unknown]): string[] {
  const calls: string[] = []
  vi.stubGlobal('fetch', async (path: string, init: { method: string }) => {
    calls.push(`${init.method} ${path.replace(/[0-9a-f-]{36}/g, 'ID')}`)
    const [status, body] = answers(path, init.method, calls.length)
    return new Response(JSON.stringify(body), { status })
  })
  return calls
}

describe('taking in a plate', () => {
  it('sends every file, waits until it is read, makes the shot, and tells how far it is', async () => {
    let polls = 0
    const calls = server((path, method) => {
      if (method === 'PUT') return [200, { bytes: 1 }]
      if (path.startsWith('/api/plates/')) return [200, { asset: 'a' }]
      if (path.startsWith('/api/assets/'))
        return [200, ++polls < 2 ? { state: 'reading', done: 1, total: 2 } : { state: 'ready', done: 2, total: 2 }]
      return [200, { name: 'kiln' }]
    })
    const shares: number[] = []
    expect(await takeInPlate([file('kiln.1.png'), file('kiln.2.png')], 'kiln', (share) => shares.push(share))).toBe(
      'kiln',
    )
    expect(calls).toEqual([
      'PUT /api/plates/ID/kiln.1.png',
      'PUT /api/plates/ID/kiln.2.png',
      'POST /api/plates/ID',
      'GET /api/assets/a',
      'GET /api/assets/a',
      'POST /api/shots',
    ])
    expect(shares).toEqual([...shares].sort((a, b) => a - b))
    expect(shares.at(-1)).toBe(1)
  })
  it('counts up where the name is taken', async () => {
    const tried: string[] = []
    vi.stubGlobal('fetch', async (path: string, init: { method: string; body?: string }) => {
      if (path.startsWith('/api/assets/')) return new Response('{"state":"ready","done":1,"total":1}')
      if (path !== '/api/shots') return new Response('{"asset":"a"}')
      const { name } = JSON.parse(init.body ?? '{}') as { name: string }
      tried.push(name)
      return tried.length < 3
        ? new Response(JSON.stringify({ code: 'shot-name', message: 'taken', remedy: 'another' }), { status: 409 })
        : new Response(JSON.stringify({ name }))
    })
    expect(await takeInPlate([file('kiln.mp4')], 'kiln', () => undefined)).toBe('kiln 3')
    expect(tried).toEqual(['kiln', 'kiln 2', 'kiln 3'])
  })
  it('hands on what the server refuses, and what the reading found', async () => {
    server((_, method) =>
      method === 'PUT'
        ? [400, { code: 'upload', message: 'kiln.mp4 arrived short.', remedy: 'Send it again.' }]
        : [200, {}],
    )
    await expect(takeInPlate([file('kiln.mp4')], 'kiln', () => undefined)).rejects.toMatchObject({
      code: 'upload',
      message: 'kiln.mp4 arrived short.',
    })
    server((path, method) =>
      method === 'PUT' || !path.startsWith('/api/assets/')
        ? [200, { asset: 'a' }]
        : [
            200,
            {
              state: 'failed',
              done: 0,
              total: 0,
              error: { message: 'kiln.mp4 is not a movie.', remedy: 'Write it again.' },
            },
          ],
    )
    await expect(takeInPlate([file('kiln.mp4')], 'kiln', () => undefined)).rejects.toMatchObject({
      message: 'kiln.mp4 is not a movie.',
      remedy: 'Write it again.',
    })
    vi.stubGlobal('fetch', async () => Promise.reject(new TypeError('no route')))
    await expect(takeInPlate([file('kiln.mp4')], 'kiln', () => undefined)).rejects.toMatchObject({ code: 'away' })
  })
})
