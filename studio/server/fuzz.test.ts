import { readdirSync } from 'node:fs'
import { join } from 'node:path'
import { random } from '@lantern/core/base'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { type FreshStore, freshStore } from '../../store/testing/freshStore.ts'
import { burning, shotNamed } from '../../store/testing/shots.ts'

// Every route with what nobody would send: it is answered with little work, and never by a fault of ours.
const REQUESTS = 300
/** An answer's own work: others may have the machine meanwhile. */
const SLOW_MS = 2500

let store: FreshStore
beforeAll(async () => {
  store = await freshStore()
  process.env.LANTERN_DATABASE_URL = store.url
  process.env.LANTERN_DATA = store.data
  for (const name of ['Yard', 'Other']) await shotNamed(store, name, burning)
})
afterAll(async () => {
  const { store: opened } = await import('./store.ts')
  await (await opened()).close()
  await store.remove()
})

type Handler = (request: Request, context: { params: Promise<Record<string, string>> }) => Promise<Response>
const top = join(import.meta.dirname, '../app/api')
const files = readdirSync(top, { recursive: true, encoding: 'utf8' }).filter(
  (path) => path.endsWith('route.ts') && !path.startsWith('events'),
)

const DEEP = `${'{"a":'.repeat(5000)}1${'}'.repeat(5000)}`

const NAMES = [
  'Yard',
  '100% smoke',
  'a%41b',
  '%',
  '..',
  '\0',
  '\ud800',
  'constructor',
  'toString',
  '__proto__',
  'x'.repeat(5000),
  "'; drop table shot; --",
  '',
]
const NUMBERS = [0, 1, -1, 1.5, 2 ** 31, 3_000_000_000, -(2 ** 40), 1e308, 1001]
const WORDS = ['fire', 'toString', 'constructor', '__proto__', 'valueof', 'look', 'final', 'solve', 'tracks', 'movie']
const ASKS = [
  'bake',
  'picture',
  'match',
  'hand',
  'thing',
  'reading',
  'report',
  'stroke',
  'matte-file',
  'stop-bake',
  'stop-picture',
  'stop-match',
  'stop-plate',
  'hand-off',
  'rename',
  'remove',
  'duplicate',
  'stop',
  'go on',
]
const FIELDS = [
  'what',
  'item',
  'frames',
  'quality',
  'hand',
  'thing',
  'reading',
  'stage',
  'form',
  'base',
  'patch',
  'name',
  'asset',
  'way',
  'to',
  'files',
  'rate',
  'makes',
  'encoding',
]
const PARTS = [
  'items',
  'plate',
  'camera',
  'match',
  'light',
  'sit',
  'signals',
  'readings',
  'fire',
  'heat',
  'first',
  'last',
  'width',
  'kind',
  'things',
  'hands',
  'constructor',
  'follows',
  'matte',
]

const FILES = ['?file=x.csv&base=1', '?file=x.gltf&base=1', '?file=x.usda&base=1e99', '?file=x.vdb']

const stream = random(20261130)
const pick = <T>(list: readonly T[]): T => list[Math.floor(stream.next() * list.length)] as T

function anything(depth = 0): unknown {
  const kind = Math.floor(stream.next() * (depth > 3 ? 5 : 8))
  if (kind === 0) return pick(NUMBERS)
  if (kind === 1) return pick(NAMES)
  if (kind === 2) return pick(WORDS)
  if (kind === 3) return null
  if (kind === 4) return stream.next() < 0.5
  if (kind === 5) return Array.from({ length: Math.floor(stream.next() * 4) }, () => anything(depth + 1))
  return Object.fromEntries(
    Array.from({ length: 1 + Math.floor(stream.next() * 3) }, () => [pick(PARTS), anything(depth + 1)]),
  )
}

/** A value that is nearly right for its field, more often than not. */
function valueFor(field: string): unknown {
  if (stream.next() < 0.3) return anything()
  if (field === 'what') return pick(ASKS)
  if (field === 'base') return pick([1, 1, 1, 2, 3_000_000_000])
  if (field === 'patch') return pick([anything(), { items: { fire: anything() } }, { plate: { last: 100_000_000 } }])
  if (field === 'frames') return [pick(NUMBERS), pick(NUMBERS)]
  if (field === 'files') return [{ name: pick(NAMES), bytes: pick(NUMBERS) }]
  if (field === 'rate') return [pick(NUMBERS), 1]
  return pick([...WORDS, ...NAMES])
}

