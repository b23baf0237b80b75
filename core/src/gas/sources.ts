import { type Crew, hash01 } from '../base/index.ts'
import { paddedIndex } from '../data/index.ts'
import { noise3, type Vec3 } from '../math/index.ts'
import type { GasFields } from './fields.ts'
import { sceneInputsBetween, travelOf } from './sceneInputs.ts'
import {
  AIR_DENSITY,
  type GasSettings,
  GRAVITY,
  HEAT_OF_COMBUSTION,
  type SceneInputs,
  SHEET,
  type SourceInputs,
} from './settings.ts'
import { bodyOf } from './sourceShapes.ts'
import { elementAt } from './sparseRows.ts'

/** Cells of a source (padded indices) with the share of each that it fills; a source thinner than a cell still has one layer. */
export interface SourceCells {
  elements: Int32Array
  shares: Float32Array
  /** Sum of the shares x volume of a cell, m^3. */
  volume: number
  /** What heat and smoke per square metre count on, m^2. */
  area: number
  /** Three floats a cell: where a surface sends what comes out; none where the source has one direction. */
  normals?: Float32Array
}

const FLUID = 1
const SUBSAMPLES = 3
/** A source that goes further than this in a step, in cells, fills what it passes in as many places. */
const SWEEP = 0.5
const MOST_SWEEP = 32
/** Nothing smaller is stirred, m. */
const LEAST_STIR = 0.02

/** 1 in a patch, 0 between, by noise in the world: patches of about `size` that cover about `share`. */
function patchAt(seed: number, { size, share }: { size: number; share: number }, at: Vec3): number {
  // Value noise with a quintic in-between has about this spread; a share of it lies above the threshold that the normal law gives.
  const value = 0.5 + 0.5 * noise3(seed, at[0] / size, at[1] / size, at[2] / size)
  const threshold = 1 - share
  return Math.min(1, Math.max(0, (value - (0.12 + 0.76 * threshold)) / 0.06 + 0.5))
}

/** The fluid cells that a source fills between two moments, by 27 points in each: where it goes on its way, all that it passes. */
export function sourceCells(
  crew: Crew,
  fields: GasFields,
  settings: GasSettings,
  index: number,
  from: SceneInputs,
  to: SceneInputs = from,
): SourceCells {
  const source = settings.sources[index]
  const [a, b] = [from.sources[index], to.sources[index]]
  const none: SourceCells = { elements: new Int32Array(0), shares: new Float32Array(0), volume: 0, area: 0 }
  if (!source || !a || !b) return none
  const { box } = fields
  const { cell } = box
  const flags = crew.heap.u8(fields.flags, fields.store.cells)
  const places = from === to ? 1 : Math.min(MOST_SWEEP, Math.max(1, Math.ceil(travelOf(a, b) / (SWEEP * cell))))
  const bodies = Array.from({ length: places }, (_, n) => {
    const between = sceneInputsBetween(from, to, places === 1 ? 1 : (n + 0.5) / places)
    return bodyOf(source, between.sources[index] ?? b, between.solids, settings)
  })
  const low = box.origin.map((o, axis) =>
    Math.max(0, Math.floor(Math.min(...bodies.map(({ own, bounds }) => (own ?? bounds).low[axis] ?? 0)) / cell) - o),
  )
  const high = box.origin.map((o, axis) =>
    Math.min(
      (box.size[axis] ?? 0) - 1,
      Math.ceil(Math.max(...bodies.map(({ own, bounds }) => (own ?? bounds).high[axis] ?? 0)) / cell) - o,
    ),
  )
  const elements: number[] = []
  const shares: number[] = []
  const normals: number[] = []
  const body = bodies.at(-1)
  let total = 0
  let filled = 0
  const most = SUBSAMPLES ** 3 * places
  for (let k = low[2] ?? 0; k <= (high[2] ?? -1); k++)
    for (let j = low[1] ?? 0; j <= (high[1] ?? -1); j++)
      for (let i = low[0] ?? 0; i <= (high[0] ?? -1); i++) {
        const element = paddedIndex(box.size, i, j, k)
        if (flags[elementAt(fields.store, element)] !== FLUID) continue
        let hits = 0
        for (let s = 0; s < SUBSAMPLES ** 3; s++) {
          const x = (box.origin[0] + i + ((s % 3) + 0.5) / SUBSAMPLES) * cell
          const y = (box.origin[1] + j + ((Math.floor(s / 3) % 3) + 0.5) / SUBSAMPLES) * cell
          const z = (box.origin[2] + k + (Math.floor(s / 9) + 0.5) / SUBSAMPLES) * cell
          for (const one of bodies) hits += one.share ? one.share([x, y, z]) : one.inside(x, y, z) ? 1 : 0
        }
        if (hits === 0) continue
        const centre: Vec3 = [
          (box.origin[0] + i + 0.5) * cell,
          (box.origin[1] + j + 0.5) * cell,
          (box.origin[2] + k + 0.5) * cell,
        ]
        filled += hits / most
        const share =
          (hits / most) * (source.pattern ? patchAt(settings.seed + index * 7919, source.pattern, centre) : 1)
        if (share === 0) continue
        elements.push(element)
        shares.push(share)
        total += share
        if (body?.normal) normals.push(...body.normal(centre))
      }
  const volume = total * cell ** 3
  // A surface's layer is as thick as it is said to be; patches leave their share of the area.
  const area = body?.area === undefined ? volume / Math.max(SHEET, cell) : filled > 0 ? (body.area * total) / filled : 0
  return {
    elements: Int32Array.from(elements),
    shares: Float32Array.from(shares),
    volume,
    area,
    ...(body?.normal ? { normals: Float32Array.from(normals) } : {}),
  }
}

