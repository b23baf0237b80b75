import { describe, expect, it } from 'vitest'
import { smallFire } from '../../testing/fires.ts'
import { flowsWrong } from '../../testing/flow.ts'
import { makeCrew, random } from '../base/index.ts'
import { type CellBox, distanceTo, paddedCells, paddedIndex, type Solid } from '../data/index.ts'
import { aboutAxis } from '../math/index.ts'
import { stopAtWalls } from './faces.ts'
import { allocateFields, moveWalls } from './fields.ts'
import { buildPressure, flagGhosts } from './multigrid.ts'
import { solvePressure } from './pressure.ts'
import { projectVelocity } from './projection.ts'
import type { SceneInputs } from './settings.ts'
import { GasSimulation } from './simulate.ts'
import { emptyBudget, stepGas } from './step.ts'
import { cutCells, openShare, wallsCut } from './walls.ts'

const box: CellBox = { cell: 0.1, origin: [0, 0, 0], size: [16, 16, 16] }
const still = (solids: readonly Solid[], wind: [number, number, number] = [0, 0, 0]): SceneInputs => ({
  sources: [],
  forces: [],
  wind,
  solids,
})
/** A plate that leans by `angle` about the axis towards the camera, thick below. */
const ramp = (angle: number): Solid => ({
  kind: 'box',
  centre: [0.8 + 2 * Math.sin(angle), 0.62 - 2 * Math.cos(angle), 0.8],
  half: [6, 2, 6],
  rotation: aboutAxis([0, 0, 1], angle),
})

describe('the open share of a face', () => {
  it('is the area that a straight surface leaves, whichever corners it closes', () => {
    const stream = random(3)
    for (let n = 0; n < 60; n++) {
      const [a, b, c] = [stream.next() - 0.5, stream.next() - 0.5, 0.6 * (stream.next() - 0.5)]
      const at = (x: number, y: number): number => a * x + b * y + c
      let open = 0
      for (let i = 0; i < 100; i++) for (let j = 0; j < 100; j++) if (at((i + 0.5) / 100, (j + 0.5) / 100) >= 0) open++
      expect(openShare(at(0, 0), at(1, 0), at(1, 1), at(0, 1))).toBeCloseTo(open / 1e4, 1)
    }
  })
  it('is whole, none, and both corners’ triangles where two lie opposite', () => {
    expect(openShare(1, 1, 1, 1)).toBe(1)
    expect(openShare(-1, -1, -1, -1)).toBe(0)
    expect(openShare(-1, 1, -1, 1)).toBeCloseTo(1 - 2 * 0.125, 9)
  })
})

