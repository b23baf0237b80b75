import { describe, expect, it } from 'vitest'
import { smallFire } from '../../testing/fires.ts'
import { flowsWrongOf } from '../../testing/flow.ts'
import { unpacked } from '../../testing/rows.ts'
import { Cancelled, makeCrew } from '../base/index.ts'
import { distanceTo, halfTable, paddedCells, paddedIndex, type Solid, TILE, tileCounts } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'
import { AIR_DENSITY, AIR_HEAT_CAPACITY, type GasSettings } from './settings.ts'
import { GasSimulation } from './simulate.ts'
import { feed, sourceCells } from './sources.ts'

const RATE = 24
const stored = (simulation: GasSimulation, settings: GasSettings): number =>
  AIR_DENSITY * AIR_HEAT_CAPACITY * settings.ambient * settings.cell ** 3 * simulation.budget.theta

describe('a fire', () => {
  const wall: Solid = {
    kind: 'box',
    centre: [0.9, 0.5, 0],
    half: [0.2, 0.5, 0.6],
    rotation: [0, 0.3826834, 0, 0.9238795],
  }
  const settings = smallFire({ solids: [{ kind: 'halfspace', point: [0, 0, 0], normal: [0, 1, 0] }, wall] })
  const simulation = new GasSimulation(makeCrew(1), settings, RATE)
  const firstHeight = simulation.box.size[1]
  const figures = Array.from({ length: 36 }, () => simulation.advance())

  it('keeps divergence at its prescribed expansion, colliders and open sides included', () => {
    for (const figure of figures) expect(figure.divergence).toBeLessThan(1e-3)
  })
  it('keeps it by what flows through its faces, not only by what is said of it', () => {
    const crew = makeCrew(1)
    const other = new GasSimulation(crew, settings, RATE)
    for (let n = 0; n < 8; n++) other.advance()
    expect(flowsWrongOf(crew, other.fields, 1 / RATE)).toBeLessThan(1e-3)
  })
  it('keeps its heat: burned = stored + radiated + carried out within 5 %', () => {
    const { burned, radiated, carriedOut, pilot } = simulation.budget
    expect(burned).toBeGreaterThan(100e3)
    expect(Math.abs(burned + pilot - stored(simulation, settings) - radiated - carriedOut)).toBeLessThan(0.05 * burned)
  })
  it('burns about what its source gives, rises, and its box grew with it', () => {
    const last = figures[figures.length - 1]
    expect(last?.heatKw).toBeGreaterThan(120)
    expect(last?.heatKw).toBeLessThan(230)
    expect(last?.centre[1]).toBeGreaterThan(0.05)
    expect(last?.height).toBeGreaterThan(0.6)
    expect(last?.flame).toBeGreaterThan(0.02)
    expect(simulation.box.size[1]).toBeGreaterThan(1.2 * firstHeight)
  })
  it('keeps nothing deeper inside the wall than one cell, and some soot above the fire', () => {
    const frame = simulation.keep()
    const table = halfTable()
    const soot = Math.max(...Array.from(frame.channels[0] ?? [], (half) => table[half] ?? 0))
    expect(soot).toBeGreaterThan(0.01)
    const [tilesX, tilesY] = tileCounts(frame.box)
    const { cell, origin } = frame.box
    let inside = 0
    frame.tiles.forEach((tile, n) => {
      const corner = [tile % tilesX, Math.floor(tile / tilesX) % tilesY, Math.floor(tile / (tilesX * tilesY))]
      for (let c = 0; c < TILE ** 3; c++) {
        const at = [c % TILE, Math.floor(c / TILE) % TILE, Math.floor(c / TILE ** 2)]
        const place = at.map((v, axis) => ((origin[axis] ?? 0) + (corner[axis] ?? 0) * TILE + v + 0.5) * cell)
        if (distanceTo(wall, place as unknown as Vec3) > -1.5 * cell) continue
        inside++
        expect(frame.channels[0]?.[n * TILE ** 3 + c]).toBe(0)
      }
    })
    expect(inside).toBeGreaterThan(10)
  })
})

it('keeps soot in a closed box within 2 %', () => {
  const wall = (point: [number, number, number], normal: [number, number, number]) => ({
    kind: 'halfspace' as const,
    point,
    normal,
  })
  const settings = smallFire({
    shape: { kind: 'ball', radius: 0.3 },
    source: { centre: [0.8, 0.8, 0.8], heat: 0, smoke: 0.01, speed: 0, stir: 0.8 },
    solids: [
      wall([0, 0, 0], [1, 0, 0]),
      wall([1.6, 0, 0], [-1, 0, 0]),
      wall([0, 0, 0], [0, 1, 0]),
      wall([0, 1.6, 0], [0, -1, 0]),
      wall([0, 0, 0], [0, 0, 1]),
      wall([0, 0, 1.6], [0, 0, -1]),
    ],
    bounds: { low: [0, 0, 0], high: [1.6, 1.6, 1.6] },
  })
  const simulation = new GasSimulation(makeCrew(1), settings, RATE)
  for (let n = 0; n < 24; n++) simulation.advance()
  const held = simulation.budget.soot * AIR_DENSITY * settings.cell ** 3
  expect(simulation.fields.closed).toBe(63)
  expect(Math.abs(held - simulation.budget.sootMade)).toBeLessThan(0.02 * simulation.budget.sootMade)
})

