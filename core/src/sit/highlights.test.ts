import { describe, expect, it } from 'vitest'
import { random } from '../base/index.ts'
import { fitSensor, sensorNumbers } from './index.ts'

/** Brightness of a scene whose light gets rarer by a power, through a camera of this knee and clip. */
function filmed(knee: number, top: number, power = 1.6): Float32Array {
  const stream = random(9)
  const [, reach, a, b] = sensorNumbers({ knee, top })
  return Float32Array.from({ length: 60_000 }, () => {
    const light = 0.08 / (1 - stream.next()) ** (1 / power)
    if (light <= knee) return light
    const d = Math.min(reach, light - knee)
    return knee + (d * (1 + a * d)) / (1 + b * d)
  })
}

describe('a camera’s knee and clip', () => {
  it.each([
    [0.6, 4],
    [0.7, 8],
    [0.85, 2.5],
  ])('are fitted to its own highlights: %f and %f', (knee, top) => {
    const found = fitSensor(filmed(knee, top))
    expect(Math.abs((found?.knee ?? 9) - knee)).toBeLessThan(0.08)
    expect(Math.abs(Math.log2((found?.top ?? 99) / top))).toBeLessThan(0.5)
  })
  it('are not told without highlights, or where tones follow no law', () => {
    expect(fitSensor(filmed(0.7, 8).map((v) => 0.5 * v))).toBeUndefined()
    const sky = filmed(0.7, 8).map((v, n) => (n % 3 === 0 ? 0.9 + 0.05 * Math.sin(n) : v))
    expect(fitSensor(sky)).toBeUndefined()
  })
})
