import { afterEach, describe, expect, it, vi } from 'vitest'
import { areStills, rateOf, sendFiles, shotNameFor, takeInFrames } from './upload.ts'

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

describe('sending files', () => {
  it('announces them, sends each from where it was cut off, and tells how far it is', async () => {
    const calls = server((_path, method) =>
      method === 'POST' ? [200, { asset: 'a', received: { 'kiln.1.png': 2, 'kiln.2.png': 0 } }] : [200, {}],
    )
    const shares: number[] = []
    expect(
      await sendFiles([file('kiln.1.png', 'xxxx'), file('kiln.2.png', 'xx')], { makes: 'kiln' }, (share) =>
        shares.push(share),
      ),
    ).toBe('a')
    expect(calls).toEqual([
      'POST /api/plates',
      'PUT /api/plates/a/kiln.1.png?from=2',
      'PUT /api/plates/a/kiln.2.png?from=0',
    ])
    expect(shares).toEqual([...shares].sort((a, b) => a - b))
    expect(shares.at(-1)).toBe(1)
  })
  it('hands on what the server refuses, and what the reading found', async () => {
    server((_, method) =>
      method === 'PUT'
        ? [400, { code: 'upload', message: 'kiln.mp4 arrived short.', remedy: 'Send it again.' }]
        : [200, { asset: 'a', received: {} }],
    )
    await expect(sendFiles([file('kiln.mp4')], {}, () => undefined)).rejects.toMatchObject({
      code: 'upload',
      message: 'kiln.mp4 arrived short.',
    })
    server((path) =>
      path.startsWith('/api/assets/')
        ? [
            200,
            {
              state: 'failed',
              done: 0,
              total: 0,
              error: { message: 'kiln.mp4 is not a movie.', remedy: 'Write it again.' },
            },
          ]
        : [200, { asset: 'a', received: {} }],
    )
    await expect(takeInFrames([file('kiln.mp4')], () => undefined)).rejects.toMatchObject({
      message: 'kiln.mp4 is not a movie.',
      remedy: 'Write it again.',
    })
    vi.stubGlobal('fetch', async () => Promise.reject(new TypeError('no route')))
    await expect(sendFiles([file('kiln.mp4')], {}, () => undefined)).rejects.toMatchObject({ code: 'away' })
  })
  it('waits for a matte until it is read', async () => {
    let polls = 0
    server((path) =>
      path.startsWith('/api/assets/')
        ? [200, ++polls < 2 ? { state: 'reading', done: 1, total: 2 } : { state: 'ready', done: 2, total: 2 }]
        : [200, { asset: 'a', received: {} }],
    )
    expect(await takeInFrames([file('matte.mp4')], () => undefined)).toMatchObject({ id: 'a', state: 'ready' })
    expect(polls).toBe(2)
  })
})

describe('what files tell', () => {
  it('is a rate for a movie, and none for stills', () => {
    expect(areStills([file('a.mov')])).toBe(false)
    expect(areStills([file('a.exr')])).toBe(true)
    expect(areStills([file('a.1.png'), file('a.2.png')])).toBe(true)
  })
  it.each([
    ['24', [24, 1]],
    ['23.976', [24_000, 1001]],
    ['29,97', [30_000, 1001]],
    ['12.5', [12_500, 1000]],
    ['0', undefined],
    ['fast', undefined],
  ])('reads a rate of %s', (text, expected) => {
    expect(rateOf(text)).toEqual(expected)
  })
})
