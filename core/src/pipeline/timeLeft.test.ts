import { describe, expect, it } from 'vitest'
import { type DoneFrame, type RunInLine, timeLeft, timeLeftByTurns } from './index.ts'

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

it('time left by turns: a short run ends within its own, a long one waits for the others', () => {
  const [at, waits] = [
    (need: number, turn = 50): RunInLine => ({ need, turn }),
    (need: number): RunInLine => ({ need }),
  ]
  expect(timeLeftByTurns([at(700)], 0, 1)).toBe(700)
  expect(timeLeftByTurns([waits(700)], 0, 0)).toBe(700)
  // 50 s of its turn are left to it: that is enough, whoever waits.
  expect(timeLeftByTurns([at(40), waits(500), waits(300)], 0, 1)).toBe(40)
  // 50 s of its own, 100 of the other, then 40 of its own; a turn that has just begun is enough, and one that lacks no more than a few seconds goes on.
  expect(timeLeftByTurns([at(90), waits(500)], 0, 1)).toBe(190)
  expect(timeLeftByTurns([at(90, 0), waits(500)], 0, 1)).toBe(90)
  expect(timeLeftByTurns([at(70), waits(500)], 0, 1)).toBe(70)
  expect(timeLeftByTurns([at(20, 110), waits(500)], 0, 1)).toBe(20)
  // The other's last 50 s, then its own 70 in one turn; who stands before it in line comes first.
  expect(timeLeftByTurns([waits(70), at(50)], 0, 1)).toBe(120)
  expect(timeLeftByTurns([waits(30), waits(70), waits(20), at(50)], 1, 1)).toBe(150)
  // A turn that should be over ends with the frame.
  expect(timeLeftByTurns([waits(70), at(500, 130)], 0, 1)).toBe(71)
  // The last one ends when all work is done; with a machine each none waits, and more are of no use.
  expect(timeLeftByTurns([at(2000), waits(100), waits(250), at(300)], 0, 1)).toBe(2650)
  expect(timeLeftByTurns([at(2000), at(300)], 0, 2)).toBe(2000)
  expect(timeLeftByTurns([at(200), at(300)], 0, 9)).toBe(200)
  expect(timeLeftByTurns([at(70), waits(0)], 0, 1)).toBe(70)
})
