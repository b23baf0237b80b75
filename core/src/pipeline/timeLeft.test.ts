import { describe, expect, it } from 'vitest'
import { type DoneFrame, type RunInLine, timeLeft, timeLeftInLine } from './index.ts'

/** Frames of such works, each unit of which takes `pace` seconds. */
const ran = (works: readonly number[], pace: number, from = 0): DoneFrame[] =>
  works.map((work, n) => ({ at: from + n, seconds: pace * work, work }))
const sum = (values: readonly number[]): number => values.reduce((a, b) => a + b, 0)

describe('time left of a run that was told ahead', () => {
  // It is lit, grows, and stays.
  const works = Array.from({ length: 100 }, (_, n) => Math.min(1000, 10 + n * n))
  const pace = 0.002
  const elsewhere = { seconds: 4000 * pace, work: 4000 }
  const rest = (next: number): number => pace * sum(works.slice(next))
  it('is right from the beginning where the rough run told it rightly, however it grows', () => {
    const ahead = works.map((work) => work / 1.25)
    expect(timeLeft({ done: [], total: 100, ahead }, elsewhere)).toBeCloseTo(rest(0), 6)
    for (const next of [1, 5, 10, 40, 99])
      expect(timeLeft({ done: ran(works.slice(0, next), pace), total: 100, ahead }, elsewhere)).toBeCloseTo(
        rest(next),
        6,
      )
    expect(timeLeft({ done: ran(works, pace), total: 100, ahead }, elsewhere)).toBe(0)
  })
  it('goes by what its own frames turn out to be once they are a part of the whole', () => {
    // Three times the work that was told, at half the pace that is known from elsewhere.
    const ahead = works.map((work) => work / 3)
    const left = (next: number): number =>
      timeLeft(
        { done: ran(works.slice(0, next), pace), total: 100, ahead },
        { ...elsewhere, seconds: elsewhere.seconds / 2 },
      ) ?? 0
    expect(left(0) / rest(0)).toBeCloseTo((1.25 / 3) * 0.5, 6)
    expect(left(30) / rest(30)).toBeGreaterThan(0.6)
    expect(left(60) / rest(60)).toBeGreaterThan(0.75)
    expect(left(60) / rest(60)).toBeLessThan(1)
  })
  it('is not led astray by a few small frames before a fire is lit', () => {
    const dark = Array.from({ length: 100 }, (_, n) => (n < 30 ? 1 : 1000))
    const left =
      timeLeft(
        { done: [0, 1, 2, 3, 4, 5].map((at) => ({ at, seconds: 0.3, work: 1 })), total: 100, ahead: dark },
        elsewhere,
      ) ?? 0
    expect(left / (pace * 70 * 1000)).toBeGreaterThan(0.9)
    expect(left / (pace * 70 * 1000)).toBeLessThan(1.5)
  })
  it('knows nothing before any work was timed, here or elsewhere', () => {
    expect(timeLeft({ done: [], total: 100, ahead: works })).toBeNull()
    expect(timeLeft({ done: [], total: 3, ahead: [0, 0, 0] }, elsewhere)).toBeNull()
    // Its first frames are less than a hundredth of it, and so is what was timed elsewhere.
    expect(timeLeft({ done: [], total: 100, ahead: works }, { seconds: 1, work: 100 })).toBeNull()
    expect(timeLeft({ done: ran(works.slice(0, 10), pace), total: 100, ahead: works })).toBeNull()
    expect(timeLeft({ done: ran(works.slice(0, 10), pace), total: 100, ahead: works }, elsewhere)).toBeGreaterThan(
      0.8 * rest(10),
    )
    expect(
      timeLeft({ done: ran(works.slice(0, 40), pace), total: 100, ahead: works.map((work) => work / 2) }),
    ).toBeGreaterThan(0.8 * rest(40))
  })
  it('counts from the last frame that is known, where those before it are not', () => {
    const ahead = works.map((work) => work / 1.25)
    expect(timeLeft({ done: ran(works.slice(50, 60), pace, 50), total: 100, ahead }, elsewhere)).toBeCloseTo(
      rest(60),
      6,
    )
  })
})

it('time left of a run of which nothing is told goes by its last frames', () => {
  const plain = (seconds: readonly number[], total: number): number | null =>
    timeLeft({ done: seconds.map((one, at) => ({ at, seconds: one, work: 1 })), total, ahead: [] })
  expect(plain([2], 100)).toBeNull()
  expect(plain([9, 9, 9, 9, 9, 9, 2, 2, 2, 2], 100)).toBeCloseTo(180, 6)
  expect(plain([1, 1, 1], 3)).toBe(0)
})

it('time left in line: the first there goes first, once those that have their turn have ended it', () => {
  const [at, waits] = [
    (need: number, turn = 50): RunInLine => ({ need, turn }),
    (need: number): RunInLine => ({ need }),
  ]
  expect(timeLeftInLine([at(700)], 0, 1)).toBe(700)
  expect(timeLeftInLine([waits(700)], 0, 0)).toBe(700)
  // The newest ask is at it and stays at it, however many turns it takes.
  expect(timeLeftInLine([at(500), waits(300)], 0, 1)).toBe(500)
  expect(timeLeftInLine([at(500), waits(300)], 1, 1)).toBe(800)
  // An older one has 50 s of its turn left, then the newer one goes, and it after that.
  expect(timeLeftInLine([waits(500), at(90)], 0, 1)).toBe(550)
  expect(timeLeftInLine([waits(500), at(90)], 1, 1)).toBe(590)
  // A turn that lacks no more than a few seconds goes on to its end; one that should be over ends with the frame.
  expect(timeLeftInLine([waits(500), at(70)], 1, 1)).toBe(70)
  expect(timeLeftInLine([waits(70), at(500, 130)], 0, 1)).toBe(71)
  // The last one ends when all work is done; with a machine each none waits, and more are of no use.
  expect(timeLeftInLine([waits(100), waits(250), at(2000), at(300)], 2, 1)).toBe(2400)
  expect(timeLeftInLine([waits(100), waits(250), at(2000), at(300)], 3, 1)).toBe(2650)
  expect(timeLeftInLine([at(2000), at(300)], 0, 2)).toBe(2000)
  expect(timeLeftInLine([at(200), at(300)], 0, 9)).toBe(200)
  expect(timeLeftInLine([at(70), waits(0)], 0, 1)).toBe(70)
  // Two machines: the third in line takes the one that is free first.
  expect(timeLeftInLine([at(300), at(120), waits(50)], 2, 2)).toBe(170)
})
