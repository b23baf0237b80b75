// The client of the computing worker, with a worker that only notes what it is asked.
import { makeItem } from '@lantern/core/shot'
import type { ShotStatus } from '@lantern/store'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { burning, composed, draftFrame, gas, kept, NotingWorker, setUpLooks, tearDownLooks } from '@/testing/looks.ts'
import type { LookReply } from '@/workers/protocol.ts'
import { pictureDigest, type ShotState, useShot } from '../shot/shotStore.ts'
import { Looks } from './looks.ts'
import { sourceOf } from './passSource.ts'

let state: ShotState
beforeEach(() => void (state = setUpLooks()))
afterEach(tearDownLooks)
const withStatus = (change: Partial<ShotStatus>): ShotState => ({
  ...state,
  status: { ...(state.status as ShotStatus), ...change },
})

describe('where a frame comes from', () => {
  it('is the best there is: final, first look, kept gas, draft gas, the plate alone', () => {
    expect(sourceOf(state, 5).from).toBe('plate')
    const draft = { ...state, drafts: { fire: burning } }
    expect(sourceOf(draft, 5)).toMatchObject({ from: 'draft', source: { kind: 'runs', keys: {} } })
    expect(sourceOf({ ...withStatus({ items: { fire: gas([5]) } }), drafts: draft.drafts }, 5)).toMatchObject({
      from: 'runs',
      source: { keys: { fire: 'gas' } },
    })
    expect(sourceOf(withStatus({ look: kept([5], { 5: 'look-5' }) }), 5)).toMatchObject({
      from: 'look',
      source: { key: 'look-5' },
    })
    expect(
      sourceOf(withStatus({ look: kept([5], { 5: 'look-5' }), final: kept([5], { 5: 'final-5' }) }), 5),
    ).toMatchObject({ from: 'final' })
    expect(sourceOf(withStatus({ look: kept([5], { 5: 'look-5' }) }), 6).from).toBe('plate')
  })
  it('of a draft run stays the same when its frames no longer change, and is another when they do', () => {
    const mark = (frame: number, over: object = {}): string =>
      sourceOf({ ...state, drafts: { fire: { ...burning, ...over } } }, frame).mark
    expect(mark(1, { frames: 4, made: 4 })).toBe(mark(1))
    expect(mark(2, { frames: 4, made: 4 })).toBe(mark(2))
    // The newest stands in for those to come.
    expect(mark(3, { frames: 4, made: 4 })).not.toBe(mark(3))
    expect(mark(50, { frames: 4, made: 4 })).not.toBe(mark(50))
    expect(mark(1, { frames: 1, made: 2 })).not.toBe(mark(1, { frames: 1, made: 1 }))
    const finer = { finer: true, frames: 72, fine: 2 }
    expect(mark(1, finer)).not.toBe(mark(1))
    expect(mark(1, { ...finer, fine: 3, made: 90 })).toBe(mark(1, finer))
    expect(mark(3, { ...finer, fine: 3 })).not.toBe(mark(3, finer))
    expect(mark(99, { ...finer, fine: 3 })).toBe(mark(99, finer))
    expect(mark(99, { ...finer, fine: 72 })).not.toBe(mark(99, finer))
    expect(mark(1, { key: 'u' })).not.toBe(mark(1))
  })
  it('is what is kept of each gas, and draft what is not: an edit to one leaves the others as they are', () => {
    const { shot } = state
    if (!shot) throw new Error('there is a shot')
    const two = {
      ...shot.document,
      items: { ...shot.document.items, other: makeItem('gas', { name: 'Other', order: 2, position: [2, 0, 0] }) },
    }
    const both: ShotState = {
      ...withStatus({ items: { fire: gas([5]), other: { ...gas([5]), key: 'more' } } }),
      shot: { ...shot, document: two },
      statusDigest: pictureDigest(two),
      drafts: { other: burning, fire: { ...burning, key: 'old' } },
    }
    expect(sourceOf(both, 5)).toMatchObject({ from: 'runs', source: { keys: { fire: 'gas', other: 'more' } } })
    const hotter = { ...two, items: { ...two.items, other: { ...two.items.other, heat: 999 } as never } }
    const edited: ShotState = { ...both, shot: { ...shot, document: hotter } }
    const now = sourceOf(edited, 5)
    expect(now).toMatchObject({ from: 'draft', source: { keys: { fire: 'gas' } } })
    expect(now.source).not.toMatchObject({ keys: { other: expect.anything() } })
    // Only what is shown of them decides whether it is another picture.
    expect(sourceOf({ ...edited, drafts: { other: burning } }, 5).mark).toBe(now.mark)
    expect(sourceOf({ ...edited, drafts: {} }, 5)).toMatchObject({ from: 'draft', source: { keys: { fire: 'gas' } } })
    // What both stand on is another matter.
    const lit = { ...hotter, light: { ...hotter.light, illuminance: 3 } }
    expect(sourceOf({ ...edited, shot: { ...shot, document: lit } }, 5).source).toMatchObject({ keys: {} })
  })
  it('is never what was kept for another document: an edit not yet known to the server counts', () => {
    const edited = { ...withStatus({ look: kept([5], { 5: 'look-5' }) }), statusDigest: 'of an older document' }
    expect(sourceOf(edited, 5).from).toBe('plate')
  })
})

