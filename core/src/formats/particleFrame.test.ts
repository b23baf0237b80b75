import { describe, expect, it } from 'vitest'
import { emptyParticles } from '../data/index.ts'
import { readParticleFrame, writeParticleFrame } from './index.ts'

function some(count: number) {
  const frame = emptyParticles(count)
  for (let n = 0; n < count; n++) {
    frame.ids[n] = 4294967295 - n
    frame.states[n] = n % 3
    for (let c = 0; c < 3; c++) {
      frame.positions[3 * n + c] = 1.23456 * n - c
      frame.velocities[3 * n + c] = 0.5 * n * (c - 1)
    }
    frame.sizes[n] = 0.001 * (n + 1)
    frame.ages[n] = n / 24
    frame.temperatures[n] = 1200 - n
    frame.spins[n] = n / 8
  }
  return frame
}

describe('kept particles', () => {
  it('come back as they were: places exactly, the rest to three digits', () => {
    const frame = some(40)
    const back = readParticleFrame(writeParticleFrame(frame))
    expect(back.count).toBe(40)
    expect(back.ids).toEqual(frame.ids)
    expect(back.positions).toEqual(frame.positions)
    expect(back.states).toEqual(frame.states)
    for (const name of ['velocities', 'sizes', 'ages', 'temperatures', 'spins'] as const)
      for (let n = 0; n < frame[name].length; n++)
        expect(Math.abs((back[name][n] ?? 0) - (frame[name][n] ?? 0))).toBeLessThanOrEqual(
          1e-3 * Math.abs(frame[name][n] ?? 0) + 1e-7,
        )
    expect(readParticleFrame(writeParticleFrame(some(0))).count).toBe(0)
  })
  it('are refused where they are damaged', () => {
    const bytes = writeParticleFrame(some(5))
    for (const broken of [bytes.slice(0, 6), bytes.slice(0, 20), new Uint8Array(40), new Uint8Array()])
      expect(() => readParticleFrame(broken)).toThrow('damaged')
    const longer = bytes.slice()
    new DataView(longer.buffer).setUint32(4, 4_000_000_000, true)
    expect(() => readParticleFrame(longer)).toThrow('damaged')
  })
})
