import { makeItem } from '@lantern/core/shot'
import type { Shot } from '@lantern/store'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { burning, composed, draftFrame, NotingWorker, setUpLooks, tearDownLooks } from '@/testing/looks.ts'
import type { LookReply } from '@/workers/protocol.ts'
import { type ShotState, useShot } from '../shot/shotStore.ts'
import { Looks } from './looks.ts'

let state: ShotState
beforeEach(() => void (state = setUpLooks()))
afterEach(tearDownLooks)

describe('burning draft', () => {
  it('begins when the settings have come to rest, once for each gas, and not again for what burns already', () => {
    const looks = new Looks()
    const worker = NotingWorker.last
    worker.say({ what: 'here' })
    const document = { ...(state.shot as Shot).document }
    document.items = { ...document.items, other: makeItem('gas', { name: 'Other', order: 2, position: [2, 0, 0] }) }
    const showing = (changed: typeof document): ShotState => ({
      ...state,
      shot: { ...(state.shot as Shot), document: changed },
    })
    for (let n = 0; n < 5; n++) {
      looks.startDraft(
        showing({
          ...document,
          items: {
            ...document.items,
            fire: { ...makeItem('gas', { name: 'Fire', order: 1 }), heat: 500 + n } as never,
          },
        }),
        'fire',
      )
      vi.advanceTimersByTime(50)
    }
    looks.startDraft(showing(document), 'other')
    expect(worker.asked).toEqual([])
    vi.advanceTimersByTime(500)
    expect(worker.asked.map((request) => request.what === 'draft' && [request.item, request.frames])).toEqual([
      ['fire', 72],
      ['other', 72],
    ])
    const burning = worker.asked[1]
    if (burning?.what !== 'draft') throw new Error('the other gas was asked for')
    worker.say(draftFrame(burning.key, 'other', 1, 12))
    worker.say(draftFrame(burning.key, 'other', 2, 15))
    expect(useShot.getState().drafts.other).toMatchObject({ frames: 2, heatKw: [12, 15] })
    looks.startDraft(showing(document), 'other')
    vi.advanceTimersByTime(500)
    expect(worker.asked).toHaveLength(2)
    looks.end()
  })
  describe('once asked for anew', () => {
    const hot = (heat: number): ShotState => {
      const shot = state.shot as Shot
      return {
        ...state,
        shot: {
          ...shot,
          document: {
            ...shot.document,
            items: { ...shot.document.items, fire: { ...shot.document.items.fire, heat } as never },
          },
        },
      }
    }
    const frame = (key: string, n: number): LookReply => draftFrame(key, 'fire', n)
    const keys = (): string[] =>
      NotingWorker.last.asked.flatMap((request) => (request.what === 'draft' ? [request.key] : []))
    const asks = (looks: Looks, heat: number): string => {
      looks.startDraft(hot(heat), 'fire')
      vi.advanceTimersByTime(500)
      return keys().at(-1) ?? ''
    }
    const begin = (): Looks => {
      const looks = new Looks()
      NotingWorker.last.say({ what: 'here' })
      return looks
    }
    it('is heard though word that the one before is done comes after that', () => {
      const looks = begin()
      const before = asks(looks, 300)
      NotingWorker.last.say(frame(before, 1))
      const now = asks(looks, 400)
      NotingWorker.last.say({ what: 'draft-done', key: before, item: 'fire' })
      NotingWorker.last.say(frame(before, 2))
      expect(useShot.getState().drafts.fire).toMatchObject({ key: before, frames: 1 })
      NotingWorker.last.say(frame(now, 1))
      expect(useShot.getState().drafts.fire).toMatchObject({ key: now, frames: 1 })
      looks.end()
    })
    it('is not burnt where the settings go back before it began, and the old one is where they go back after', () => {
      const looks = begin()
      const before = asks(looks, 300)
      NotingWorker.last.say(frame(before, 1))
      looks.startDraft(hot(400), 'fire')
      vi.advanceTimersByTime(50)
      expect(asks(looks, 300)).toBe(before)
      expect(new Set(keys())).toEqual(new Set([before]))
      const other = asks(looks, 400)
      expect(other).not.toBe(before)
      expect(asks(looks, 300)).toBe(before)
      NotingWorker.last.say(frame(other, 1))
      expect(useShot.getState().drafts.fire?.key).toBe(before)
      looks.end()
    })
    it('is not put off by being asked for again and again', () => {
      const looks = begin()
      for (let n = 0; n < 5; n++) {
        looks.startDraft(hot(300), 'fire')
        vi.advanceTimersByTime(150)
      }
      expect(keys()).toHaveLength(1)
      looks.end()
    })
  })
  it('shows a picture laid of another burn than it was asked of, but does not keep it', () => {
    const looks = new Looks()
    const worker = NotingWorker.last
    worker.say({ what: 'here' })
    const draft = { ...state, drafts: { fire: { ...burning, frames: 72 } } }
    looks.want(draft, 5)
    expect(worker.asked).toMatchObject([{ what: 'compose', source: { kind: 'runs', drafts: { fire: 't' } } }])
    worker.say({ ...composed(1), passing: true } as LookReply)
    expect(looks.newest).toMatchObject({ frame: 5, shown: { width: 2 } })
    expect(looks.want(draft, 5)).toBeUndefined()
    vi.advanceTimersByTime(100)
    worker.say(composed(2))
    expect(looks.want(draft, 5)).toMatchObject({ width: 2 })
    looks.end()
  })
})
