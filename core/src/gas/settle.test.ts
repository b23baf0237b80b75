import { describe, expect, it } from 'vitest'
import { smallFire } from '../../testing/fires.ts'
import { at, close, eachCell, fields, SIZE, SX } from '../../testing/kernelFields.ts'
import { makeCrew } from '../base/index.ts'
import { GasSimulation } from './simulate.ts'

describe('what floats', () => {
  it('falls by the share of a cell, column by column, and what reaches the ground or a wall is counted', () => {
    const made = fields(5)
    const floating = made.noise(0, 1)
    const before = made.view(floating).slice()
    const flags = made.crew.heap.u8(made.flags, before.length)
    const partial = made.crew.heap.alloc(SIZE[2] * 8)
    made.crew.run('settle', [floating, made.flags, 0.3, partial, 0, ...SIZE], SIZE[2])
    let lost = 0
    eachCell((e, _, j) => {
      if (flags[e] !== 1) return
      const above = j === SIZE[1] - 1 ? 0 : at(before, e + SX)
      const next = at(before, e) + 0.3 * (above - at(before, e))
      close(at(made.view(floating), e), next)
      lost += at(before, e) - next
    })
    close(
      made.crew.heap.f64(partial, SIZE[2]).reduce((sum, v) => sum + v, 0),
      lost,
    )
  })
  it('of a cloud comes down at its speed, and none of it is lost on the way', () => {
    const cloud = (settle: number): { middle: number; soot: number } => {
      const settings = smallFire({
        shape: { kind: 'ball', radius: 0.4 },
        source: { centre: [0, 3, 0], heat: 0, smoke: 1e-5, temperature: 293, speed: 0, stir: 0 },
        bounds: { low: [-1.5, 0, -1.5], high: [1.5, 5, 1.5] },
        confinement: 0,
        settle,
      })
      const crew = makeCrew(1)
      const simulation = new GasSimulation(crew, settings, 24)
      for (let n = 0; n < 24; n++) simulation.advance()
      const { box, pointers, store } = simulation.fields
      const soot = crew.heap.f32(pointers.soot, store.cells)
      let [sum, middle] = [0, 0]
      for (let k = 0; k < box.size[2]; k++)
        for (let j = 0; j < box.size[1]; j++)
          for (let i = 0; i < box.size[0]; i++) {
            const here = soot[((k + 1) * (box.size[1] + 2) + j + 1) * (box.size[0] + 2) + i + 1] ?? 0
            sum += here
            middle += here * (box.origin[1] + j + 0.5) * box.cell
          }
      return { middle: middle / sum, soot: sum }
    }
    const [still, falling] = [cloud(0), cloud(0.5)]
    // It has been let loose evenly over a second: on the mean it has fallen for half of that.
    expect(still.middle - falling.middle).toBeGreaterThan(0.2)
    expect(still.middle - falling.middle).toBeLessThan(0.3)
    expect(falling.soot / still.soot).toBeCloseTo(1, 2)
  })
})
