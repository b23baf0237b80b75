import type { GasSettings } from '../src/gas/index.ts'

/** A small fire on the ground, coarse enough to burn in a blink. */
export const smallFire = (over: Partial<GasSettings> = {}): GasSettings => ({
  cell: 0.1,
  sources: [{ shape: { kind: 'disc', radius: 0.4, thickness: 0.06 }, centre: [0, 0, 0], heat: 200e3, smoke: 0, temperature: 400, speed: 0.25, stir: 0.5 }],
  solids: [{ kind: 'halfspace', point: [0, 0, 0], normal: [0, 1, 0] }],
  ambient: 293, wind: [0, 0, 0], sootYield: 0.02, burnTime: 0.25, radiant: 0.35, confinement: 0.3, courant: 0.75,
  bounds: { low: [-3, 0, -3], high: [3, 5, 3] }, mostCells: 1e6, seed: 1, ...over,
})