/** What a step's sources put in: fuel and soot in kg, heat that came with the temperature, as a sum of theta over cells, and that which comes with the volume of the fuel, 1/s. */
export interface SourceInput {
  fuel: number
  soot: number
  theta: number
  growth: number
}

/** Sets a source free for `dt` seconds: adds fuel and soot, warms, sends out and stirs. velocity: the source's own, m/s, which what comes out has too. Stirring is seeded by place and time. */
export function feed(
  crew: Crew,
  fields: GasFields,
  settings: GasSettings,
  source: SourceInputs,
  perArea: boolean,
  cells: SourceCells,
  velocity: Vec3,
  dt: number,
  time: number,
  index: number,
): SourceInput {
  const input = { fuel: 0, soot: 0, theta: 0, growth: 0 }
  if (cells.volume === 0) return input
  const { box, pointers, store } = fields
  const view = (pointer: number): Float32Array => crew.heap.f32(pointer, store.cells)
  const [u, v, w, density, fuel, soot, expansion] = [
    pointers.u,
    pointers.v,
    pointers.w,
    pointers.density,
    pointers.fuel,
    pointers.soot,
    fields.expansion,
  ].map(view) as [Float32Array, Float32Array, Float32Array, Float32Array, Float32Array, Float32Array, Float32Array]
  const sx = box.size[0] + 2
  const sxy = sx * (box.size[1] + 2)
  const times = perArea ? cells.area : 1
  const fuelRate = ((source.heat * times) / HEAT_OF_COMBUSTION / cells.volume) * dt
  const smokeRate = ((source.smoke * times) / cells.volume) * dt
  // A source that is off takes part in nothing.
  const off = source.heat <= 0 && source.smoke <= 0
  const warm = source.temperature
  const volume = box.cell ** 3
  const size = settings.sources[index]?.stirSize ?? 0
  const lump = box.cell / Math.max(2 * box.cell, size)
  // What is stirred changes as fast as what is light rises by its own size (Froude: times go with the root of sizes).
  const pace = Math.sqrt(GRAVITY / Math.max(size, LEAST_STIR))
  const moves = velocity[0] !== 0 || velocity[1] !== 0 || velocity[2] !== 0
  const faces = [u, v, w]
  const strides = [1, sx, sxy]
  cells.elements.forEach((place, n) => {
    const e = elementAt(store, place)
    const share = cells.shares[n] ?? 0
    // What comes out adds its mass and takes its room; it warms (or cools) what is there, which grows (or shrinks) by that.
    const before = density[e] ?? 1
    const mixed = 1 / (1 + (warm / settings.ambient - 1) * share)
    const wanted = off ? before : warm >= settings.ambient ? Math.min(before, mixed) : Math.max(before, mixed)
    const added = (fuelRate * share) / AIR_DENSITY
    // Growing by q sends q of what is there away, as it is, and leaves the rest.
    const q = 1 - wanted / (before + added)
    density[e] = before + added
    fuel[e] = (fuel[e] ?? 0) + added
    soot[e] = (soot[e] ?? 0) + (smokeRate * share) / AIR_DENSITY
    expansion[e] = (expansion[e] ?? 0) + q / dt
    input.theta -= added
    input.growth += q / dt
    input.fuel += fuelRate * share * volume
    input.soot += smokeRate * share * volume
    if (off) return
    for (let axis = 0; axis < 3; axis++) {
      const field = faces[axis]
      if (!field) continue
      const past = elementAt(store, place + (strides[axis] ?? 1))
      const aim = (cells.normals?.[3 * n + axis] ?? source.aim[axis] ?? 0) * source.speed * share
      if (aim > 0) field[past] = Math.max(field[past] ?? 0, aim)
      else if (aim < 0) field[e] = Math.min(field[e] ?? 0, aim)
      if (moves) {
        // It brings the source's own motion by its share of the volume.
        const part = Math.min(1, Math.abs(q))
        for (const at of [e, past])
          field[at] = (field[at] ?? 0) + 0.5 * part * ((velocity[axis] ?? 0) - (field[at] ?? 0))
      }
    }
    if (source.stir > 0) {
      const i = place % sx
      const j = Math.floor(place / sx) % (box.size[1] + 2)
      const k = Math.floor(place / sxy)
      const at = (offset: number): number =>
        noise3(
          settings.seed + index * 101 + offset,
          (i + box.origin[0]) * lump,
          (j + box.origin[1]) * lump + time * pace,
          (k + box.origin[2]) * lump,
        ) *
        source.stir *
        share
      const kick = Math.min(1, dt * pace * 2)
      u[e] = (u[e] ?? 0) + at(0) * kick
      w[e] = (w[e] ?? 0) + at(31) * kick
      const above = elementAt(store, place + sx)
      v[above] = (v[above] ?? 0) + Math.abs(at(57)) * kick * (0.5 + 0.5 * hash01(settings.seed, index))
    }
  })
  return input
}
