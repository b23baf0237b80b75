import { describe, expect, it } from 'vitest'
import { smallFire } from '../../testing/fires.ts'
import { makeCrew } from '../base/index.ts'
import { estimateWork } from './estimateWork.ts'
import type { GasSettings } from './settings.ts'
import { GasSimulation } from './simulate.ts'

const RATE = 24
const sum = (values: readonly number[]): number => values.reduce((a, b) => a + b, 0)

function told(settings: GasSettings, rough: GasSettings, frames: number): { cells: number[]; works: number[] } {
  const all = [...estimateWork(makeCrew(1), settings, rough, RATE, frames)]
  return { cells: all.map(({ cells }) => cells), works: all.map(({ cells, steps }) => cells * steps) }
}
function ran(settings: GasSettings, frames: number): { cells: number[]; works: number[]; sparse: boolean } {
  const simulation = new GasSimulation(makeCrew(1), settings, RATE)
  const all = Array.from({ length: frames }, () => simulation.advance())
  return {
    cells: all.map(({ cells }) => cells),
    works: all.map(({ cells, steps }) => cells * steps),
    sparse: simulation.fields.active !== undefined,
  }
}

const fire = smallFire()
/** Smoke that drifts across its box from corner to corner: little of that holds any. */
const drifting = smallFire({
  cell: 0.14,
  shape: { kind: 'ball', radius: 0.14 },
  source: { centre: [0, 2, 0], heat: 0, smoke: 0.01, temperature: 300, speed: 0, stir: 0 },
  solids: [],
  wind: [8, 0, 8],
  bounds: { low: [-2, 0, -2], high: [9, 4, 9] },
})

describe('work told ahead', () => {
  it.each([
    ['a fire on the ground', fire, false, 8],
    ['smoke that drifts away', drifting, true, 20],
  ])('is that of the run itself where the rough run is that one: %s', (_, settings, sparse, frames) => {
    const [a, b] = [told(settings, settings, frames), ran(settings, frames)]
    expect(a.cells).toEqual(b.cells)
    expect(b.sparse).toBe(sparse)
    // Steps are taken anew in every frame from the fastest that its steps saw.
    expect(sum(a.works) / sum(b.works)).toBeGreaterThan(0.95)
    expect(sum(a.works) / sum(b.works)).toBeLessThan(1.3)
  })
  it('of a run with cells of three times the size is right within a factor of two, frames that are lit and those that burn', () => {
    const [a, b] = [told(fire, { ...fire, cell: 3 * fire.cell }, 36), ran(fire, 36)]
    for (const [from, to] of [
      [0, 12],
      [12, 24],
      [24, 36],
    ] as const) {
      const ratio = sum(a.works.slice(from, to)) / sum(b.works.slice(from, to))
      expect(ratio).toBeGreaterThan(0.5)
      expect(ratio).toBeLessThan(2)
    }
    expect(sum(b.works.slice(24)) / sum(b.works.slice(0, 12))).toBeGreaterThan(3)
  })
  it('gives the memory back, also where it is broken off', () => {
    const crew = makeCrew(1)
    const mark = crew.heap.mark()
    for (const _ of estimateWork(crew, fire, { ...fire, cell: 3 * fire.cell }, RATE, 20)) break
    expect(crew.heap.mark()).toBe(mark)
  })
  it('throws what the rough run throws', () => {
    const walled = smallFire({ solids: [{ kind: 'box', centre: [0, 0, 0], half: [2, 2, 2], rotation: [0, 0, 0, 1] }] })
    expect(() => told(fire, walled, 3)).toThrow(expect.objectContaining({ code: 'gas-source' }))
  })
})
