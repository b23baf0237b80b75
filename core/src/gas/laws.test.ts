import { describe, expect, it } from 'vitest'
import { smallFire } from '../../testing/fires.ts'
import { makeCrew } from '../base/index.ts'
import { paddedIndex } from '../data/index.ts'
import { GasSimulation } from './simulate.ts'

// Laws that hold for any gas, whatever its method: what is as large as another goes as its speeds say, left is as right.

/** Warm air that rises from a disc in still air, `size` times as large as the first. */
const puff = (size: number) =>
  smallFire({
    cell: 0.1 * size,
    shape: { kind: 'disc', radius: 0.4 * size, thickness: 0.1 * size },
    source: { heat: 0, smoke: 0.004 * size ** 2.5, temperature: 420, speed: 0.5 * Math.sqrt(size), stir: 0 },
    black: false,
    confinement: 0,
    bounds: { low: [-2 * size, 0, -2 * size], high: [2 * size, 4 * size, 2 * size] },
  })

it('is alike at every size, its speeds with the root of it (Froude’s law)', () => {
  // Four times as large, half as quick: its frames are twice as long.
  const [small, large] = [new GasSimulation(makeCrew(1), puff(1), 24), new GasSimulation(makeCrew(1), puff(4), 12)]
  let [a, b] = [small.advance(), large.advance()]
  for (let n = 1; n < 30; n++) [a, b] = [small.advance(), large.advance()]
  expect(large.box.size).toEqual(small.box.size)
  expect(a.fastest).toBeGreaterThan(1)
  expect(b.fastest / a.fastest).toBeCloseTo(2, 1)
  const fieldsOf = (one: GasSimulation): Float32Array[] => one.state().fields
  const [density, same] = [fieldsOf(small)[3], fieldsOf(large)[3]] as [Float32Array, Float32Array]
  let [apart, whole] = [0, 0]
  density.forEach((value, n) => {
    apart += Math.abs(value - (same[n] ?? 0))
    whole += Math.abs(value - 1)
  })
  expect(whole).toBeGreaterThan(20)
  expect(apart / whole).toBeLessThan(0.02)
})

describe('an even fire in still air', () => {
  const fire = new GasSimulation(
    makeCrew(1),
    smallFire({ source: { stir: 0 }, bounds: { low: [-2, 0, -2], high: [2, 4, 2] } }),
    24,
  )
  for (let n = 0; n < 14; n++) fire.advance()
  const { box } = fire
  const density = fire.state().fields[3] ?? new Float32Array()
  const at = (i: number, j: number, k: number): number =>
    density[paddedIndex(box.size, i - box.origin[0], j - box.origin[1], k - box.origin[2])] ?? 0

  it('is the same to the left as to the right, in front as behind', () => {
    let [apart, thin] = [0, 0]
    for (let j = 0; j < box.size[1]; j++)
      for (let k = -10; k < 10; k++)
        for (let i = 0; i < 10; i++) {
          thin = Math.max(thin, 1 - at(i, j, k))
          // Sweeps go axis by axis, in turns, so that x and z differ in the last places.
          apart = Math.max(apart, Math.abs(at(i, j, k) - at(-1 - i, j, k)), Math.abs(at(k, j, i) - at(k, j, -1 - i)))
        }
    expect(thin).toBeGreaterThan(0.5)
    expect(apart).toBeLessThan(0.02)
  })
})
