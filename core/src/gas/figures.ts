import type { Crew } from '../base/index.ts'
import { KEEP_FUEL, KEEP_HEAT, KEEP_SOOT } from './encodeFrame.ts'
import type { GasFields } from './fields.ts'
import { layersPerChunk } from './multigrid.ts'
import { maxPartials, sumPartials } from './pressure.ts'
import { FLAME_HEAT, type GasSettings, type SceneInputs } from './settings.ts'
import { sourceBounds } from './sourceShapes.ts'
import { baseOf, elementOf, rowOf, startOf, stopOf } from './sparseRows.ts'

/** What one frame of gas did, for the strip and for signals. */
export interface GasFigures {
  /** Mean over the frame, kW. */
  heatKw: number
  radiatedKw: number
  /** How much gas is flame (FLAME_HEAT over the air or more) at the frame's end, m^3, and how high its top stands over the lowest source, m; 0 without. */
  flame: number
  height: number
  /** How much of the first source's fire is flame along its axis, m, counted upright: the axis goes through the middle of what is hot in each layer. Its mean over time is the height at which flame stands half of the time. */
  axialFlameLength: number
  /** Hot gas on its way up close over the first source (a quarter of its breadth): its rise over the air's temperature, as a share of that, summed over the level, m^2. It pulses as the fire's rings leave it. */
  baseBuoyancy: number
  /** Centre of the burning, metres, or of the first source while nothing burns. */
  centre: [number, number, number]
  cells: number
  steps: number
  /** Pressure iterations over all steps, and the worst divergence x step. */
  iterations: number
  divergence: number
  fastest: number
}

export const noFigures = (): GasFigures => ({
  heatKw: 0,
  radiatedKw: 0,
  flame: 0,
  height: 0,
  axialFlameLength: 0,
  baseBuoyancy: 0,
  centre: [0, 0, 0],
  cells: 0,
  steps: 0,
  iterations: 0,
  divergence: 0,
  fastest: 0,
})

/** A gas at a moment: what its figures are read off. */
export interface GasScene {
  crew: Crew
  fields: GasFields
  settings: GasSettings
  now: SceneInputs
}

/** How much of the gas is flame now, and how high it stands. */
export function flameFigures(
  scene: GasScene,
): Pick<GasFigures, 'flame' | 'height' | 'axialFlameLength' | 'baseBuoyancy'> {
  const { box, pointers, flags, partial, spans } = scene.fields
  const { ambient, cell } = scene.settings
  const [nx, ny, nz] = box.size
  scene.crew.run(
    'flame',
    [pointers.density, flags, ambient / (ambient + FLAME_HEAT), partial, spans.cells, nx, ny, nz],
    nz,
    layersPerChunk(box.size, scene.crew.threads),
  )
  const top = maxPartials(scene.crew, partial, nz, 2, 1)
  const foot = scene.now.sources.reduce((least, _, n) => Math.min(least, footOf(scene, n)), Infinity)
  return {
    flame: sumPartials(scene.crew, partial, nz, 2, 0) * cell ** 3,
    height: top > 0 ? Math.max(0, (box.origin[1] + top) * cell - foot) : 0,
    axialFlameLength: axialFlameLength(scene),
    baseBuoyancy: baseBuoyancy(scene),
  }
}

function axialFlameLength(scene: GasScene): number {
  const { box, pointers, store } = scene.fields
  const { ambient, cell } = scene.settings
  const [nx, ny, nz] = box.size
  const density = scene.crew.heap.f32(pointers.density, store.cells)
  const own = ownColumns(scene)
  const rise = (a: number, j: number, c: number): number =>
    ambient / (density[elementOf(store, a, j, c)] ?? 1) - ambient
  const warm = ambient / (ambient + 0.5 * FLAME_HEAT)
  // Wind bends the axis, and what stirs a fire sways it: it goes through the middle of what is hot in each layer.
  const middle = (j: number): readonly [number, number] => {
    let [sum, sx, sz] = [0, 0, 0]
    for (let c = 0; c < nz; c++) {
      const row = rowOf(store, j, c)
      const first = baseOf(store, row) + 1
      for (let a = Math.max(0, startOf(store, row) - 1), stop = Math.min(nx, stopOf(store, row) - 1); a < stop; a++) {
        // Most of a box is not hot: no more than a comparison for that.
        const there = density[first + a] ?? 1
        if (there >= warm || !own(a, c)) continue
        const weight = ambient / there - ambient - 0.5 * FLAME_HEAT
        sum += weight
        sx += weight * a
        sz += weight * c
      }
    }
    return sum > 0 ? [sx / sum, sz / sum] : [-1, -1]
  }
  let layers = 0
  for (let j = 0; j < ny; j++) {
    const [x, z] = middle(j)
    const [i, k] = [Math.floor(x), Math.floor(z)]
    if (i < 0 || k < 0 || i + 1 >= nx || k + 1 >= nz) continue
    // Between the four columns round it: how much hotter than the air.
    const [front, back] = [k, k + 1].map((c) => rise(i, j, c) + (x - i) * (rise(i + 1, j, c) - rise(i, j, c))) as [
      number,
      number,
    ]
    if (front + (z - k) * (back - front) >= FLAME_HEAT) layers++
  }
  return layers * cell
}

