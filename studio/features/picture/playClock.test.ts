import { describe, expect, it } from 'vitest'
import { playOn } from './playClock.ts'

/** Frames shown within ten seconds of a screen that ticks so often a second, each frame ready as `ready` says. */
function shown(refresh: number, rate: number, ready: (time: number) => boolean = () => true): number {
  let [clock, count] = [0, 0]
  for (let tick = 1; tick <= 10 * refresh; tick++) {
    const time = (1000 * tick) / refresh
    clock = playOn(clock, time, 1000 / rate, () => {
      if (!ready(time)) return false
      count++
      return true
    })
  }
  return count
}

describe('play', () => {
  it.each([
    [60, 24],
    [60, 25],
    [50, 24],
    [144, 24],
    [60, 48],
    [30, 24],
    [60, 23.976],
  ])('on a screen of %d Hz shows %d frames a second', (refresh, rate) => {
    expect(Math.abs(shown(refresh, rate) - 10 * rate)).toBeLessThanOrEqual(1)
  })
  it('keeps its rate where the screen ticks slower than the frames come, by leaving some out', () => {
    expect(Math.abs(shown(10, 24) - 240)).toBeLessThanOrEqual(20)
  })
  it('waits for a frame that is not ready, and does not run after what it missed', () => {
    expect(shown(60, 24, (time) => time > 5000)).toBeLessThanOrEqual(122)
    expect(shown(60, 24, (time) => time > 5000)).toBeGreaterThanOrEqual(119)
    expect(shown(60, 24, () => false)).toBe(0)
  })
})
