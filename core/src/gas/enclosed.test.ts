import { describe, expect, it } from 'vitest'
import { GROUND, smallFire } from '../../testing/fires.ts'
import { makeCrew, random } from '../base/index.ts'
import type { Solid } from '../data/index.ts'
import { enclosedRegions } from './enclosed.ts'
import { GasSimulation } from './simulate.ts'
import { elementOf, type RowStore, storeOf, wholeStore } from './sparseRows.ts'

const SIZE = [7, 6, 5] as const
const STEPS = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
] as const

/** As enclosedRegions, cell by cell. */
function twin(store: RowStore, flags: Uint8Array, shares: readonly Uint8Array[] | undefined): number[][] {
  const seen = new Set<number>()
  const parts: number[][] = []
  for (let k = 0; k < SIZE[2]; k++)
    for (let j = 0; j < SIZE[1]; j++)
      for (let i = 0; i < SIZE[0]; i++) {
        const first = elementOf(store, i, j, k)
        if (first < 0 || flags[first] !== 1 || seen.has(first)) continue
        let open = false
        const part: number[] = []
        const way = [[i, j, k]]
        seen.add(first)
        for (let at = way.pop(); at; at = way.pop()) {
          const [x = 0, y = 0, z = 0] = at
          const own = elementOf(store, x, y, z)
          part.push(own)
          STEPS.forEach(([a, b, c], axis) => {
            for (const sign of [-1, 1]) {
              const to = elementOf(store, x + sign * a, y + sign * b, z + sign * c)
              if (to < 0) open = true
              if (to < 0 || shares?.[axis]?.[sign < 0 ? own : to] === 0) continue
              if (flags[to] === 2) open = true
              if (flags[to] !== 1 || seen.has(to)) continue
              seen.add(to)
              way.push([x + sign * a, y + sign * b, z + sign * c])
            }
          })
        }
        if (!open) parts.push(part.sort((p, q) => p - q))
      }
  return parts
}

/** Stores what lies about the middle of every row; the first and last columns of some. */
function someStore(next: () => number): RowStore {
  const columns = new Int32Array(2 * (SIZE[1] + 2) * (SIZE[2] + 2))
  for (let row = 0; row < columns.length / 2; row++)
    columns.set(next() < 0.1 ? [0, 0] : [Math.floor(next() * 2), SIZE[0] + 2 - Math.floor(next() * 2)], 2 * row)
  return storeOf(SIZE, columns)
}

describe('what walls shut off', () => {
  it.each([
    ['whole boxes', false, false],
    ['whole boxes with cut walls', false, true],
    ['what is stored of boxes', true, true],
  ])('is found as one finds it cell by cell: %s', (_, packed, cut) => {
    const stream = random(17)
    let found = 0
    for (let n = 0; n < 60; n++) {
      const store = packed ? someStore(stream.next) : wholeStore(SIZE)
      const flags = new Uint8Array(store.cells)
      const [walls, closed] = [0.3 + 0.4 * stream.next(), stream.next() < 0.5]
      for (let k = -1; k <= SIZE[2]; k++)
        for (let j = -1; j <= SIZE[1]; j++)
          for (let i = -1; i <= SIZE[0]; i++) {
            const e = elementOf(store, i, j, k)
            const inside = i >= 0 && j >= 0 && k >= 0 && i < SIZE[0] && j < SIZE[1] && k < SIZE[2]
            if (e >= 0)
              flags[e] = !inside ? (closed ? 0 : 2) : stream.next() < walls ? 0 : packed && stream.next() < 0.02 ? 2 : 1
          }
      const shares = cut
        ? STEPS.map(() => Uint8Array.from({ length: store.cells }, () => (stream.next() < 0.3 ? 0 : 200)))
        : undefined
      const parts = enclosedRegions(store, flags, shares)
        .map((part) => [...part].sort((p, q) => p - q))
        .sort((p, q) => (p[0] ?? 0) - (q[0] ?? 0))
      expect(parts).toEqual(twin(store, flags, shares).sort((p, q) => (p[0] ?? 0) - (q[0] ?? 0)))
      found += parts.length
    }
    expect(found).toBeGreaterThan(50)
  })
  it('is a room in which a fire burns on, and nothing leaves it', () => {
    const wall = (centre: [number, number, number], half: [number, number, number]): Solid => ({
      kind: 'box',
      centre,
      half,
      rotation: [0, 0, 0, 1],
    })
    const room = [
      wall([-1.03, 0.8, 0], [0.15, 0.8, 1.2]),
      wall([1.03, 0.8, 0], [0.15, 0.8, 1.2]),
      wall([0, 0.8, -1.03], [1.2, 0.8, 0.15]),
      wall([0, 0.8, 1.03], [1.2, 0.8, 0.15]),
      wall([0, 1.75, 0], [1.2, 0.15, 1.2]),
    ]
    const simulation = new GasSimulation(makeCrew(1), smallFire({ solids: [GROUND, ...room] }), 24)
    const figures = Array.from({ length: 16 }, () => simulation.advance())
    for (const { divergence } of figures) expect(divergence).toBeLessThan(1e-3)
    expect(figures.at(-1)?.heatKw).toBeGreaterThan(150)
    expect(simulation.fields.system.sealed.length).toBeGreaterThan(0)
    expect(Math.abs(simulation.budget.carriedOut)).toBeLessThan(1e-6 * simulation.budget.burned)
    expect(simulation.budget.sootOut).toBe(0)
  })
})
