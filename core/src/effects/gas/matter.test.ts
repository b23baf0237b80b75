import { describe, expect, it } from 'vitest'
import { extinctionOf, settlingSpeed } from './matter.ts'

describe('what floats', () => {
  it.each([
    // Stokes' law holds for small grains; drops of drizzle and rain as Gunn & Kinzer 1949 measured them.
    ['dust', 10, 0.0078],
    ['dust', 40, 0.119],
    ['water', 100, 0.27],
    ['water', 500, 2.06],
  ] as const)('%s of %i µm falls at %f m/s', (matter, grain, speed) => {
    expect(settlingSpeed({ matter, grain }) / speed).toBeGreaterThan(0.9)
    expect(settlingSpeed({ matter, grain }) / speed).toBeLessThan(1.1)
  })
  it('soot does not fall, whatever its grains are said to be', () => {
    expect(settlingSpeed({ matter: 'soot', grain: 400 })).toBe(0)
  })
  it('stops less light a gram the larger its grains are; soot’s go by themselves', () => {
    const of = (matter: 'soot' | 'dust' | 'water', grain: number): number =>
      extinctionOf({ matter, grain, thickness: 1 })
    expect(of('dust', 10) / of('dust', 40)).toBeCloseTo(4, 9)
    expect(of('soot', 10)).toBe(of('soot', 40))
    expect(extinctionOf({ matter: 'water', grain: 10, thickness: 2 })).toBeCloseTo(2 * 300, 6)
  })
})
