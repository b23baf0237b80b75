import { describe, expect, it } from 'vitest'
import { type FrameEnd, RunPolicy } from './policy.ts'

const TIMES = { saveEvery: 25, saveShare: 1 / 20, longFrame: 8, lookEvery: 2, turn: 100, finish: 25 }
const going: FrameEnd = { remaining: 50, stopAsked: false, ending: false, takesTurns: true }

/** A policy over a clock that stands until it is moved. */
function begin() {
  let now = 0
  const policy = new RunPolicy(TIMES, () => now)
  const frame = (seconds: number, end: Partial<FrameEnd> = {}) => {
    const looks = policy.beginFrame()
    now += seconds
    return { looks, ...policy.endFrame({ ...going, ...end }) }
  }
  const save = (seconds: number): void => {
    now += seconds
    policy.saved(seconds)
  }
  const rest = (seconds: number): void => {
    now += seconds
    policy.rested(seconds)
  }
  return { frame, save, rest }
}

describe('a run', () => {
  it('saves its state every so many seconds, counted from the last time', () => {
    const { frame, save } = begin()
    expect([frame(10).save, frame(10).save, frame(10).save]).toEqual([false, false, true])
    save(1)
    expect([frame(20).save, frame(6).save]).toEqual([false, true])
  })
  it('saves less often where saving is slow, so that it takes no more than its share of the time', () => {
    const { frame, save } = begin()
    save(5)
    expect([frame(30).save, frame(30).save, frame(30).save, frame(30).save]).toEqual([false, false, false, true])
  })
  it('gives way after its turn, its state saved, but goes on where it would be done soon or nobody takes turns', () => {
    expect(begin().frame(101)).toMatchObject({ next: 'next turn', save: true })
    expect(begin().frame(99)).toMatchObject({ next: 'go on' })
    const { frame } = begin()
    for (let n = 0; n < 10; n++) frame(10)
    expect(frame(10, { remaining: 2 })).toMatchObject({ next: 'go on' })
    expect(begin().frame(101, { takesTurns: false })).toMatchObject({ next: 'go on' })
  })
  it('counts no rest that it gave others, neither to its turn nor between two saves', () => {
    const { frame, rest } = begin()
    frame(20)
    rest(200)
    expect(frame(4)).toMatchObject({ next: 'go on', save: false })
    expect(frame(2)).toMatchObject({ next: 'go on', save: true })
  })
  it('tells how long the rest takes by its last frames, not by its first ones', () => {
    const { frame } = begin()
    frame(120, { remaining: 30, takesTurns: false })
    for (let n = 0; n < 7; n++) frame(0.1, { remaining: 20, takesTurns: false })
    expect(frame(0.1, { remaining: 20 })).toMatchObject({ next: 'go on' })
  })
  it('stops when it is asked to or its machine leaves, and saves first', () => {
    expect(begin().frame(1, { stopAsked: true })).toMatchObject({ next: 'stop', save: true })
    expect(begin().frame(1, { ending: true })).toMatchObject({ next: 'stop', save: true })
    // It would have to give way too: being stopped comes first.
    expect(begin().frame(200, { stopAsked: true })).toMatchObject({ next: 'stop', save: true })
  })
  it('saves its last state, and has no next turn after it', () => {
    expect(begin().frame(200, { remaining: 0 })).toMatchObject({ next: 'go on', save: true })
  })
  it('looks within a frame after a long one, and within the first, whose length is not known', () => {
    const { frame } = begin()
    expect([frame(9).looks, frame(7).looks, frame(7).looks]).toEqual([2, 2, Number.POSITIVE_INFINITY])
  })
})
