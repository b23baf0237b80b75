import { describe, expect, it } from 'vitest'
import { GROUND, type SmallFire, smallFire, smallSource } from '../../testing/fires.ts'
import { makeCrew } from '../base/index.ts'
import { type CellBox, paddedCells } from '../data/index.ts'
import { aboutAxis, panTiltRoll } from '../math/index.ts'
import { allocateFields } from './fields.ts'
import type { GasSettings, SceneInputs, SourceShape } from './settings.ts'
import { GasSimulation } from './simulate.ts'
import { feed, type SourceCells, sourceCells } from './sources.ts'

const box: CellBox = { cell: 0.05, origin: [-32, 0, -32], size: [64, 48, 64] }
const firstOf = ({ sceneInputs }: GasSettings): SceneInputs => sceneInputs[0] as SceneInputs

function cellsOf(
  shape: SourceShape,
  over: SmallFire = {},
  to?: SceneInputs,
): { settings: GasSettings; cells: SourceCells; centres: [number, number, number][] } {
  const settings = smallFire({ cell: box.cell, shape, ...over })
  const crew = makeCrew(1)
  const fields = allocateFields(crew, crew.heap.mark(), box, settings, firstOf(settings))
  const cells = sourceCells(crew, fields, settings, 0, firstOf(settings), to ?? firstOf(settings))
  const [sx, sxy] = [box.size[0] + 2, (box.size[0] + 2) * (box.size[1] + 2)]
  const centres = Array.from(cells.elements, (e): [number, number, number] => [
    (box.origin[0] + (e % sx) - 0.5) * box.cell,
    (box.origin[1] + (Math.floor(e / sx) % (box.size[1] + 2)) - 0.5) * box.cell,
    (box.origin[2] + Math.floor(e / sxy) - 0.5) * box.cell,
  ])
  return { settings, cells, centres }
}
const slab = { kind: 'box', centre: [0, 0.8, -0.5], half: [0.6, 0.8, 0.1], rotation: [0, 0, 0, 1] } as const

