import { afterAll, beforeAll, expect, it } from 'vitest'
import { type FreshStore, freshStore } from '../../store/testing/freshStore.ts'
import { burning, shotNamed } from '../../store/testing/shots.ts'
import { statusAfter } from '../features/shot/useEvents.ts'
import { type Dated, type StatusMessage, statusOf, watchStatus } from './statusHub.ts'

// Any number of pages that show a shot are told its status, computed once for all of them.
let store: FreshStore
beforeAll(async () => {
  store = await freshStore()
})
afterAll(() => store.remove())

interface Page {
  status: Dated | undefined
  messages: StatusMessage[]
  leave: () => void
}
async function openPage(name: string): Promise<Page> {
  const page: Page = { status: undefined, messages: [], leave: () => undefined }
  page.leave = await watchStatus(store, name, (message) => {
    page.messages.push(message)
    page.status = statusAfter(page.status, message)
  })
  return page
}

it('is sent whole at first, then as what changed, the same to all, and holds what the shot has', async () => {
  const lantern = await import('@lantern/store')
  const shot = await shotNamed(store, 'Watched', burning)
  const pages = await Promise.all(Array.from({ length: 8 }, () => openPage('Watched')))
  for (const { messages, status } of pages) {
    expect(messages).toHaveLength(1)
    expect(status?.items.fire?.state).toBe('missing')
  }
  const key = await lantern.requestItem(store, shot, 'fire')
  for (const page of pages) await expect.poll(() => page.status?.items.fire?.state).toBe('waiting')
  const blob = await lantern.putBlob(store, new TextEncoder().encode('frame'), 'x')
  await lantern.insertFrame(store, { key, frame: 1001, blob, figures: {} }, undefined, 1)
  for (const page of pages) await expect.poll(() => page.status?.items.fire?.kept).toEqual([1001])
  const last = pages[0]?.messages.at(-1)
  expect(last && 'changes' in last && JSON.stringify(last).length).toBeLessThan(2000)
  const whole = await statusOf(store, 'Watched')
  for (const { status, messages } of pages) {
    expect(status).toEqual(whole)
    expect(messages).toEqual(pages[0]?.messages)
  }
  // Asked for as often as one likes, it is not computed again while nothing happens.
  expect(await statusOf(store, 'Watched')).toBe(whole)
  await lantern.editShot(store, 'Watched', undefined, { items: { fire: { heat: 555 } } })
  expect((await statusOf(store, 'Watched')).head).toBe(2)
  for (const { leave } of pages) leave()
})

it('tells nobody of what happens to other shots', async () => {
  const lantern = await import('@lantern/store')
  await shotNamed(store, 'Quiet', burning)
  const other = await shotNamed(store, 'Loud', burning)
  const [quiet, loud] = [await openPage('Quiet'), await openPage('Loud')]
  await lantern.requestItem(store, other, 'fire')
  await expect.poll(() => loud.status?.items.fire?.state).toBe('waiting')
  expect(quiet.messages).toHaveLength(1)
  quiet.leave()
  loud.leave()
  // Nobody watches: it is computed when it is asked for.
  expect((await statusOf(store, 'Loud')).items.fire?.state).toBe('waiting')
  await expect(watchStatus(store, 'Nobody', () => undefined)).rejects.toMatchObject({ code: 'no-shot' })
})

it('is wanted anew by a page that missed something', () => {
  const status = { version: 5, head: 1 } as Dated
  expect(statusAfter(status, { base: 4, version: 6, changes: [] })).toBeUndefined()
  expect(statusAfter(undefined, { base: 4, version: 6, changes: [] })).toBeUndefined()
  expect(statusAfter(status, { base: 5, version: 6, changes: [{ op: 'replace', path: '/head', value: 2 }] })).toEqual({
    version: 6,
    head: 2,
  })
})
