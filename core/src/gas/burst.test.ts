import { expect, it } from 'vitest'
import { smallFire } from '../../testing/fires.ts'
import { makeCrew } from '../base/index.ts'
import { GasSimulation } from './simulate.ts'

it('a burst that outruns its own first steps burns without running away', () => {
  const settings = smallFire({ cell: 0.1, shape: { kind: 'box', half: [0.45, 0.95, 0.2] }, source: { centre: [0, 0.95, 0], heat: 9e6, speed: 9, aim: [0, 0.1, 0.995], temperature: 590, stir: 2.5 }, burnTime: 0.3, mostCells: 3e5 })
  const simulation = new GasSimulation(makeCrew(1), settings, 24)
  for (let n = 0; n < 5; n++) {
    const { fastest, divergence } = simulation.advance()
    expect(fastest).toBeLessThan(60)
    expect(divergence).toBeLessThan(1e-3)
  }
}, 60_000)