describe('cells that a wall cuts', () => {
  it('are told from those that it only stands beside', () => {
    const on: Solid = { kind: 'box', centre: [0.5, 0.4, 0.5], half: [0.2, 0.4, 0.3], rotation: [0, 0, 0, 1] }
    expect(wallsCut([on, { kind: 'halfspace', point: [0, 0, 0], normal: [0, 1, 0] }], 0.1)).toBe(false)
    expect(wallsCut([{ ...on, centre: [0.53, 0.4, 0.5] }], 0.1)).toBe(true)
    expect(wallsCut([ramp(0.4)], 0.1)).toBe(true)
  })
  it('have faces as open as they are, to a few hundredths', () => {
    const cells = paddedCells(box.size)
    const [fluid, u, v, w] = [
      new Uint8Array(cells),
      new Uint8Array(cells),
      new Uint8Array(cells),
      new Uint8Array(cells),
    ]
    const solid = ramp(0.5)
    cutCells(box, [solid], 0, fluid, [u, v, w])
    for (let n = 0; n < 300; n++) {
      const [i, j, k] = [1 + ((n * 7) % 14), (n * 5) % 16, (n * 3) % 16]
      const e = paddedIndex(box.size, i, j, k)
      if (fluid[e] === 0 || fluid[e - 1] === 0) continue
      let open = 0
      for (let a = 0; a < 20; a++)
        for (let b = 0; b < 20; b++)
          if (distanceTo(solid, [i * 0.1, (j + (a + 0.5) / 20) * 0.1, (k + (b + 0.5) / 20) * 0.1]) >= 0) open++
      if (open / 400 > 0.15) expect(Math.abs((u[e] ?? 0) / 255 - open / 400)).toBeLessThan(0.06)
      else expect(u[e]).toBeLessThan(0.2 * 255)
    }
  })
  it('give a system that is solved: what flows through the open shares adds up to nothing', () => {
    const crew = makeCrew(1)
    const settings = smallFire({ source: null, solids: [ramp(0.45)], confinement: 0 })
    expect(settings.cut).toBe(true)
    const moment = still([ramp(0.45)])
    const fields = allocateFields(crew, crew.heap.mark(), box, settings, moment)
    const stream = random(5)
    for (const name of ['u', 'v', 'w'] as const)
      crew.heap
        .f32(fields.pointers[name], paddedCells(box.size))
        .forEach((_, e, field) => (field[e] = stream.next() - 0.5))
    const report = stepGas(crew, fields, settings, { before: moment, now: moment }, [], emptyBudget(), 0.01, 0)
    expect(report.divergence).toBeLessThan(1e-3)
    expect(report.solve.iterations).toBeLessThan(25)
  })
  it('have a symmetric system: a . A b = b . A a', () => {
    const crew = makeCrew(1)
    const cells = paddedCells(box.size)
    const [flags, ...shares] = [
      crew.heap.alloc(cells),
      crew.heap.alloc(cells),
      crew.heap.alloc(cells),
      crew.heap.alloc(cells),
    ] as [number, number, number, number]
    const views = shares.map((pointer) => crew.heap.u8(pointer, cells)) as [Uint8Array, Uint8Array, Uint8Array]
    cutCells(box, [ramp(0.7)], 0, crew.heap.u8(flags, cells), views)
    flagGhosts(crew.heap.u8(flags, cells), box.size, 0)
    const system = buildPressure(crew, box.size, flags, 0, shares)
    const field = (seed: number): { at: number; values: Float32Array } => {
      const at = crew.heap.alloc(cells * 4)
      const values = crew.heap.f32(at, cells).fill(0)
      const stream = random(seed)
      const fluid = crew.heap.u8(flags, cells)
      for (let e = 0; e < cells; e++) if (fluid[e] === 1) values[e] = stream.next() - 0.5
      return { at, values }
    }
    const [a, b, qa, qb] = [field(1), field(2), field(3), field(4)]
    const apply = (q: number, d: number): void => {
      const { cut, levels, partial } = system
      if (!cut || !levels[0]) throw new Error('the ramp cuts cells')
      crew.run('applyDot', [q, d, levels[0].diag, partial, 0, ...box.size], 16)
      crew.run('applyDotCut', [q, d, partial, cut.list, cut.offsets, cut.weights], 16)
    }
    apply(qa.at, a.at)
    apply(qb.at, b.at)
    const dot = (x: Float32Array, y: Float32Array): number => x.reduce((sum, v, e) => sum + v * (y[e] ?? 0), 0)
    expect(dot(a.values, qb.values)).toBeCloseTo(dot(b.values, qa.values), 2)
    // And solving it gives back what was put in.
    const [p, d, z, q] = [field(5), field(6), field(7), field(8)]
    apply(qa.at, a.at)
    solvePressure(crew, system, p.at, qa.at, d.at, z.at, q.at, { relative: 1e-6 })
    expect(
      Math.sqrt(p.values.reduce((sum, v, e) => sum + (v - (a.values[e] ?? 0)) ** 2, 0) / dot(a.values, a.values)),
    ).toBeLessThan(1e-3)
  })
})

describe('the ground that a box ends at', () => {
  const leaning: Solid = {
    kind: 'box',
    centre: [0.83, 0.4, 0.9],
    half: [0.3, 0.41, 0.22],
    rotation: aboutAxis([0, 1, 0], 0.4),
  }
  const upright: Solid = { kind: 'box', centre: [0.4, 0.3, 0.4], half: [0.2, 0.3, 0.2], rotation: [0, 0, 0, 1] }
  const some = Uint8Array.from([1, 1, 0, 0, 1, 1, 0, 0])
  it.each([
    ['on its floor', 0, undefined],
    ['a little under its floor', -0.02, undefined],
    ['on its floor, a part of it worked on', 0, some],
  ])('lets nothing through where walls cut cells: %s', (_, y, active) => {
    const crew = makeCrew(1)
    const solids: Solid[] = [{ kind: 'halfspace', point: [0, y, 0], normal: [0, 1, 0] }, leaning, upright]
    const settings = smallFire({ source: null, solids, confinement: 0 })
    expect(settings.cut).toBe(true)
    const fields = allocateFields(crew, crew.heap.mark(), box, settings, still(solids), undefined, active)
    expect(fields.closed).toBe(4)
    const stream = random(11)
    for (const pointer of [fields.pointers.u, fields.pointers.v, fields.pointers.w])
      crew.heap.f32(pointer, fields.store.cells).forEach((_, e, field) => (field[e] = stream.next() - 0.5))
    crew.heap.f32(fields.expansion, fields.store.cells).forEach((_, e, field) => (field[e] = 5 * (stream.next() - 0.3)))
    stopAtWalls(crew, fields)
    expect(flowsWrong(crew, fields, 0.02)).toBeGreaterThan(0.1)
    const { divergence } = projectVelocity(crew, fields, 0.02)
    expect(divergence).toBeLessThan(1e-3)
    expect(flowsWrong(crew, fields, 0.02)).toBeLessThan(divergence + 1e-4)
  })
})

