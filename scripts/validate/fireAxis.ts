import type { Crew } from '../../core/src/base/index.ts'
import { elementOf, type GasSimulation } from '../../core/src/gas/index.ts'
import { type Row, within } from './row.ts'

const mean = (values: readonly number[]): number => values.reduce((sum, v) => sum + v, 0) / Math.max(1, values.length)

/** Mean velocity and rise of temperature on the axis, by height in cells. */
export class AxisMeans {
  readonly #sums = new Map<number, { speed: number; rise: number; count: number }>()
  heat = 0
  radiated = 0
  frames = 0
  cell = 1
  add(crew: Crew, simulation: GasSimulation, ambient: number): void {
    const { box, pointers, store } = simulation.fields
    const [v, density] = [crew.heap.f32(pointers.v, store.cells), crew.heap.f32(pointers.density, store.cells)]
    this.cell = box.cell
    this.frames++
    for (let j = 0; j < box.size[1]; j++) {
      const sum = this.#sums.get(j + box.origin[1]) ?? { speed: 0, rise: 0, count: 0 }
      this.#sums.set(j + box.origin[1], sum)
      for (const [a, c] of [
        [0, 0],
        [-1, 0],
        [0, -1],
        [-1, -1],
      ] as const) {
        const e = elementOf(store, a - box.origin[0], j, c - box.origin[2])
        sum.speed += v[e] ?? 0
        sum.rise += ambient / (density[e] || 1) - ambient
        sum.count++
      }
    }
  }
  /** Means over heights from low to high, m: of measured over told. */
  over(low: number, high: number, told: (z: number) => number, what: 'speed' | 'rise'): number {
    const ratios: number[] = []
    for (const [j, sum] of this.#sums) {
      const z = (j + 0.5) * this.cell
      if (z >= low && z <= high && sum.count >= 4 * this.frames) ratios.push(sum[what] / sum.count / told(z))
    }
    return mean(ratios)
  }
}

/** McCaffrey 1979: axis speed (m/s) and rise (K) by height (m) and heat (kW), and the heights at which his regions end. */
function mcCaffrey(kw: number): { speed(z: number): number; rise(z: number): number; flame: number; plume: number } {
  const q = kw ** 0.4
  const region = (z: number): readonly [number, number] =>
    z / q < 0.08 ? [6.8, 1 / 2] : z / q < 0.2 ? [1.9, 0] : [1.1, -1 / 3]
  return {
    speed: (z) => region(z)[0] * (z / q) ** region(z)[1] * kw ** 0.2,
    rise: (z) => (region(z)[0] / (0.9 * Math.sqrt(2 * 9.81))) ** 2 * (z / q) ** (2 * region(z)[1] - 1) * 288,
    flame: 0.08 * q,
    plume: 0.2 * q,
  }
}

export function axisRows(name: string, axis: AxisMeans): Row[] {
  const kw = axis.heat / axis.frames
  const law = mcCaffrey(kw)
  const rows: Row[] = []
  for (const [region, low, high] of [
    ['flame', 0.02 * kw ** 0.4, law.flame],
    ['intermittent', law.flame, law.plume],
    ['plume', law.plume, 1.5 * law.plume],
  ] as const)
    for (const what of ['speed', 'rise'] as const) {
      const ratio = axis.over(low, high, law[what], what)
      rows.push(
        within(
          `${name}, mean ${what === 'speed' ? 'speed' : 'rise of temperature'} on the axis over the law’s, ${region} region`,
          'McCaffrey 1979 (NBSIR 79-1910)',
          1,
          ratio,
          0.3,
        ),
      )
    }
  return rows
}