describe('where gas comes from', () => {
  it('a line is a strip along its pieces, as broad as it is, and its area is its length times its breadth', () => {
    const { cells, centres } = cellsOf({
      kind: 'line',
      points: [
        [-1, 0, 0],
        [0, 0, 0],
        [0.6, 0, 0.8],
      ],
      radius: 0.15,
      thickness: 0.06,
    })
    expect(cells.area).toBeCloseTo(2 * 0.3, 6)
    for (const [x, , z] of centres) {
      const near = Math.min(Math.hypot(x - Math.min(0, Math.max(-1, x)), z), Math.abs(0.8 * x - 0.6 * z))
      expect(near).toBeLessThan(0.15 + box.cell)
    }
    // Its ends are round.
    expect(cells.volume / 0.06 / (0.6 + Math.PI * 0.15 ** 2)).toBeCloseTo(1, 0)
  })
  it('what a brush painted gives as much as the brush covers, on the surface alone, less where it is erased', () => {
    const stroke = (over: object) =>
      ({ solid: 1, soft: 0, erase: false, radius: 0.15, points: [[-0.3, 0, 0.1]], ...over }) as const
    const along = {
      points: [
        [-0.3, 0, 0.1],
        [0.3, 0, 0.1],
      ],
    }
    const painted = (...strokes: object[]) =>
      cellsOf({ kind: 'painted', strokes: strokes.map(stroke) as never }, { solids: [GROUND, slab] })
    const { cells, centres } = painted(along)
    // The front of the slab: z = -0.4, about a height of 0.8.
    for (const [x, y, z] of centres) {
      expect(z).toBeGreaterThan(-0.4)
      expect(z).toBeLessThan(-0.4 + 2 * box.cell)
      expect(Math.hypot(Math.max(0, Math.abs(x) - 0.3), y - 0.8)).toBeLessThan(0.15 + box.cell)
    }
    // A strip with round ends; the layer is as thick as whole thirds of a cell.
    const area = cells.area / (0.6 * 0.3 + Math.PI * 0.15 ** 2)
    expect(Math.abs(area - 1.11)).toBeLessThan(0.04)
    expect([...(cells.normals ?? [])].slice(0, 3)).toEqual([0, 0, 1])
    const erased = painted(along, { erase: true, radius: 0.5, points: [[0.8, 0, 0.1]] })
    expect(erased.cells.volume).toBeLessThan(0.95 * cells.volume)
    expect(Math.max(...erased.centres.map(([x]) => x))).toBeLessThan(0.35)
    const soft = painted({ ...along, soft: 1 })
    expect(soft.cells.volume / cells.volume).toBeGreaterThan(0.2)
    expect(soft.cells.volume / cells.volume).toBeLessThan(0.6)
    expect(painted({ solid: 7 }).cells.volume).toBe(0)
  })
  it.each([
    [0, 0],
    [0.4, 0.7],
    [0, Math.PI / 2],
    [2, 1.1],
  ])('a disc has its volume however it leans: turned by %f, tilted by %f', (turn, tilt) => {
    const { cells, centres } = cellsOf(
      { kind: 'disc', radius: 0.6, thickness: 0.2 },
      { source: { centre: [0.12, 1.1, -0.2], rotation: panTiltRoll(turn, tilt, 0) } },
    )
    expect(cells.volume / (Math.PI * 0.36 * 0.2)).toBeCloseTo(1, 1)
    expect(Math.max(...centres.map(([x, y, z]) => Math.hypot(x - 0.12, y - 1.1, z + 0.2)))).toBeLessThan(
      Math.hypot(0.6, 0.2) + box.cell,
    )
  })
  it('a set piece’s surface is the layer before it, with what comes out sent straight away from it', () => {
    const { cells, centres } = cellsOf({ kind: 'surface', solid: 1 }, { solids: [GROUND, slab] })
    const whole = 2 * (1.2 * 1.6 + 0.2 * 1.6) + 1.2 * 0.2
    // The layer goes round the slab's edges too, which are many for its size.
    expect(cells.area / whole).toBeGreaterThan(0.9)
    expect(cells.area / whole).toBeLessThan(1.35)
    centres.forEach(([x, y, z], n) => {
      const normal = Array.from(cells.normals?.subarray(3 * n, 3 * n + 3) ?? [])
      expect(Math.hypot(...normal)).toBeCloseTo(1, 5)
      if (z > -0.36 && Math.abs(x) < 0.5 && y < 1.5) expect(normal).toEqual([0, 0, 1])
    })
  })
  it('an area drawn on the plate lies where the camera sees it first, not behind', () => {
    // From before and above, a square of the picture over the slab's upper part and the air beside it: only the slab is hit, not the ground that it hides.
    const view = {
      eye: [0, 1.2, 4] as const,
      rotation: [0, 0, 0, 1] as const,
      shapes: [
        [
          [-0.05, -0.05],
          [0.05, -0.05],
          [0.05, 0.12],
          [-0.05, 0.12],
        ] as const,
      ],
      low: [-0.5, 0, -0.7] as const,
      high: [0.5, 1.6, 0] as const,
    }
    const { centres } = cellsOf({ kind: 'area', view }, { solids: [GROUND, slab] })
    expect(centres.length).toBeGreaterThan(20)
    for (const [x, y, z] of centres) {
      expect(z).toBeGreaterThan(-0.4)
      expect(z).toBeLessThan(-0.28)
      expect(Math.abs(x)).toBeLessThan(0.05 * 4.4 + box.cell)
      expect(y).toBeGreaterThan(1.2 - 0.12 * 4.4 - box.cell)
    }
  })
  it('points are balls, each of its own size', () => {
    const { cells, centres } = cellsOf(
      { kind: 'points' },
      { source: { points: [-0.5, 1, 0, 0.2, 0.6, 0.6, 0.4, 0.1] } },
    )
    expect(cells.volume / ((4 / 3) * Math.PI * (0.008 + 0.001))).toBeCloseTo(1, 1)
    for (const at of centres)
      expect(
        Math.min(
          Math.hypot(at[0] + 0.5, at[1] - 1, at[2]) - 0.2,
          Math.hypot(at[0] - 0.6, at[1] - 0.6, at[2] - 0.4) - 0.1,
        ),
      ).toBeLessThan(box.cell)
  })
  it('a turned box is turned', () => {
    const { cells, centres } = cellsOf(
      { kind: 'box', half: [0.6, 0.05, 0.05] },
      { source: { centre: [0, 1, 0], rotation: panTiltRoll(0, 0, Math.PI / 4) } },
    )
    expect(cells.volume / (8 * 0.6 * 0.05 * 0.05)).toBeCloseTo(1, 0)
    for (const [x, y] of centres) expect(Math.abs(y - 1 - x)).toBeLessThan(0.2)
  })
  it('patches cover about the share that was asked for, and leave their share of the area', () => {
    const disc: SourceShape = { kind: 'disc', radius: 1.5, thickness: 0.06 }
    const settings = smallFire({ cell: box.cell, shape: disc })
    const covered = [0.25, 0.5, 0.75].map((share) => {
      const crew = makeCrew(1)
      const fields = allocateFields(crew, crew.heap.mark(), box, settings, firstOf(settings))
      const cells = sourceCells(
        crew,
        fields,
        { ...settings, sources: [{ shape: disc, perArea: true, stirSize: 0.2, pattern: { size: 0.2, share } }] },
        0,
        firstOf(settings),
      )
      return cells.area / (Math.PI * 1.5 ** 2)
    })
    covered.forEach((share, n) => expect(Math.abs(share - 0.25 * (n + 1))).toBeLessThan(0.13))
  })
})

