import { describe, expect, it } from 'vitest'
import { smallFire, smallSource } from '../../testing/fires.ts'
import { type Crew, makeCrew } from '../base/index.ts'
import type { Solid } from '../data/index.ts'
import { type CellBox, halfTable, paddedCells, paddedIndex, TILE } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'
import { encodeFrame } from './encodeFrame.ts'
import { allocateFields, moveFields, takeFields } from './fields.ts'
import { AIR_DENSITY, type GasSettings, type SceneInputs, type SourceInputs, type SourceShape } from './settings.ts'
import { feed, sourceCells } from './sources.ts'

const box: CellBox = { cell: 0.1, origin: [-8, 0, -8], size: [16, 16, 16] }
const air = smallFire({ ambient: 290, source: null, solids: [] })
const still = (wind: Vec3 = [0, 0, 0], solids: readonly Solid[] = []): SceneInputs => ({
  sources: [],
  forces: [],
  wind,
  solids,
})
const lay = (crew: Crew, moment = still()) => allocateFields(crew, crew.heap.mark(), box, air, moment)
const source = (over: Partial<SourceInputs> = {}, shape: SourceShape = { kind: 'ball', radius: 0.4 }): GasSettings =>
  smallFire({
    solids: [],
    shape,
    source: smallSource({
      centre: [0, 0.8, 0],
      heat: 100e3,
      smoke: 0.001,
      temperature: 800,
      speed: 0,
      stir: 0,
      ...over,
    }),
  })
const sceneInputsAt = ({ sceneInputs }: GasSettings): SceneInputs => sceneInputs[0] ?? still()

describe('the fields of a gas', () => {
  it('begin as still air, or as the wind, stopped inside solids', () => {
    const crew = makeCrew(1)
    const fields = lay(crew, still([2, 0, 0], [{ kind: 'halfspace', point: [0, 0.4, 0], normal: [0, 1, 0] }]))
    const [u, v, , density] = takeFields(crew, fields)
    expect(density?.every((value) => value === 1)).toBe(true)
    expect(u?.[paddedIndex(box.size, 8, 2, 8)]).toBe(0)
    expect(u?.[paddedIndex(box.size, 8, 9, 8)]).toBe(2)
    expect(v?.every((speed) => speed === 0)).toBe(true)
    // The whole underside lies in the ground, so that side is closed; the others are open.
    expect(fields.closed).toBe(4)
  })
  it('keep every shared cell and face when the box moves, grows and shrinks', () => {
    const crew = makeCrew(1)
    const mark = crew.heap.mark()
    const before = allocateFields(crew, mark, box, air, still())
    const names = ['u', 'v', 'w', 'density', 'fuel', 'soot', 'burnt', 'pressure'] as const
    names.forEach((name, f) => {
      const view = crew.heap.f32(before.pointers[name], paddedCells(box.size))
      for (let k = 0; k <= 16; k++)
        for (let j = 0; j <= 16; j++)
          for (let i = 0; i <= 16; i++) view[paddedIndex(box.size, i, j, k)] = 1000 * f + i + 20 * j + 400 * k
    })
    const bigger: CellBox = { cell: 0.1, origin: [-16, 0, -8], size: [32, 24, 16] }
    const moved = moveFields(crew, mark, before, bigger, air, still())
    names.forEach((name, f) => {
      const view = crew.heap.f32(moved.pointers[name], paddedCells(bigger.size))
      for (const [i, j, k] of [
        [0, 0, 0],
        [15, 15, 15],
        [7, 3, 11],
      ] as const)
        expect(view[paddedIndex(bigger.size, i + 8, j, k)]).toBe(1000 * f + i + 20 * j + 400 * k)
    })
    expect(crew.heap.f32(moved.pointers.u, paddedCells(bigger.size))[paddedIndex(bigger.size, 24, 5, 5)]).toBe(
      16 + 100 + 2000,
    )
    expect(crew.heap.f32(moved.pointers.density, paddedCells(bigger.size))[paddedIndex(bigger.size, 2, 20, 3)]).toBe(1)
  })
})

describe('a source', () => {
  it.each([
    ['ball', source(), (4 / 3) * Math.PI * 0.4 ** 3],
    ['box', source({}, { kind: 'box', half: [0.3, 0.2, 0.4] }), 0.6 * 0.4 * 0.8],
    ['disc', source({}, { kind: 'disc', radius: 0.5, thickness: 0.2 }), Math.PI * 0.25 * 0.2],
  ] as const)('fills the volume of its %s', (_, one, volume) => {
    const crew = makeCrew(1)
    const fields = lay(crew)
    expect(sourceCells(crew, fields, one, 0, sceneInputsAt(one)).volume / volume).toBeCloseTo(1, 1)
  })
  it('thinner than a cell still has one layer, and gives all its heat', () => {
    const crew = makeCrew(1)
    const fields = lay(crew)
    const disc = source({ centre: [0, 0, 0] }, { kind: 'disc', radius: 0.3, thickness: 0.001 })
    const cells = sourceCells(crew, fields, disc, 0, sceneInputsAt(disc))
    expect(cells.elements.length).toBeGreaterThan(20)
    const input = feed(
      crew,
      fields,
      disc,
      sceneInputsAt(disc).sources[0] ?? smallSource(),
      false,
      cells,
      [0, 0, 0],
      0.01,
      0,
      0,
    )
    expect(input.fuel * 44.6e6).toBeCloseTo(100e3 * 0.01, 3)
    expect(input.soot).toBeCloseTo(0.001 * 0.01, 9)
  })
  it('inside a wall gives nothing', () => {
    const crew = makeCrew(1)
    const fields = lay(crew, still([0, 0, 0], [{ kind: 'ball', centre: [0, 0.8, 0], radius: 0.7 }]))
    const one = source()
    const cells = sourceCells(crew, fields, one, 0, sceneInputsAt(one))
    expect(cells.volume).toBe(0)
    expect(feed(crew, fields, one, smallSource(), false, cells, [0, 0, 0], 0.01, 0, 0)).toEqual({
      fuel: 0,
      soot: 0,
      theta: 0,
      growth: 0,
    })
  })
})

describe('a kept frame', () => {
  it('holds only tiles that hold something, in its units, to half precision', () => {
    const crew = makeCrew(1)
    const fields = lay(crew)
    const at = paddedIndex(box.size, 9, 10, 3)
    crew.heap.f32(fields.pointers.soot, paddedCells(box.size))[at] = 0.002 / AIR_DENSITY
    crew.heap.f32(fields.pointers.density, paddedCells(box.size))[at] = 290 / 1290
    crew.heap.f32(fields.pointers.v, paddedCells(box.size))[at] = 3
    const frame = encodeFrame(crew, fields, smallFire({ ambient: 290 }))
    expect([...frame.tiles]).toEqual([3])
    const inTile = (3 * TILE + 2) * TILE + 1
    const value = (channel: number): number => halfTable()[frame.channels[channel]?.[inTile] ?? 0] ?? 0
    expect(value(0)).toBeCloseTo(2, 3)
    expect(value(1)).toBeCloseTo(1000, 0)
    expect(value(4)).toBe(1.5)
  })
  it('is empty where nothing is worth keeping', () => {
    const crew = makeCrew(1)
    expect(encodeFrame(crew, lay(crew), smallFire({ ambient: 290 })).tiles).toHaveLength(0)
  })
})