/** Requests of the right form, with one value in them that is none. */
function shaped(path: string, head: number): object | undefined {
  const word = pick([...WORDS, ...NAMES])
  if (path.includes('/ask/'))
    return pick([
      ...['thing', 'hand', 'reading'].map((what) => ({ what, [what]: word })),
      ...['bake', 'stop-bake'].map((what) => ({ what, item: word })),
      { what: 'report', reading: word },
      { what: 'picture', quality: 'look', frames: [pick(NUMBERS)] },
      { what: 'match', stage: 'tracks' },
    ])
  if (path.includes('/card/')) return pick([{ what: 'rename', to: word }, { what: 'duplicate' }])
  if (path === 'plates/route.ts') return { files: [{ name: word, bytes: 4 }], makes: word }
  if (path === 'shots/[name]/route.ts')
    return {
      base: head,
      patch: pick([anything(), { items: { [pick(WORDS)]: anything() } }, { [pick(PARTS)]: anything() }]),
    }
  return undefined
}

function bodyOf(path: string, head: number): string {
  const form = stream.next() < 0.6 ? shaped(path, head) : undefined
  if (form) return JSON.stringify(form)
  const kind = stream.next()
  if (kind < 0.1) return pick(['', '{', 'null', '[]', '"x"', '0', '\0', '[[[[', '{"a":1e999}'])
  if (kind < 0.13) return pick([DEEP, `{"base":1,"patch":${DEEP}}`])
  const fields = Array.from({ length: 1 + Math.floor(stream.next() * 3) }, () => pick(FIELDS))
  if (stream.next() < 0.7) fields.push('what')
  return JSON.stringify(Object.fromEntries(fields.map((field) => [field, valueFor(field)])))
}

it(`answers ${REQUESTS} senseless requests to every route, none with a fault, none slowly`, async () => {
  const routes = await Promise.all(
    files.map(async (path) => ({
      path,
      handlers: (await import(join(top, path))) as Record<string, Handler | undefined>,
    })),
  )
  const { findShotById } = await import('@lantern/store')
  const headOf = async (): Promise<number> => (await findShotById(store, 1))?.head ?? 1
  // Those that take most from a request come up more often.
  const often = [...routes, ...routes.filter(({ path }) => /^shots.*(ask|\[name\]).route/.test(path))]
  const wrong: string[] = []
  const seen = new Map<number, number>()
  for (let n = 0; n < REQUESTS; n++) {
    const { path, handlers } = pick(often)
    const method = pick(Object.keys(handlers).filter((name) => /^(GET|POST|PUT|PATCH|DELETE)$/.test(name)))
    const params = Object.fromEntries(
      [...path.matchAll(/\[(\w+)\]/g)].map(([, name]) => [
        name ?? '',
        name === 'name' && stream.next() < 0.7
          ? path.includes('/card/')
            ? 'Other'
            : 'Yard'
          : String(pick([...NAMES.slice(1), ...NUMBERS])),
      ]),
    )
    // A file is read on a thread of its own, which takes its time to begin.
    const query =
      stream.next() < 0.06 ? pick(FILES) : pick(['', '', '?base=1', '?blob=x', '?size=huge', '?from=-1', '?as=%00'])
    const body = method === 'GET' ? undefined : bodyOf(path, await headOf())
    const request = new Request(`http://127.0.0.1/x${query}`, { method, ...(body === undefined ? {} : { body }) })
    const begun = process.cpuUsage()
    const response = await handlers[method]?.(request, { params: Promise.resolve(params) })
    const { user, system } = process.cpuUsage(begun)
    const ms = (user + system) / 1000
    const status = response?.status ?? 0
    seen.set(status, (seen.get(status) ?? 0) + 1)
    await response?.body?.cancel()
    if (status >= 500 || ms > SLOW_MS)
      wrong.push(
        `${method} ${path} ${JSON.stringify(params).slice(0, 80)}${query}: ${status} in ${ms.toFixed(0)} ms for ${body?.slice(0, 160)}`,
      )
  }
  expect(wrong).toEqual([])
  // Some of it does get through.
  expect(seen.get(200)).toBeGreaterThan(REQUESTS / 50)
}, 120_000)