describe('laying frames', () => {
  it('waits for the worker to load, lays one frame at a time, the newest wish next, and keeps what was laid', () => {
    const looks = new Looks()
    const worker = NotingWorker.last
    expect(looks.want(state, 5)).toBeUndefined()
    expect(worker.asked).toEqual([])
    worker.say({ what: 'here' })
    expect(worker.asked).toMatchObject([{ what: 'compose', frame: 5 }])
    looks.want(state, 6)
    looks.want(state, 7)
    expect(worker.asked).toHaveLength(1)
    worker.say(composed(1))
    expect(worker.asked).toMatchObject([{ frame: 5 }, { frame: 7 }])
    expect(looks.want(state, 5)).toMatchObject({ width: 2, height: 1 })
    expect(looks.newest).toMatchObject({ frame: 5, shown: { width: 2 } })
    expect(looks.want({ ...state, exposure: 1 }, 5)).toBeUndefined()
    expect(worker.asked).toHaveLength(2)
    looks.end()
  })
  it('lays the loop’s kept frames ahead when it rests, and what is wished for meanwhile does not wait for them', () => {
    const ahead: ShotState = {
      ...withStatus({ look: kept([5, 6, 7], { 5: 'look-5', 6: 'look-6', 7: 'look-7' }) }),
      frame: 5,
      loop: [5, 7],
    }
    useShot.setState(ahead)
    const looks = new Looks()
    const worker = NotingWorker.last
    const asked = (): number[] => worker.asked.flatMap((request) => (request.what === 'compose' ? [request.frame] : []))
    worker.say({ what: 'here' })
    looks.want(ahead, 5)
    worker.say(composed(1))
    vi.advanceTimersByTime(1000)
    expect(asked()).toEqual([5, 6])
    // The picture of 6 has not come yet.
    const brighter = { ...ahead, exposure: 1 }
    useShot.setState(brighter)
    looks.want(brighter, 5)
    expect(asked()).toEqual([5, 6, 5])
    worker.say({ ...composed(3), frame: 5 } as LookReply)
    expect(looks.want(brighter, 5)).toBeDefined()
    // Nothing more is laid ahead before that, and what comes late is kept as what it is.
    vi.advanceTimersByTime(1000)
    expect(asked()).toEqual([5, 6, 5])
    worker.say({ ...composed(2), frame: 6 } as LookReply)
    expect(looks.want(ahead, 6)).toBeDefined()
    expect(looks.want(brighter, 7)).toBeUndefined()
    looks.end()
  })
  it('goes on after a frame that failed, and tells why unless it will come by itself', () => {
    const looks = new Looks()
    const worker = NotingWorker.last
    worker.say({ what: 'here' })
    looks.want(state, 5)
    looks.want(state, 6)
    worker.say({ what: 'failed', id: 1, message: 'Frame 5 of the plate has not been read yet.', remedy: 'Wait.' })
    expect(useShot.getState().message).toBeUndefined()
    expect(worker.asked).toMatchObject([{ frame: 5 }, { frame: 6 }])
    worker.say({ what: 'failed', id: 2, message: 'The source lies inside a set piece.', remedy: 'Move it.' })
    expect(useShot.getState().message).toEqual({ text: 'The source lies inside a set piece. Move it.', good: false })
    looks.end()
  })
})