/** Whether a column (array coordinates) is nearer to the first source than to any other. */
function ownColumns(scene: GasScene): (i: number, k: number) => boolean {
  const { cell, origin } = scene.fields.box
  const [own, ...others] = scene.now.sources.map(({ centre }): readonly [number, number] => [
    centre[0] / cell - origin[0] - 0.5,
    centre[2] / cell - origin[2] - 0.5,
  ])
  if (!own) return () => false
  const far = ([x, z]: readonly [number, number], i: number, k: number): number => (x - i) * (x - i) + (z - k) * (z - k)
  return (i, k) => others.every((other) => far(other, i, k) >= far(own, i, k))
}

function baseBuoyancy(scene: GasScene): number {
  const { box, pointers, store } = scene.fields
  const own = ownColumns(scene)
  const [nx, ny, nz] = box.size
  const density = scene.crew.heap.f32(pointers.density, store.cells)
  const level = neckLevel(scene) / box.cell - box.origin[1] - 0.5
  if (!Number.isFinite(level)) return 0
  const below = Math.floor(level)
  let sum = 0
  for (const [j, share] of [
    [below, 1 - (level - below)],
    [below + 1, level - below],
  ] as const) {
    if (j < 0 || j >= ny) continue
    for (let k = 0; k < nz; k++) {
      const row = rowOf(store, j, k)
      const first = baseOf(store, row) + 1
      for (let i = Math.max(0, startOf(store, row) - 1), stop = Math.min(nx, stopOf(store, row) - 1); i < stop; i++)
        if (own(i, k)) sum += share * Math.max(0, 1 / (density[first + i] ?? 1) - 1)
    }
  }
  return sum * box.cell * box.cell
}

/** A quarter of the first source's breadth over its top, m; of what burns all over, over its foot. */
function neckLevel(scene: GasScene): number {
  const shape = scene.settings.sources[0]?.shape
  const y = scene.now.sources[0]?.centre[1] ?? 0
  switch (shape?.kind) {
    case 'disc':
      return y + 0.5 * shape.radius
    case 'ball':
      return y + 1.5 * shape.radius
    case 'box':
      return y + shape.half[1] + 0.5 * Math.min(shape.half[0], shape.half[2])
    case 'line':
      return y + Math.min(...shape.points.map((p) => p[1])) + 0.5 * shape.radius
    default: {
      const bounds = sourceBounds(scene.settings, scene.now, 0)
      return bounds
        ? bounds.low[1] + 0.25 * Math.min(bounds.high[0] - bounds.low[0], bounds.high[2] - bounds.low[2])
        : Number.NaN
    }
  }
}

/** The level that a flame's height is counted from, m. */
function footOf({ settings, now }: GasScene, index: number): number {
  const shape = settings.sources[index]?.shape
  const centre = now.sources[index]?.centre ?? [0, 0, 0]
  if (shape?.kind === 'disc' || shape?.kind === 'box' || shape?.kind === 'ball') return centre[1]
  if (shape?.kind === 'line') return centre[1] + Math.min(...shape.points.map((p) => p[1]))
  return sourceBounds(settings, now, index)?.low[1] ?? centre[1]
}

/** Cells from low to high, high not among them. */
export interface CellRange {
  low: number[]
  high: number[]
}

/** The cells that hold something, low and high (exclusive), in cells of the world; high under low where none does. */
export function heldCells(crew: Crew, fields: GasFields, settings: GasSettings): CellRange {
  const { box, pointers, partial, spans } = fields
  const [nx, ny, nz] = box.size
  crew.run(
    'extent',
    [
      pointers.density,
      pointers.fuel,
      pointers.soot,
      settings.ambient / (settings.ambient + KEEP_HEAT),
      KEEP_FUEL,
      KEEP_SOOT,
      partial,
      spans.cells,
      nx,
      ny,
      nz,
    ],
    nz,
    layersPerChunk(box.size, crew.threads),
  )
  const ranges = crew.heap.i32(partial, nz * 4)
  const low = [nx, ny, nz]
  const high = [-1, -1, -1]
  for (let k = 0; k < nz; k++) {
    if ((ranges[4 * k + 1] ?? -1) < 0) continue
    low[0] = Math.min(low[0] ?? 0, ranges[4 * k] ?? 0)
    high[0] = Math.max(high[0] ?? 0, ranges[4 * k + 1] ?? 0)
    low[1] = Math.min(low[1] ?? 0, ranges[4 * k + 2] ?? 0)
    high[1] = Math.max(high[1] ?? 0, ranges[4 * k + 3] ?? 0)
    low[2] = Math.min(low[2] ?? 0, k)
    high[2] = Math.max(high[2] ?? 0, k)
  }
  return {
    low: low.map((v, axis) => v + (box.origin[axis] ?? 0)),
    high: high.map((v, axis) => v + 1 + (box.origin[axis] ?? 0)),
  }
}
