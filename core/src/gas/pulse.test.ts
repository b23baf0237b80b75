import { describe, expect, it } from 'vitest'
import { random } from '../base/index.ts'
import { pulseRate } from './pulse.ts'

const RATE = 24
const wave = (hertz: number, noise: number, trend = 0): number[] => {
  const stream = random(5)
  return Array.from({ length: 240 }, (_, n) => 10 + trend * n + Math.sin((2 * Math.PI * hertz * n) / RATE) + noise * (stream.next() - 0.5))
}

describe('how often a series pulses', () => {
  it.each([0.8, 1.5, 2.74])('is found at %d Hz, between samples, under noise and a trend', (hertz) => {
    expect(Math.abs((pulseRate(wave(hertz, 0), RATE) ?? 0) / hertz - 1)).toBeLessThan(0.02)
    expect(Math.abs((pulseRate(wave(hertz, 1, 0.02), RATE) ?? 0) / hertz - 1)).toBeLessThan(0.08)
  })
  it('is not told of what stays the same or only grows', () => {
    expect(pulseRate(Array.from({ length: 100 }, () => 3), RATE)).toBeUndefined()
    expect(pulseRate(Array.from({ length: 100 }, (_, n) => n), RATE)).toBeUndefined()
    expect(pulseRate([], RATE)).toBeUndefined()
  })
})