it('goes on from its state bit for bit', () => {
  const through = new GasSimulation(makeCrew(1), smallFire(), RATE)
  for (let n = 0; n < 14; n++) through.advance()
  const first = new GasSimulation(makeCrew(1), smallFire(), RATE)
  for (let n = 0; n < 6; n++) first.advance()
  const second = new GasSimulation(makeCrew(1), smallFire(), RATE, first.state())
  for (let n = 6; n < 14; n++) second.advance()
  const [a, b] = [through.state(), second.state()]
  expect(b.box).toEqual(a.box)
  expect(b.budget).toEqual(a.budget)
  a.fields.forEach((field, n) =>
    expect(Buffer.compare(Buffer.from(field.buffer), Buffer.from(b.fields[n]?.buffer ?? new ArrayBuffer(0)))).toBe(0),
  )
})

it('leans with the wind', () => {
  const lean = (wind: number): number => {
    const simulation = new GasSimulation(makeCrew(1), smallFire({ wind: [wind, 0, 0] }), RATE)
    let centre = 0
    for (let n = 0; n < 16; n++) centre = simulation.advance().centre[0]
    return centre
  }
  expect(lean(2)).toBeGreaterThan(lean(0) + 0.1)
  expect(lean(-2)).toBeLessThan(lean(0) - 0.1)
})

it('stands as high in a light wind as its flame does, though that has left the place over its source', () => {
  const stands = (wind: number): { axialFlameLength: number; height: number } => {
    const simulation = new GasSimulation(makeCrew(1), smallFire({ wind: [wind, 0, 0] }), RATE)
    const frames = Array.from({ length: 24 }, () => simulation.advance()).slice(8)
    const mean = (of: (figures: (typeof frames)[number]) => number): number =>
      frames.reduce((sum, one) => sum + of(one), 0) / frames.length
    return { axialFlameLength: mean(({ axialFlameLength }) => axialFlameLength), height: mean(({ height }) => height) }
  }
  for (const wind of [0, 1.2]) {
    const { axialFlameLength, height } = stands(wind)
    expect(axialFlameLength).toBeGreaterThan(0.4 * height)
    expect(axialFlameLength).toBeLessThanOrEqual(height + 1e-6)
  }
})

it('stands as high as its first source’s fire does, and passes as much through its baseBuoyancy, with another one beside it', () => {
  const burns = (places: readonly number[]): { axialFlameLength: number; baseBuoyancy: number } => {
    const alone = smallFire({ wind: [0, 0, 0] })
    const [source] = alone.sources
    const [moment] = alone.sceneInputs
    const [there] = moment?.sources ?? []
    if (!source || !moment || !there) throw new Error('a fire has a source')
    const settings = {
      ...alone,
      sources: places.map(() => source),
      sceneInputs: [
        {
          ...moment,
          sources: places.map((x) => ({ ...there, centre: [x, there.centre[1], there.centre[2]] as const })),
        },
      ],
    }
    const simulation = new GasSimulation(makeCrew(1), settings, RATE)
    const frames = Array.from({ length: 24 }, () => simulation.advance()).slice(8)
    const mean = (of: 'axialFlameLength' | 'baseBuoyancy'): number =>
      frames.reduce((sum, figures) => sum + figures[of], 0) / frames.length
    return { axialFlameLength: mean('axialFlameLength'), baseBuoyancy: mean('baseBuoyancy') }
  }
  // Two that stand apart: the middle of both is no flame, and what the other passes is its own.
  const [one, two] = [burns([0]), burns([0, 1.8])]
  expect(two.axialFlameLength).toBeGreaterThan(0.6 * one.axialFlameLength)
  expect(one.axialFlameLength).toBeGreaterThan(0.2)
  expect(two.baseBuoyancy / one.baseBuoyancy).toBeGreaterThan(0.7)
  expect(two.baseBuoyancy / one.baseBuoyancy).toBeLessThan(1.4)
})

