import { beforeAll, describe, expect, it } from 'vitest'
import { smallFire } from '../../testing/fires.ts'
import { makeCrew } from '../base/index.ts'
import { paddedCells, paddedIndex } from '../data/index.ts'
import { KEPT_FIELDS, layFields, workIn } from './fields.ts'
import type { GasSettings } from './settings.ts'
import { type GasState, GasSimulation } from './simulate.ts'
import { openOutside, spanRoom, WORK_TILE, workedTiles, writeSpans } from './spans.ts'
import { emptyBudget, stepGas } from './step.ts'

const N = 64
const SIZE = [N, N, N] as const
const CELLS = paddedCells(SIZE)
const CELL = 0.05
const BOX = { cell: CELL, origin: [0, 0, 0] as const, size: SIZE }
const WIND = [0.4, 0, 0] as const
const settings: GasSettings = smallFire({ cell: CELL, source: null, solids: [], wind: WIND, confinement: 0.3, bounds: { low: [0, 0, 0], high: [N * CELL, N * CELL, N * CELL] }, mostCells: N ** 3 })

/** A thin warm plume of smoke that leans from one edge of the box to the other. */
function leaning(): GasState {
  const fields = [...KEPT_FIELDS.map((name) => new Float32Array(CELLS).fill(name === 'u' ? WIND[0] : name === 'density' ? 1 : 0)), new Float32Array(CELLS)]
  const [density, soot] = [fields[KEPT_FIELDS.indexOf('density')], fields[KEPT_FIELDS.indexOf('soot')]]
  for (let k = 0; k < N; k++) for (let j = 0; j < N; j++) for (let i = 0; i < N; i++) {
    if ((i - j) ** 2 + (k - N / 2) ** 2 > 9 || !density || !soot) continue
    density[paddedIndex(SIZE, i, j, k)] = 0.7
    soot[paddedIndex(SIZE, i, j, k)] = 0.01
  }
  return { done: 1, box: BOX, closed: 0, budget: emptyBudget(), fields }
}

