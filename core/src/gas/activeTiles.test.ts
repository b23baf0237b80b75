import { beforeAll, describe, expect, it } from 'vitest'
import { smallFire } from '../../testing/fires.ts'
import { unpacked } from '../../testing/rows.ts'
import { makeCrew } from '../base/index.ts'
import { paddedCells, paddedIndex } from '../data/index.ts'
import { tilesIn, workedTiles } from './activeTiles.ts'
import { allocateFields, KEPT_FIELDS, workIn } from './fields.ts'
import { spansOf, WORK_TILE } from './rowTables.ts'
import type { GasSettings } from './settings.ts'
import { GasSimulation, type GasState } from './simulate.ts'
import { elementOf } from './sparseRows.ts'
import { emptyBudget, stepGas } from './step.ts'

const N = 64
const SIZE = [N, N, N] as const
const CELLS = paddedCells(SIZE)
const CELL = 0.05
const BOX = { cell: CELL, origin: [0, 0, 0] as const, size: SIZE }
const WIND = [0.4, 0, 0] as const
const settings: GasSettings = smallFire({
  cell: CELL,
  source: null,
  solids: [],
  wind: WIND,
  confinement: 0.3,
  bounds: { low: [0, 0, 0], high: [N * CELL, N * CELL, N * CELL] },
  mostCells: N ** 3,
})

/** A thin warm plume of smoke that leans from one edge of the box to the other. */
function leaning(): GasState {
  const fields = [
    ...KEPT_FIELDS.map((name) => new Float32Array(CELLS).fill(name === 'u' ? WIND[0] : name === 'density' ? 1 : 0)),
    new Float32Array(CELLS),
  ]
  const [density, soot] = [fields[KEPT_FIELDS.indexOf('density')], fields[KEPT_FIELDS.indexOf('soot')]]
  for (let k = 0; k < N; k++)
    for (let j = 0; j < N; j++)
      for (let i = 0; i < N; i++) {
        if ((i - j) ** 2 + (k - N / 2) ** 2 > 9 || !density || !soot) continue
        density[paddedIndex(SIZE, i, j, k)] = 0.7
        soot[paddedIndex(SIZE, i, j, k)] = 0.01
      }
  return { done: 1, box: BOX, closed: 0, budget: emptyBudget(), fields }
}

describe('the tiles that are worked on', () => {
  it('hold the gas with room round it, and further where it goes', () => {
    const crew = makeCrew(1)
    const still = settings.sceneInputs[0]
    if (!still) throw new Error('a moment is needed')
    const fields = allocateFields(crew, crew.heap.mark(), BOX, settings, still)
    crew.heap.f32(fields.pointers.soot, CELLS)[paddedIndex(SIZE, 20, 20, 20)] = 0.1
    const tiles = (): string[] => {
      const found = workedTiles(crew, fields, settings, [], 0.1)
      return Array.from(found ?? [], (one, n) => (one ? [n % 8, (n >> 3) % 8, n >> 6].join(' ') : '')).filter(
        (name) => name !== '',
      )
    }
    // Six cells round the tile of cells 16 to 23 reach into the next tile on every side.
    expect(tiles()).toHaveLength(27)
    expect(tiles()).toContain('1 1 1')
    // Up by ten cells in that time: two tiles further.
    crew.heap.f32(fields.pointers.v, CELLS)[paddedIndex(SIZE, 20, 20, 20)] = 5
    expect(tiles()).toHaveLength(36)
    expect(tiles()).toContain('2 4 2')
    expect(workedTiles(crew, fields, settings, [{ low: [0, 0, 0], high: [3, 3, 3] }], 0.1)).toBeUndefined()
  })
  it('make spans of a row’s cells, of those with their upper faces, and of two more round these', () => {
    const size = [24, 16, 16] as const
    const active = new Uint8Array(12)
    active[1] = 1
    const { cells, faces, wide, layers } = spansOf(size, active)
    const span = (table: Int32Array, j: number, k: number): number[] => [
      ...table.subarray(2 * ((k + 1) * 18 + j + 1), 2 * ((k + 1) * 18 + j + 1) + 2),
    ]
    expect(span(cells, 3, 3)).toEqual([8, 16])
    expect(span(cells, 8, 3)).toEqual([0, 0])
    expect(span(faces, 3, 3)).toEqual([8, 20])
    expect(span(faces, 8, 3)).toEqual([8, 20])
    expect(span(faces, 8, 8)).toEqual([0, 0])
    // Over the last faces' row too there are two.
    expect(span(wide, 10, 10)).toEqual([7, 23])
    expect(span(wide, 11, 0)).toEqual([0, 0])
    expect([...layers.subarray(8, 10)]).toEqual([0, 12])
    expect([...layers.subarray(26, 28)]).toEqual([0, 0])
  })
  it('are found again in another box on the lattice, from a row’s first to its last', () => {
    const active = new Uint8Array(27)
    active[0] = 1
    active[2] = 1
    const box = { cell: 1, origin: [0, 0, 0] as const, size: [24, 24, 24] as const }
    const there = (origin: readonly [number, number, number], size: readonly [number, number, number]): number[] =>
      [...(tilesIn({ box, active }, { cell: 1, origin, size }) ?? [])].flatMap((one, n) => (one ? [n] : []))
    expect(there([0, 0, 0], [24, 24, 24])).toEqual([0, 1, 2])
    expect(there([-8, 0, 0], [32, 16, 16])).toEqual([1, 2, 3])
    // Off by four cells it lies in two tiles along each axis.
    expect(there([-4, -4, -4], [32, 32, 32])).toEqual(
      [0, 1, 2, 3].flatMap((x) => [x, x + 4, x + 16, x + 20]).sort((a, b) => a - b),
    )
    expect(tilesIn({ box, active }, { cell: 1, origin: [8, 0, 0], size: [8, 8, 8] })).toBeUndefined()
  })
})