describe('air along a slope', () => {
  /** Share of its energy that a wind along a ramp keeps over half a second. */
  const kept = (cut: boolean): number => {
    const angle = 0.46
    const crew = makeCrew(1)
    const moment = still([ramp(angle)], [2 * Math.cos(angle), 2 * Math.sin(angle), 0])
    const settings = smallFire({ source: null, solids: [ramp(angle)], cut, confinement: 0 })
    const fields = allocateFields(crew, crew.heap.mark(), box, settings, moment)
    const budget = emptyBudget()
    for (let n = 0; n < 15; n++)
      stepGas(crew, fields, settings, { before: moment, now: moment }, [], budget, 1 / 30, n / 30)
    // Just above the slope, across the box.
    let along = 0
    let count = 0
    for (let i = 3; i < 13; i++) {
      const y = (0.62 / Math.cos(angle) / Math.cos(angle)) * Math.cos(angle) + Math.tan(angle) * ((i + 0.5) * 0.1 - 0.8)
      const j = Math.floor(y / 0.1) + 1
      if (j < 1 || j > 14) continue
      const e = paddedIndex(box.size, i, j, 8)
      const at = (pointer: number, step: number): number =>
        0.5 *
        ((crew.heap.f32(pointer, paddedCells(box.size))[e] ?? 0) +
          (crew.heap.f32(pointer, paddedCells(box.size))[e + step] ?? 0))
      along += at(fields.pointers.u, 1) * Math.cos(angle) + at(fields.pointers.v, 18) * Math.sin(angle)
      count++
    }
    return along / count / 2
  }
  it('keeps its speed beside a wall that cuts cells, better than beside steps', () => {
    const [smooth, stepped] = [kept(true), kept(false)]
    expect(smooth).toBeGreaterThan(0.85)
    expect(smooth).toBeGreaterThan(stepped + 0.03)
  })
})

describe('a wall that moves', () => {
  const slab = (x: number): Solid => ({ kind: 'box', centre: [x, 0.8, 0.8], half: [0.1, 3, 3], rotation: [0, 0, 0, 1] })
  it('pushes the air before it as fast as it goes', () => {
    const crew = makeCrew(1)
    const [before, now] = [still([slab(0.5)]), still([slab(0.53)])]
    const settings = smallFire({ source: null, solids: [slab(0.5)], cut: true, confinement: 0 })
    const fields = allocateFields(crew, crew.heap.mark(), box, settings, before)
    moveWalls(crew, fields, before, now, 0.03)
    stepGas(crew, fields, settings, { before, now }, [], emptyBudget(), 0.03, 0)
    // In a tunnel as wide as the slab the air goes with it, 1 m/s, before and behind.
    const u = crew.heap.f32(fields.pointers.u, paddedCells(box.size))
    expect(u[paddedIndex(box.size, 9, 8, 8)]).toBeGreaterThan(0.3)
    expect(u[paddedIndex(box.size, 2, 8, 8)]).toBeGreaterThan(0.3)
    expect(u[paddedIndex(box.size, 5, 8, 8)]).toBeCloseTo(1, 1)
  })
  it('moves no face that a wall beside it closes, nor the ground that it comes down on', () => {
    const crew = makeCrew(1)
    const slabAt = (y: number): Solid => ({
      kind: 'box',
      centre: [0.8, y, 0.8],
      half: [0.3, 0.2, 0.3],
      rotation: [0, 0, 0, 1],
    })
    const others: Solid[] = [
      { kind: 'halfspace', point: [0, 0, 0], normal: [0, 1, 0] },
      { kind: 'box', centre: [1.4, 0.2, 0.8], half: [0.3, 0.2, 0.3], rotation: [0, 0, 0, 1] },
    ]
    const [before, now] = [still([slabAt(0.28), ...others]), still([slabAt(0.25), ...others])]
    const settings = smallFire({ source: null, solids: now.solids, cut: true, confinement: 0 })
    const fields = allocateFields(crew, crew.heap.mark(), box, settings, before)
    moveWalls(crew, fields, before, now, 0.03)
    const moved = new Set(fields.moving?.[1]?.elements)
    const floor = (i: number, k: number): number => paddedIndex(box.size, i, 0, k)
    for (let k = 0; k < 16; k++) for (let i = 0; i < 16; i++) expect(moved.has(floor(i, k))).toBe(false)
    // The crate's top, level with the lattice, beside the slab; the slab's own faces do move.
    expect(moved.has(paddedIndex(box.size, 11, 4, 8))).toBe(false)
    expect(moved.size).toBeGreaterThan(20)
  })
  it('falls through a fire without blowing it up', () => {
    const beam = (y: number, turn: number): Solid => ({
      kind: 'box',
      centre: [0.1, y, 0],
      half: [0.12, 0.12, 0.7],
      rotation: aboutAxis([1, 0, 0], turn),
    })
    const base = smallFire({ solids: [beam(1.6, 0)] })
    const [first] = base.sceneInputs
    if (!first) throw new Error('a fire has a moment')
    const sceneInputs = Array.from({ length: 10 }, (_, n) => ({
      ...first,
      solids: [{ kind: 'halfspace', point: [0, 0, 0], normal: [0, 1, 0] } as const, beam(1.6 - 0.11 * n, 0.04 * n)],
    }))
    const simulation = new GasSimulation(makeCrew(1), { ...base, sceneInputs, cut: true }, 24)
    for (let n = 0; n < 10; n++) {
      const figures = simulation.advance()
      expect(figures.divergence).toBeLessThan(1e-3)
      expect(figures.fastest).toBeLessThan(15)
    }
  })
})