describe('the tiles that are worked on', () => {
  it('hold the gas with room round it, and further where it goes', () => {
    const crew = makeCrew(1)
    const still = settings.moments[0]
    if (!still) throw new Error('a moment is needed')
    const fields = layFields(crew, crew.heap.mark(), BOX, settings, still)
    crew.heap.f32(fields.pointers.soot, CELLS)[paddedIndex(SIZE, 20, 20, 20)] = 0.1
    const tiles = (): string[] => {
      const found = workedTiles(crew, fields, settings, [], 0.1)
      return Array.from(found ?? [], (one, n) => (one ? [n % 8, (n >> 3) % 8, n >> 6].join(' ') : '')).filter((name) => name !== '')
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
  it('make spans of a row’s cells, of those with their upper faces, and two more on every side', () => {
    const crew = makeCrew(1)
    const size = [24, 16, 16] as const
    const rows = 18 * 18
    const room = spanRoom(crew, rows, 18)
    const active = new Uint8Array(12)
    active[1] = 1
    writeSpans(crew, size, active, room)
    const span = (table: number, j: number, k: number): number[] => [...crew.heap.i32(table, 2 * rows).subarray(2 * ((k + 1) * 18 + j + 1), 2 * ((k + 1) * 18 + j + 1) + 2)]
    expect(span(room.cells, 3, 3)).toEqual([8, 16])
    expect(span(room.cells, 8, 3)).toEqual([0, 0])
    expect(span(room.faces, 3, 3)).toEqual([8, 20])
    expect(span(room.faces, 8, 3)).toEqual([8, 20])
    expect(span(room.faces, 8, 8)).toEqual([0, 0])
    expect(span(room.wide, 9, 9)).toEqual([7, 23])
    expect(span(room.wide, 10, 0)).toEqual([0, 0])
    const rowsOf = (layer: number): number[] => [...crew.heap.i32(room.wide + 8 * rows, 36).subarray(2 * layer, 2 * layer + 2)]
    expect(rowsOf(4)).toEqual([0, 11])
    expect(rowsOf(12)).toEqual([0, 0])
    const flags = new Uint8Array(paddedCells(size)).fill(1)
    flags[paddedIndex(size, 2, 2, 2)] = 0
    openOutside(flags, size, active)
    expect([flags[paddedIndex(size, 8, 0, 0)], flags[paddedIndex(size, 7, 0, 0)], flags[paddedIndex(size, 2, 2, 2)]]).toEqual([1, 2, 0])
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
    const { active, box, pointers } = simulation.fields
    const worked = (active?.reduce((sum, one) => sum + one, 0) ?? 0) * WORK_TILE ** 3
    expect(worked).toBeGreaterThan(0)
    expect(worked).toBeLessThan((box.size[0] * box.size[1] * box.size[2]) / 2)
    const tiles = box.size.map((n) => n / WORK_TILE) as [number, number, number]
    const views = (['u', 'v', 'w', 'density', 'soot'] as const).map((name) => crew.heap.f32(pointers[name], paddedCells(box.size)))
    const still = [Math.fround(WIND[0]), 0, 0, 1, 0]
    let [outside, moved] = [0, 0]
    for (let k = 0; k < box.size[2]; k++) for (let j = 0; j < box.size[1]; j++) for (let i = 0; i < box.size[0]; i++) {
      // Away from the faces of what is worked on.
      const [a, b, c] = [i, j, k].map((n) => [Math.floor(n / WORK_TILE), Math.floor(Math.max(0, n - 4) / WORK_TILE)]) as [number[], number[], number[]]
      if (a.some((x) => b.some((y) => c.some((z) => active?.[(z * tiles[1] + y) * tiles[0] + x])))) continue
      const e = paddedIndex(box.size, i, j, k)
      if (views.some((view, n) => view[e] !== still[n])) moved++
      outside++
    }
    expect(outside).toBeGreaterThan(10_000)
    expect(moved).toBe(0)
  })
  it('lets no flow build up between cells of open air, which no pressure would hold', () => {
    const { box, pointers, flags } = simulation.fields
    const count = paddedCells(box.size)
    const kinds = crew.heap.u8(flags, count)
    const strides = [1, box.size[0] + 2, (box.size[0] + 2) * (box.size[1] + 2)]
    let [between, moved] = [0, 0]
    for (const [axis, name] of (['u', 'v', 'w'] as const).entries()) {
      const view = crew.heap.f32(pointers[name], count)
      for (let k = 1; k < box.size[2]; k++) for (let j = 1; j < box.size[1]; j++) for (let i = 1; i < box.size[0]; i++) {
        const e = paddedIndex(box.size, i, j, k)
        if (kinds[e] !== 2 || kinds[e - (strides[axis] ?? 1)] !== 2) continue
        between++
        if (view[e] !== Math.fround(WIND[axis] ?? 0)) moved++
      }
    }
    expect(between).toBeGreaterThan(10_000)
    expect(moved).toBe(0)
  })
  it('goes on from its state bit for bit', () => {
    const state = simulation.state()
    const other = new GasSimulation(makeCrew(1), settings, 24, { ...state, fields: state.fields.map((field) => field.slice()) })
    expect(other.fields.active).toEqual(simulation.fields.active)
    const [mine, its] = [simulation.advance(), other.advance()]
    expect(its).toEqual(mine)
    expect(other.state().fields).toEqual(simulation.state().fields)
  })
  it('moves as the whole box does, all but the breath of air far from it', () => {
    const state = leaning()
    const speeds = [true, false].map((tiled) => {
      const own = makeCrew(1)
      const still = settings.moments[0]
      if (!still) throw new Error('a moment is needed')
      const fields = layFields(own, own.heap.mark(), BOX, settings, still)
      KEPT_FIELDS.forEach((name, n) => own.heap.f32(fields.pointers[name], CELLS).set(state.fields[n] ?? []))
      if (tiled) workIn(own, fields, workedTiles(own, fields, settings, [], 1 / 24))
      expect(fields.active !== undefined).toBe(tiled)
      for (let n = 0; n < 6; n++) expect(stepGas(own, fields, settings, { before: still, now: still }, [], emptyBudget(), 0.02, 0).divergence).toBeLessThan(1e-3)
      return own.heap.f32(fields.pointers.v, CELLS).slice()
    })
    let [off, all] = [0, 0]
    for (let k = 0; k < N; k++) for (let j = 8; j < N - 8; j++) for (let i = 0; i < N; i++) {
      if ((i - j) ** 2 + (k - N / 2) ** 2 > 36) continue
      const e = paddedIndex(SIZE, i, j, k)
      off += ((speeds[0]?.[e] ?? 0) - (speeds[1]?.[e] ?? 0)) ** 2
      all += (speeds[1]?.[e] ?? 0) ** 2
    }
    expect(Math.sqrt(all)).toBeGreaterThan(1)
    expect(Math.sqrt(off / all)).toBeLessThan(0.05)
  })
})
