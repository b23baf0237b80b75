import { expect, it } from 'vitest'
import { smallFire } from '../../testing/fires.ts'
import { makeCrew } from '../base/index.ts'
import { GasSimulation } from './simulate.ts'

// Stirring once blew a cell up to four within a step in which nothing was fast yet.
it.each([
  [2.5, 0.25],
  [2.5, 0.4],
  [5, 0.25],
])(
  'a burst that outruns its own first steps burns without running away, stirred by %f m/s in lumps of %f m',
  (stir, stirSize) => {
    const settings = smallFire({
      cell: 0.1,
      shape: { kind: 'box', half: [0.45, 0.95, 0.2] },
      source: { centre: [0, 0.95, 0], heat: 9e6, speed: 9, aim: [0, 0.1, 0.995], temperature: 590, stir },
      burnTime: 0.3,
      mostCells: 3e5,
    })
    const simulation = new GasSimulation(
      makeCrew(1),
      { ...settings, sources: settings.sources.map((one) => ({ ...one, stirSize })) },
      24,
    )
    for (let n = 0; n < 5; n++) {
      const { fastest, divergence } = simulation.advance()
      expect(fastest).toBeLessThan(60)
      expect(divergence).toBeLessThan(1e-3)
    }
  },
  60_000,
)