describe('a run that is worked on in tiles', () => {
  const crew = makeCrew(1)
  let simulation: GasSimulation
  beforeAll(() => {
    simulation = new GasSimulation(crew, settings, 24, leaning())
    for (let n = 0; n < 3; n++) simulation.advance()
  })
  it('computes a share of its box, and leaves the air outside as it was', () => {
    const { active, box, pointers, store } = simulation.fields
    const worked = (active?.reduce((sum, one) => sum + one, 0) ?? 0) * WORK_TILE ** 3
    expect(worked).toBeGreaterThan(0)
    expect(worked).toBeLessThan((box.size[0] * box.size[1] * box.size[2]) / 2)
    const tiles = box.size.map((n) => n / WORK_TILE) as [number, number, number]
    const views = (['u', 'v', 'w', 'density', 'soot'] as const).map((name) =>
      crew.heap.f32(pointers[name], store.cells),
    )
    const still = [Math.fround(WIND[0]), 0, 0, 1, 0]
    let [outside, beside, moved] = [0, 0, 0]
    for (let k = 0; k < box.size[2]; k++)
      for (let j = 0; j < box.size[1]; j++)
        for (let i = 0; i < box.size[0]; i++) {
          // Away from the faces of what is worked on.
          const [a, b, c] = [i, j, k].map((n) => [
            Math.floor(n / WORK_TILE),
            Math.floor(Math.max(0, n - 4) / WORK_TILE),
          ]) as [number[], number[], number[]]
          if (a.some((x) => b.some((y) => c.some((z) => active?.[(z * tiles[1] + y) * tiles[0] + x])))) continue
          const e = elementOf(store, i, j, k)
          outside++
          if (e < 0) continue
          beside++
          if (views.some((view, n) => view[e] !== still[n])) moved++
        }
    expect(outside).toBeGreaterThan(10_000)
    expect(beside).toBeGreaterThan(100)
    expect(moved).toBe(0)
  })
  it('lets no flow build up between cells of open air, which no pressure would hold', () => {
    const { box, pointers, flags, store } = simulation.fields
    const kinds = crew.heap.u8(flags, store.cells)
    let [between, moved] = [0, 0]
    for (const [axis, name] of (['u', 'v', 'w'] as const).entries()) {
      const view = crew.heap.f32(pointers[name], store.cells)
      for (let k = 1; k < box.size[2]; k++)
        for (let j = 1; j < box.size[1]; j++)
          for (let i = 1; i < box.size[0]; i++) {
            const [e, before] = [
              elementOf(store, i, j, k),
              elementOf(store, i - (axis === 0 ? 1 : 0), j - (axis === 1 ? 1 : 0), k - (axis === 2 ? 1 : 0)),
            ]
            if (kinds[e] !== 2 || kinds[before] !== 2) continue
            between++
            if (view[e] !== Math.fround(WIND[axis] ?? 0)) moved++
          }
    }
    expect(between).toBeGreaterThan(5000)
    expect(moved).toBe(0)
  })
  it('goes on from its state bit for bit', () => {
    const state = simulation.state()
    const other = new GasSimulation(makeCrew(1), settings, 24, {
      ...state,
      fields: state.fields.map((field) => field.slice()),
    })
    expect(other.fields.active).toEqual(simulation.fields.active)
    const [mine, its] = [simulation.advance(), other.advance()]
    expect(its).toEqual(mine)
    const bytes = (one: GasSimulation): Buffer[] =>
      one.state().fields.map((field) => Buffer.from(field.buffer, field.byteOffset, field.byteLength))
    const after = bytes(simulation)
    expect(bytes(other).map((field, n) => field.equals(after[n] ?? Buffer.alloc(0)))).toEqual(after.map(() => true))
  })
  it('moves as the whole box does, all but the breath of air far from it', () => {
    const state = leaning()
    const speeds = [true, false].map((tiled) => {
      const own = makeCrew(1)
      const still = settings.sceneInputs[0]
      if (!still) throw new Error('a moment is needed')
      const fields = allocateFields(own, own.heap.mark(), BOX, settings, still)
      KEPT_FIELDS.forEach((name, n) => own.heap.f32(fields.pointers[name], CELLS).set(state.fields[n] ?? []))
      if (tiled) workIn(own, fields, settings, still, workedTiles(own, fields, settings, [], 1 / 24))
      expect(fields.active !== undefined).toBe(tiled)
      for (let n = 0; n < 6; n++)
        expect(
          stepGas(own, fields, settings, { before: still, now: still }, [], emptyBudget(), 0.02, 0).divergence,
        ).toBeLessThan(1e-3)
      return unpacked(fields.store, own.heap.f32(fields.pointers.v, fields.store.cells).slice(), 0)
    })
    let [off, all] = [0, 0]
    for (let k = 0; k < N; k++)
      for (let j = 8; j < N - 8; j++)
        for (let i = 0; i < N; i++) {
          if ((i - j) ** 2 + (k - N / 2) ** 2 > 36) continue
          const e = paddedIndex(SIZE, i, j, k)
          off += ((speeds[0]?.[e] ?? 0) - (speeds[1]?.[e] ?? 0)) ** 2
          all += (speeds[1]?.[e] ?? 0) ** 2
        }
    expect(Math.sqrt(all)).toBeGreaterThan(1)
    expect(Math.sqrt(off / all)).toBeLessThan(0.05)
  })
})
