import { expect, it } from 'vitest'
import { GROUND, smallFire } from '../../testing/fires.ts'
import { makeCrew } from '../base/index.ts'
import { GasSimulation } from './simulate.ts'

it('dust that drifts past a wall does not race through the sliver that the wall leaves of a cell', () => {
  const settings = smallFire({
    shape: { kind: 'disc', radius: 0.5, thickness: 0.1 },
    source: { centre: [0.2, 0, 0.4], heat: 0, smoke: 0.4, temperature: 300, speed: 0.8, stir: 1.5 },
    // Its face leaves 15 hundredths of a cell, and the box ends within it.
    solids: [GROUND, { kind: 'box', centre: [-0.9, 0.4, -0.2], half: [0.385, 0.4, 0.5], rotation: [0, 0, 0, 1] }],
    wind: [-0.4, 0, 0],
    black: false,
    bounds: { low: [-3, 0, -0.2], high: [3, 2, 2.5] },
  })
  const simulation = new GasSimulation(makeCrew(1), settings, 24)
  const speeds = Array.from({ length: 72 }, () => simulation.advance().fastest)
  expect(Math.max(...speeds)).toBeLessThan(8)
})