describe('pictures of what burns', () => {
  it('leave it twice the time they take, but not where another frame or look is asked for, nor once it is over', () => {
    const looks = new Looks()
    const worker = NotingWorker.last
    const asked = (): number[] => worker.asked.flatMap((request) => (request.what === 'compose' ? [request.frame] : []))
    worker.say({ what: 'here' })
    const at = (made: number): ShotState => ({ ...state, drafts: { fire: { ...burning, made } } })
    looks.startDraft(state, 'fire')
    vi.advanceTimersByTime(500)
    looks.want(at(3), 5)
    worker.say({ ...composed(1), milliseconds: 1000 } as LookReply)
    looks.want(at(4), 5)
    vi.advanceTimersByTime(1900)
    expect(asked()).toEqual([5])
    // The newest of it, when its time has come.
    looks.want(at(6), 5)
    vi.advanceTimersByTime(200)
    expect(asked()).toEqual([5, 5])
    worker.say({ ...composed(2), milliseconds: 1000 } as LookReply)
    looks.want(at(7), 6)
    expect(asked()).toEqual([5, 5, 6])
    worker.say({ ...composed(3), milliseconds: 1000 } as LookReply)
    looks.want({ ...at(8), exposure: 1 }, 6)
    expect(asked()).toEqual([5, 5, 6, 6])
    worker.say({ ...composed(4), milliseconds: 1000 } as LookReply)
    looks.want({ ...at(9), exposure: 1 }, 6)
    expect(asked()).toEqual([5, 5, 6, 6])
    const burnt = worker.asked.find((request) => request.what === 'draft')
    worker.say({ what: 'draft-done', key: burnt?.key ?? '', item: 'fire' })
    expect(asked()).toEqual([5, 5, 6, 6, 6])
    looks.end()
  })
})

describe('laying ahead', () => {
  const asked = (): number[] =>
    NotingWorker.last.asked.flatMap((request) => (request.what === 'compose' ? [request.frame] : []))
  const begin = (change: Partial<ShotState> = {}): Looks => {
    const looks = new Looks()
    const worker = NotingWorker.last
    worker.say({ what: 'here' })
    useShot.setState({
      ...withStatus({ look: kept([5, 6, 8, 9], { 5: 'a', 6: 'b', 8: 'c', 9: 'd' }) }),
      loop: [4, 8],
      ...change,
    })
    looks.want(useShot.getState(), 5)
    worker.say(composed(1))
    return looks
  }
  it('takes the loop’s kept frames one after another once the picture rests, from the one that is shown on', () => {
    const looks = begin({ loop: [5, 8] })
    expect(asked()).toEqual([5])
    vi.advanceTimersByTime(500)
    expect(asked()).toEqual([5, 6])
    NotingWorker.last.say(composed(2))
    vi.advanceTimersByTime(500)
    expect(asked()).toEqual([5, 6, 8])
    NotingWorker.last.say(composed(3))
    vi.advanceTimersByTime(5000)
    // 7 is not kept, 9 lies outside the loop.
    expect(asked()).toEqual([5, 6, 8])
    looks.end()
  })
  it('reads the frame that is looked at, not the one that was laid ahead after it', () => {
    const looks = begin({ loop: [5, 8] })
    vi.advanceTimersByTime(500)
    NotingWorker.last.say(composed(2))
    expect(asked()).toEqual([5, 6])
    void looks.probe(0.5, 0.5)
    void looks.linear()
    expect(NotingWorker.last.asked.slice(-2)).toMatchObject([
      { what: 'probe', of: { frame: 5 } },
      { what: 'linear', of: { frame: 5 } },
    ])
    looks.end()
  })
  it('goes round the loop, backwards where it plays so, without a rest', () => {
    const looks = begin({ playing: -1, loop: [5, 9] })
    expect(asked()).toEqual([5, 9])
    NotingWorker.last.say(composed(2))
    expect(asked()).toEqual([5, 9, 8])
    looks.end()
  })
  it('leaves the machine to what the farm or a draft gas computes, and gives way to what is asked for', () => {
    const looks = begin()
    looks.startDraft(useShot.getState(), 'fire')
    vi.advanceTimersByTime(5000)
    expect(NotingWorker.last.asked.at(-1)).toMatchObject({ what: 'draft', item: 'fire' })
    expect(asked()).toEqual([5])
    looks.cancelDraft('fire')
    expect(NotingWorker.last.asked.at(-1)).toEqual({ what: 'cancel-draft', item: 'fire' })
    looks.cancelDraft('fire')
    expect(NotingWorker.last.asked).toHaveLength(3)
    NotingWorker.last.say(draftFrame('late', 'fire', 1))
    expect(useShot.getState().drafts).toEqual({})
    useShot.setState({
      status: { ...(useShot.getState().status as ShotStatus), items: { fire: { ...gas([]), state: 'running' } } },
    })
    looks.rest()
    vi.advanceTimersByTime(5000)
    expect(asked()).toEqual([5])
    useShot.setState({ status: { ...(useShot.getState().status as ShotStatus), items: {} } })
    looks.rest()
    vi.advanceTimersByTime(100)
    looks.want(useShot.getState(), 40)
    vi.advanceTimersByTime(5000)
    expect(asked()).toEqual([5, 40])
    NotingWorker.last.say(composed(2))
    vi.advanceTimersByTime(500)
    expect(asked()).toEqual([5, 40, 6])
    looks.end()
  })
})