describe('a source that moves', () => {
  const swing = (t: number): { centre: [number, number, number]; rotation: [number, number, number, number] } => ({
    centre: [-1.2 + 2.4 * t, 1, 0.3 * Math.sin(3 * t)],
    rotation: [0, 0, 0, 1],
  })
  it('fills all that it passes, without gaps', () => {
    const settings = smallFire({ cell: box.cell, shape: { kind: 'ball', radius: 0.06 }, source: swing(0) })
    const to: SceneInputs = { ...firstOf(settings), sources: [{ ...smallSource(), ...swing(1), centre: [1.2, 1, 0] }] }
    const { centres } = cellsOf({ kind: 'ball', radius: 0.06 }, { source: { ...swing(0), centre: [-1.2, 1, 0] } }, to)
    const columns = new Set(centres.map(([x]) => Math.round(x / box.cell)))
    for (let x = Math.round(-1.15 / box.cell); x <= Math.round(1.15 / box.cell); x++)
      expect(columns.has(x) || columns.has(x + 1)).toBe(true)
  })
  it('leaves its smoke behind in the world while the box goes with it', () => {
    const base = smallFire({
      shape: { kind: 'ball', radius: 0.15 },
      source: { heat: 0, smoke: 0.02, speed: 0, stir: 0.2 },
      bounds: { low: [-2, 0, -2], high: [2, 3, 2] },
    })
    const first = firstOf(base)
    const sceneInputs = Array.from({ length: 8 }, (_, n) => ({
      ...first,
      sources: [
        {
          ...smallSource({ heat: 0, smoke: 0.02, speed: 0, stir: 0.2 }),
          centre: [-1.5 + 0.4 * n, 1, 0] as [number, number, number],
        },
      ],
    }))
    const simulation = new GasSimulation(makeCrew(1), { ...base, sceneInputs }, 24)
    for (let n = 0; n < 8; n++) simulation.advance()
    const { box: last } = simulation.fields
    expect(last.origin[0] * last.cell).toBeLessThan(-1.4)
    expect((last.origin[0] + last.size[0]) * last.cell).toBeGreaterThan(1.4)
    expect(simulation.budget.sootMade).toBeCloseTo(0.02 * (8 / 24), 4)
  })
  it('gives the same as one that stands where it does not move', () => {
    const still = smallFire()
    const twice = { ...still, sceneInputs: [firstOf(still), { ...firstOf(still) }] }
    const [a, b] = [still, twice].map((settings) => {
      const simulation = new GasSimulation(makeCrew(1), settings, 24)
      for (let n = 0; n < 4; n++) simulation.advance()
      return simulation.budget
    })
    expect(b).toEqual(a)
  })
})