it('its baseBuoyancy is the hot gas a quarter of its breadth over it, and nothing where nothing is hot', () => {
  const settings = smallFire({ wind: [0, 0, 0] })
  const crew = makeCrew(1)
  const simulation = new GasSimulation(crew, settings, RATE)
  const figures = Array.from({ length: 12 }, () => simulation.advance())
  const { box, pointers } = simulation.fields
  const [source] = settings.sources
  const level =
    (settings.sceneInputs[0]?.sources[0]?.centre[1] ?? 0) +
    0.5 * (source?.shape.kind === 'disc' ? source.shape.radius : Number.NaN)
  const density = crew.heap.f32(pointers.density, paddedCells(box.size))
  // The two layers round that level hold it between them.
  const layer = (j: number): number => {
    let sum = 0
    for (let k = 0; k < box.size[2]; k++)
      for (let i = 0; i < box.size[0]; i++) sum += Math.max(0, 1 / (density[paddedIndex(box.size, i, j, k)] ?? 1) - 1)
    return sum * box.cell ** 2
  }
  const below = Math.floor(level / box.cell - 0.5) - box.origin[1]
  const [low, high] = [layer(below), layer(below + 1)].sort((a, b) => a - b) as [number, number]
  expect(figures.at(-1)?.baseBuoyancy).toBeGreaterThanOrEqual(low - 1e-9)
  expect(figures.at(-1)?.baseBuoyancy).toBeLessThanOrEqual(high + 1e-9)
  expect(low).toBeGreaterThan(0.001)
  const cold = {
    ...settings,
    sceneInputs: settings.sceneInputs.map((moment) => ({
      ...moment,
      sources: moment.sources.map((one) => ({ ...one, heat: 0, smoke: 1e-6, temperature: settings.ambient })),
    })),
  }
  // Five millionths of a square metre is what sums of rounded numbers leave.
  expect(new GasSimulation(makeCrew(1), cold, RATE).advance().baseBuoyancy).toBeLessThan(1e-4)
})

it('moves the air in lumps of their size, whatever the cell', () => {
  // How alike what is stirred is a tenth of a metre apart: lumps of 0.4 m are, those of two cells of 25 mm are not.
  const alike = (stirSize: number, cell: number): number => {
    const calm = smallFire({ cell, bounds: { low: [-0.5, 0, -0.5], high: [0.5, 0.5, 0.5] } })
    const settings = {
      ...calm,
      sources: calm.sources.map((one) => ({ ...one, stirSize })),
      sceneInputs: calm.sceneInputs.map((moment) => ({
        ...moment,
        wind: [0, 0, 0] as const,
        sources: moment.sources.map((one) => ({
          ...one,
          heat: 0,
          smoke: 1e-6,
          speed: 0,
          temperature: calm.ambient,
          stir: 1,
        })),
      })),
    }
    const crew = makeCrew(1)
    const simulation = new GasSimulation(crew, settings, RATE)
    const { fields } = simulation
    const [still] = settings.sceneInputs
    const [source] = still?.sources ?? []
    if (!still || !source) throw new Error('a fire has a source')
    const cells = sourceCells(crew, fields, settings, 0, still)
    feed(crew, fields, settings, source, false, cells, [0, 0, 0], 1 / RATE, 0.3, 0)
    const u = unpacked(fields.store, crew.heap.f32(fields.pointers.u, fields.store.cells), 0)
    const apart = Math.round(0.1 / cell)
    const [sum, own] = [...cells.elements].reduce(
      ([a, b], e) => [a + (u[e] ?? 0) * (u[e + apart] ?? 0), b + (u[e] ?? 0) ** 2],
      [0, 0],
    )
    return own > 0 ? sum / own : Number.NaN
  }
  for (const cell of [0.05, 0.025]) expect(alike(0.4, cell)).toBeGreaterThan(0.4)
  expect(alike(0, 0.025)).toBeLessThan(0.3)
})

it('stays still when nothing feeds it', () => {
  const simulation = new GasSimulation(makeCrew(1), smallFire({ source: null }), RATE)
  const figures = simulation.advance()
  expect(figures).toMatchObject({ heatKw: 0, fastest: 0, divergence: 0 })
  expect(simulation.keep().tiles.length).toBe(0)
  for (const field of simulation.state().fields.slice(0, 3)) expect(field.every((value) => value === 0)).toBe(true)
})

it('says plainly what it cannot do', () => {
  const inWall = smallFire({ solids: [{ kind: 'halfspace', point: [0, 3, 0], normal: [0, 1, 0] }] })
  expect(() => new GasSimulation(makeCrew(1), inWall, RATE)).toThrow(/inside a set piece/)
  expect(() => new GasSimulation(makeCrew(1), smallFire({ mostCells: 100 }), RATE)).toThrow(/million cells/)
  const running = new GasSimulation(makeCrew(1), smallFire(), RATE)
  expect(() => running.advance({ report: () => undefined, cancelled: () => true })).toThrow(Cancelled)
})
