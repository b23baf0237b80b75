import { describe, expect, it } from 'vitest'
import { random } from '../base/index.ts'
import { pulseRate } from './pulse.ts'

const RATE = 24
const wave = (hertz: number, noise: number, trend = 0): number[] => {
  const stream = random(5)
  return Array.from(
    { length: 240 },
    (_, n) => 10 + trend * n + Math.sin((2 * Math.PI * hertz * n) / RATE) + noise * (stream.next() - 0.5),
  )
}

describe('how often a series pulses', () => {
  it.each([0.8, 1.5, 2.74])('is found at %d Hz, between samples, under noise and a trend', (hertz) => {
    expect(Math.abs((pulseRate(wave(hertz, 0), RATE) ?? 0) / hertz - 1)).toBeLessThan(0.02)
    expect(Math.abs((pulseRate(wave(hertz, 1, 0.02), RATE) ?? 0) / hertz - 1)).toBeLessThan(0.08)
  })
  it('of pulses that come too soon and too late is how many there are', () => {
    // Pulses of 1.2 Hz, each as long as it likes within a third: autocorrelations and single lines find halves and doubles of it.
    for (const seed of [1, 2, 3, 4, 5, 6]) {
      const stream = random(seed)
      const values: number[] = []
      let phase = 0
      for (let pace = 1.2; values.length < 400; phase += (2 * Math.PI * pace) / RATE) {
        if (Math.floor((phase + (2 * Math.PI * pace) / RATE) / (2 * Math.PI)) > Math.floor(phase / (2 * Math.PI)))
          pace = 1.2 * (0.67 + 0.66 * stream.next())
        values.push(5 + Math.sin(phase))
      }
      const counted = phase / (2 * Math.PI) / (values.length / RATE)
      expect(Math.abs((pulseRate(values, RATE) ?? 0) / counted - 1), `seed ${seed}`).toBeLessThan(0.15)
    }
  })
  it('is not told of what stays the same or only grows', () => {
    expect(
      pulseRate(
        Array.from({ length: 100 }, () => 3),
        RATE,
      ),
    ).toBeUndefined()
    expect(
      pulseRate(
        Array.from({ length: 100 }, (_, n) => n),
        RATE,
      ),
    ).toBeUndefined()
    for (const few of [[], [1], [1, 2], [1, 2, 1, 2, 1]]) expect(pulseRate(few, RATE)).toBeUndefined()
    // Slower than can be told of such a length, and as fast as samples go.
    expect(pulseRate(wave(0.1, 0), RATE)).toBeUndefined()
    expect(pulseRate(wave(12, 0), RATE)).toBeUndefined()
  })
})