describe('what comes out', () => {
  const one = (
    source: Parameters<typeof smallSource>[0],
    perArea = false,
    shape: SourceShape = { kind: 'disc', radius: 0.5, thickness: 0.06 },
  ) => {
    const settings = smallFire({ cell: box.cell, shape, source })
    const crew = makeCrew(1)
    const fields = allocateFields(crew, crew.heap.mark(), box, settings, firstOf(settings))
    const cells = sourceCells(crew, fields, settings, 0, firstOf(settings))
    const input = feed(crew, fields, settings, smallSource(source), perArea, cells, [0, 0, 0], 0.01, 0, 0)
    const view = (pointer: number): Float32Array => crew.heap.f32(pointer, paddedCells(box.size))
    return { input, cells, view, fields }
  }
  it('of a square metre is so much for every square metre', () => {
    expect(one({ heat: 500e3 }, true).input.fuel * 44.6e6).toBeCloseTo(500e3 * Math.PI * 0.25 * 0.01, 0)
  })
  it('is nothing at all while the source is off: no warmth, no push', () => {
    const { input, view, fields } = one({ heat: 0, smoke: 0, temperature: 900, speed: 4, stir: 3 })
    expect(input).toEqual({ fuel: 0, soot: 0, theta: 0, growth: 0 })
    expect(view(fields.pointers.v).every((v) => v === 0)).toBe(true)
    expect(view(fields.pointers.density).every((v) => v === 1)).toBe(true)
  })
  it('goes where it is aimed, also down and sideways', () => {
    for (const aim of [
      [0, -1, 0],
      [1, 0, 0],
      [0, 0, -1],
    ] as const) {
      const { view, fields, cells } = one(
        { speed: 3, aim, stir: 0, centre: [0, 1, 0], rotation: aboutAxis([0, 1, 0], 0) },
        false,
        { kind: 'ball', radius: 0.3 },
      )
      const axis = aim.findIndex((v) => v !== 0)
      const field = view([fields.pointers.u, fields.pointers.v, fields.pointers.w][axis] ?? 0)
      const most = cells.elements.reduce((best, e) => Math.max(best, (field[e] ?? 0) * (aim[axis] ?? 0)), 0)
      expect(most).toBeCloseTo(3, 1)
    }
  })
  it.each([
    [370, 8],
    [573, 8],
    [873, 12],
  ])('is as warm as it was said, and no warmer: %d K', (temperature, most) => {
    const settings = smallFire({ source: { heat: 0, smoke: 0.002, temperature } })
    const crew = makeCrew(1)
    const simulation = new GasSimulation(crew, settings, 24)
    let warmest = 0
    for (let n = 0; n < 12; n++) {
      simulation.advance()
      const { store, pointers } = simulation.fields
      warmest = Math.max(
        warmest,
        settings.ambient /
          crew.heap.f32(pointers.density, store.cells).reduce((low, one) => (one > 0 ? Math.min(low, one) : low), 1),
      )
    }
    expect(warmest).toBeLessThan(temperature + most)
    expect(warmest).toBeGreaterThan(settings.ambient + 0.6 * (temperature - settings.ambient))
  })
  it('colder than the air sinks and spreads along the ground', () => {
    const simulation = new GasSimulation(
      makeCrew(1),
      smallFire({
        shape: { kind: 'ball', radius: 0.3 },
        source: { centre: [0, 1.2, 0], heat: 0, smoke: 0.01, temperature: 263, speed: 0, stir: 0 },
      }),
      24,
    )
    for (let n = 0; n < 20; n++) simulation.advance()
    const { box: last } = simulation.fields
    const soot = simulation.keep()
    expect(
      Math.max(
        ...Array.from(
          soot.tiles,
          (tile) => Math.floor(tile / Math.ceil(last.size[0] / 8)) % Math.ceil(last.size[1] / 8),
        ),
      ),
    ).toBeLessThanOrEqual(2)
    expect(simulation.budget.theta).toBeLessThan(0)
  })
})
