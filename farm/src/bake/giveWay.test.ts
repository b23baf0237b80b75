import { expect, it } from 'vitest'
import { GiveWay, LOOKS } from './giveWay.ts'

/** Over a clock that moves as it rests; somebody waits until `until`, and it is stopped at `stopped`. */
function begin(until: number, stopped = Infinity) {
  let now = 0
  let looks = 0
  const giveWay = new GiveWay({
    busy: async () => (looks++, now < until),
    mustStop: async () => now >= stopped,
    clock: () => now,
    rest: async (seconds) => (now += seconds),
  })
  return { giveWay, pass: (seconds: number) => (now += seconds), looked: () => looks }
}

it('looks once a second', async () => {
  const { giveWay, pass, looked } = begin(0)
  expect(giveWay.due).toBe(false)
  pass(LOOKS.every)
  expect(giveWay.due).toBe(true)
  expect(await giveWay.rest()).toBe(0)
  expect(giveWay.due).toBe(false)
  expect(looked()).toBe(1)
})
it('rests as long as somebody waits, and says how long', async () => {
  const { giveWay, pass } = begin(7)
  pass(2)
  expect(await giveWay.rest()).toBeCloseTo(5, 0)
  expect(giveWay.due).toBe(false)
})
it('goes on at once where it is to be stopped', async () => {
  const { giveWay } = begin(1000, 3)
  expect(await giveWay.rest()).toBeCloseTo(3, 0)
})
