import { expect, it } from 'vitest'
import { smallFire } from '../../core/testing/fires.ts'
import { Drafts } from './drafts.ts'
import type { DraftRequest, LookReply } from './protocol.ts'

const FRAMES = 3
const request = (key: string, over: Partial<DraftRequest> = {}): DraftRequest => ({
  what: 'draft',
  key,
  item: 'fire',
  settings: smallFire({ cell: 0.2 }),
  first: 1001,
  rate: 24,
  frames: FRAMES,
  ...over,
})
const FINER = { finer: smallFire({ cell: 0.15 }) }

function begin() {
  const said: LookReply[] = []
  const failures: unknown[] = []
  let heard: () => void = () => undefined
  const drafts = new Drafts(
    (reply) => {
      said.push(reply)
      heard()
    },
    (error) => failures.push(error),
  )
  return {
    drafts,
    failures,
    /** Goes on right after the reply that makes it so, before the next frame. */
    until: (so: () => boolean): Promise<void> =>
      new Promise((resolve) => {
        heard = () => {
          if (so()) resolve()
        }
        heard()
      }),
    frames: (key: string): string[] =>
      said.flatMap((reply) =>
        reply.what === 'draft-frame' && reply.key === key ? [`${reply.finer ? 'finer ' : ''}${reply.frame}`] : [],
      ),
    done: (): string[] => said.flatMap((reply) => (reply.what === 'draft-done' ? [reply.key] : [])),
    count: (): number => said.length,
  }
}

it('burns a draft run frame by frame, then makes it finer over what is there', async () => {
  const { drafts, until, frames, done } = begin()
  drafts.start(request('a', FINER))
  await until(() => done().length > 0)
  expect(frames('a')).toEqual(['1001', '1002', '1003', 'finer 1001', 'finer 1002', 'finer 1003'])
  expect(done()).toEqual(['a'])
  expect(drafts.runs.get('fire')).toMatchObject({ key: 'a', first: 1001, done: true })
})

it('says nothing of one before it was given way, so that one put out at once is not heard of', async () => {
  const { drafts, until, frames, done, count } = begin()
  drafts.start(request('b'))
  drafts.start(request('a'))
  expect(count()).toBe(0)
  await until(() => done().length > 0)
  expect([frames('b'), frames('a'), done()]).toEqual([[], ['1001', '1002', '1003'], ['a']])
})

it('lights another in place of one, of which nothing more is said', async () => {
  const { drafts, until, frames, done } = begin()
  drafts.start(request('a'))
  await until(() => frames('a').length > 0)
  drafts.start(request('b'))
  const before = frames('a')
  await until(() => done().length > 0)
  expect(frames('a')).toEqual(before)
  expect([frames('b'), done()]).toEqual([['1001', '1002', '1003'], ['b']])
})

it('says at once that a whole run is done, and puts out what was lit meanwhile', async () => {
  const { drafts, until, frames, done, count } = begin()
  drafts.start(request('a'))
  await until(() => done().length > 0)
  drafts.start(request('b'))
  drafts.start(request('a'))
  expect(done()).toEqual(['a', 'a'])
  const told = count()
  // Another gas burns to its end; of b comes nothing.
  drafts.start(request('c', { item: 'other' }))
  await until(() => done().includes('c'))
  expect(frames('b')).toEqual([])
  expect(count()).toBe(told + FRAMES + 1)
  expect(drafts.runs.get('fire')?.key).toBe('a')
})

it('burns anew what was cut short, and goes on with what was being made finer', async () => {
  const { drafts, until, frames, done } = begin()
  drafts.start(request('a', FINER))
  await until(() => frames('a').length > 0)
  drafts.start(request('b'))
  drafts.start(request('a', FINER))
  await until(() => frames('a').includes('finer 1001'))
  expect(frames('a').filter((one) => one === '1001')).toHaveLength(2)
  drafts.start(request('b'))
  drafts.start(request('a', FINER))
  await until(() => done().includes('a'))
  expect(frames('a').filter((one) => one === '1003')).toHaveLength(1)
  expect(frames('a').at(-1)).toBe('finer 1003')
  expect(frames('b')).toEqual([])
})

it('forgets what is put out', async () => {
  const { drafts, until, frames, done } = begin()
  drafts.start(request('a'))
  await until(() => frames('a').length > 0)
  drafts.cancel('fire')
  expect(drafts.runs.size).toBe(0)
  const told = frames('a')
  drafts.start(request('c', { item: 'other' }))
  await until(() => done().length > 0)
  expect([frames('a'), done()]).toEqual([told, ['c']])
})

it('tells of one that fails, and burns the others', async () => {
  const { drafts, until, failures, frames, done } = begin()
  drafts.start(request('a', { settings: smallFire({ cell: 0.2, mostCells: 100 }) }))
  drafts.start(request('b', { item: 'other' }))
  await until(() => done().length === 2)
  expect(failures).toMatchObject([{ code: expect.any(String), message: expect.stringContaining('cells') }])
  expect([frames('a'), frames('b')]).toEqual([[], ['1001', '1002', '1003']])
})
