import { describe, expect, it } from 'vitest'
import { smallFire } from '../../testing/fires.ts'
import { unpacked } from '../../testing/rows.ts'
import { type Crew, makeCrew } from '../base/index.ts'
import { type CellBox, paddedCells, paddedIndex, type Solid } from '../data/index.ts'
import { stopAtWalls } from './faces.ts'
import { allocateFields, moveFields, takeFields, workIn } from './fields.ts'
import { storeFor, storeRound } from './rowTables.ts'
import type { SceneInputs } from './settings.ts'
import { elementAt, elementOf } from './sparseRows.ts'
import { isSolid, putFlags, putShares, wallsOf } from './walls.ts'

const SIZE = [24, 16, 16] as const
const CELLS = paddedCells(SIZE)
/** Two tiles that touch at an edge, away from most sides. */
const active = new Uint8Array(12)
active[0] = 1
active[4] = 1

describe('walls that are kept small', () => {
  const box: CellBox = { cell: 0.1, origin: [0, 0, 0], size: SIZE }
  const ball: Solid = { kind: 'ball', centre: [0.7, 0.6, 0.5], radius: 0.33 }
  it('are written where something is stored as they are into a whole box', () => {
    const crew = makeCrew(1)
    const settings = smallFire({ solids: [ball], source: null })
    const [still] = settings.sceneInputs
    if (!still) throw new Error('a moment is needed')
    const whole = allocateFields(crew, crew.heap.mark(), box, settings, still)
    const walls = wallsOf(box, [ball], 0, true, [SIZE])
    const store = storeFor(SIZE, active)
    const flags = new Uint8Array(store.cells)
    putFlags(flags, store, walls.solid[0] ?? new Uint8Array(), whole.closed, () => true)
    const shares = [0, 1, 2].map(() => new Uint8Array(store.cells))
    putShares(shares, store, walls)
    const expected = [whole.flags, ...(whole.open ?? [])].map((at) => crew.heap.u8(at, CELLS))
    let [solid, part] = [0, 0]
    for (let index = 0; index < CELLS; index++) {
      const e = elementAt(store, index)
      if (e < 0) continue
      ;[flags, ...shares].forEach((field, n) => expect(field[e]).toBe(expected[n]?.[index]))
      if (flags[e] === 0) solid++
      if ((shares[1]?.[e] ?? 0) > 0 && (shares[1]?.[e] ?? 0) < 255) part++
    }
    expect(solid).toBeGreaterThan(30)
    expect(part).toBeGreaterThan(10)
  })
  it('of a coarser level are where all that it is made of is', () => {
    const { solid } = wallsOf(box, [ball], 0, false, [SIZE, [12, 8, 8]])
    const cells = (bits: Uint8Array | undefined, of: readonly [number, number, number]): number => {
      let sum = 0
      for (let k = 0; k < of[2]; k++)
        for (let j = 0; j < of[1]; j++)
          for (let i = 0; i < of[0]; i++) if (bits && isSolid(bits, paddedIndex(of, i, j, k))) sum++
      return sum
    }
    const coarse = cells(solid[1], [12, 8, 8])
    expect(coarse).toBeGreaterThan(5)
    expect(8 * coarse).toBeLessThan(cells(solid[0], SIZE))
  })
})

describe('fields that are moved', () => {
  const box: CellBox = { cell: 0.1, origin: [0, 0, 0], size: SIZE }
  const settings = smallFire({ source: null, solids: [], wind: [0.5, 0, 0] })
  const still: SceneInputs = { sources: [], forces: [], wind: [0.5, 0, 0], solids: [] }
  const laid = (crew: Crew) => {
    const fields = allocateFields(crew, crew.heap.mark(), box, settings, still, 0, active)
    Object.values(fields.pointers).forEach((at, n) =>
      crew.heap.f32(at, fields.store.cells).forEach((_, e, all) => (all[e] = 1000 * n + e)),
    )
    // Kept fields need not lie in order.
    ;[fields.scratch[0], fields.pointers.fuel] = [fields.pointers.fuel, fields.scratch[0] ?? 0]
    crew.heap.f32(fields.pointers.fuel, fields.store.cells).forEach((_, e, all) => (all[e] = -e))
    return fields
  }
  const more = active.map((one, n) => (n === 8 ? 1 : one))
  const less = active.map((one, n) => (n === 4 ? 0 : one))
  it.each([
    ['more', more],
    ['fewer', less],
    ['all', undefined],
  ] as const)('to %s tiles keep all that both hold, in place', (_, to) => {
    const crew = makeCrew(1)
    const fields = laid(crew)
    const before = takeFields(crew, fields).map((field) => unpacked(fields.store, field, Number.NaN))
    const free = crew.heap.used()
    workIn(crew, fields, settings, still, to)
    const after = takeFields(crew, fields).map((field) => unpacked(fields.store, field, Number.NaN))
    let [kept, fresh] = [0, 0]
    after.forEach((field, n) =>
      field.forEach((value, index) => {
        if (Number.isNaN(value)) return
        const was = before[n]?.[index] ?? 0
        if (Number.isNaN(was)) {
          fresh++
          expect(value).toBe(n === 0 ? 0.5 : n === 3 ? 1 : 0)
        } else {
          kept++
          if (value !== was) expect(value).toBe(was)
        }
      }),
    )
    expect(kept).toBeGreaterThan(9 * 500)
    expect(fresh > 0).toBe(to !== less)
    expect(fields.scratch.every((at) => crew.heap.f32(at, fields.store.cells).every((value) => value === 0))).toBe(true)
    if (to === less) expect(crew.heap.used()).toBeLessThan(free)
  })
  it('to another box keep what both hold, and go on being stored in part', () => {
    const crew = makeCrew(1)
    const fields = laid(crew)
    const [u] = takeFields(crew, fields)
    const old = fields.store
    const next = moveFields(
      crew,
      fields.mark,
      fields,
      { cell: 0.1, origin: [-16, 0, 0], size: [40, 16, 16] },
      settings,
      still,
    )
    stopAtWalls(crew, next)
    expect(next.store.rows).toBeDefined()
    const moved = crew.heap.f32(next.pointers.u, next.store.cells)
    for (const [i, j, k] of [
      [0, 0, 0],
      [7, 7, 7],
      [12, 3, 5],
      [3, 12, 2],
    ] as const) {
      const e = elementOf(old, i, j, k)
      if (e >= 0) expect(moved[elementOf(next.store, i + 16, j, k)]).toBe(u?.[e])
    }
    expect(elementOf(next.store, 0, 0, 0)).toBe(-1)
  })
})

it('a coarser level stores two cells more round its own', () => {
  const cells = new Int32Array(2 * 18 * 18)
  cells.set([8, 16], 2 * (9 * 18 + 9))
  const store = storeRound(SIZE, cells)
  expect(
    [elementOf(store, 6, 8, 8), elementOf(store, 17, 8, 8), elementOf(store, 10, 6, 10)].every((e) => e >= 0),
  ).toBe(true)
  expect([elementOf(store, 5, 8, 8), elementOf(store, 18, 8, 8), elementOf(store, 10, 5, 8)]).toEqual([-1, -1, -1])
})
