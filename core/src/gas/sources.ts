import { type Crew, hash01 } from '../base/index.ts'
import { paddedCells, paddedIndex } from '../data/index.ts'
import { noise3 } from '../math/index.ts'
import type { GasFields } from './fields.ts'
import { AIR_DENSITY, type GasSettings, type GasSource, HEAT_OF_COMBUSTION } from './settings.ts'

/** Cells of a source with the share of each that it fills; a source thinner than a cell still has one layer. */
export interface SourceCells {
  elements: Int32Array
  shares: Float32Array
  /** Sum of the shares x volume of a cell, m^3. */
  volume: number
}

const FLUID = 1
const SUBSAMPLES = 3

function insideShape(source: GasSource, cell: number, x: number, y: number, z: number): boolean {
  const { shape } = source
  const dx = x - source.centre[0]
  const dy = y - source.centre[1]
  const dz = z - source.centre[2]
  if (shape.kind === 'ball') return dx * dx + dy * dy + dz * dz <= Math.max(shape.radius, cell * 0.6) ** 2
  if (shape.kind === 'box') return Math.abs(dx) <= Math.max(shape.half[0], cell / 2) && Math.abs(dy) <= Math.max(shape.half[1], cell / 2) && Math.abs(dz) <= Math.max(shape.half[2], cell / 2)
  return dx * dx + dz * dz <= Math.max(shape.radius, cell * 0.6) ** 2 && dy >= 0 && dy <= Math.max(shape.thickness, cell)
}

/** Half extents of the source's bounds, metres. */
export function sourceReach(source: GasSource, cell: number): readonly [number, number, number] {
  const { shape } = source
  if (shape.kind === 'ball') return [shape.radius + cell, shape.radius + cell, shape.radius + cell]
  if (shape.kind === 'box') return [shape.half[0] + cell, shape.half[1] + cell, shape.half[2] + cell]
  return [shape.radius + cell, shape.thickness + 2 * cell, shape.radius + cell]
}

/** The fluid cells that a source fills, by 27 points in each. */
export function sourceCells(crew: Crew, fields: GasFields, source: GasSource): SourceCells {
  const { box } = fields
  const flags = crew.heap.u8(fields.flags, paddedCells(box.size))
  const reach = sourceReach(source, box.cell)
  const low = source.centre.map((c, a) => Math.max(0, Math.floor((c - (reach[a] ?? 0)) / box.cell) - (box.origin[a] ?? 0)))
  const high = source.centre.map((c, a) => Math.min((box.size[a] ?? 0) - 1, Math.ceil((c + (reach[a] ?? 0)) / box.cell) - (box.origin[a] ?? 0)))
  const elements: number[] = []
  const shares: number[] = []
  let total = 0
  for (let k = low[2] ?? 0; k <= (high[2] ?? -1); k++)
    for (let j = low[1] ?? 0; j <= (high[1] ?? -1); j++)
      for (let i = low[0] ?? 0; i <= (high[0] ?? -1); i++) {
        const element = paddedIndex(box.size, i, j, k)
        if (flags[element] !== FLUID) continue
        let hits = 0
        for (let s = 0; s < SUBSAMPLES ** 3; s++) {
          const at = (n: number, o: number): number => (o + n) * box.cell
          const [a, b, c] = [s % 3, Math.floor(s / 3) % 3, Math.floor(s / 9)].map((n) => (n + 0.5) / SUBSAMPLES) as [number, number, number]
          if (insideShape(source, box.cell, at(i + a, box.origin[0]), at(j + b, box.origin[1]), at(k + c, box.origin[2]))) hits++
        }
        if (hits === 0) continue
        elements.push(element)
        shares.push(hits / SUBSAMPLES ** 3)
        total += hits / SUBSAMPLES ** 3
      }
  return { elements: Int32Array.from(elements), shares: Float32Array.from(shares), volume: total * box.cell ** 3 }
}

/** What a step's sources put in: fuel and soot in kg, heat that came with the temperature, as a sum of theta over cells, and that which comes with the volume of the fuel, 1/s. */
export interface SourceInput {
  fuel: number
  soot: number
  theta: number
  growth: number
}

/** Sets a source free for `dt` seconds: adds fuel and soot, warms, lifts and stirs. Stirring is seeded by place and time. */
export function feed(crew: Crew, fields: GasFields, settings: GasSettings, source: GasSource, cells: SourceCells, dt: number, time: number, index: number): SourceInput {
  const input = { fuel: 0, soot: 0, theta: 0, growth: 0 }
  if (cells.volume === 0) return input
  const { box, pointers } = fields
  const count = paddedCells(box.size)
  const view = (pointer: number): Float32Array => crew.heap.f32(pointer, count)
  const [u, v, w, density, fuel, soot, expansion] = [pointers.u, pointers.v, pointers.w, pointers.density, pointers.fuel, pointers.soot, fields.expansion].map(view) as [Float32Array, Float32Array, Float32Array, Float32Array, Float32Array, Float32Array, Float32Array]
  const sx = box.size[0] + 2
  const sxy = sx * (box.size[1] + 2)
  const fuelRate = (source.heat / HEAT_OF_COMBUSTION / cells.volume) * dt
  const smokeRate = (source.smoke / cells.volume) * dt
  const warm = source.temperature
  const volume = box.cell ** 3
  const pace = 7
  cells.elements.forEach((e, n) => {
    const share = cells.shares[n] ?? 0
    // What comes out adds its mass and takes its room; it warms what is there, which grows by that.
    const before = density[e] ?? 1
    const wanted = Math.min(before, 1 / (1 + (warm / settings.ambient - 1) * share))
    const added = (fuelRate * share) / AIR_DENSITY
    const q = before / wanted - 1 + added / before
    density[e] = before + added
    fuel[e] = (fuel[e] ?? 0) + added
    soot[e] = (soot[e] ?? 0) + (smokeRate * share) / AIR_DENSITY
    expansion[e] = (expansion[e] ?? 0) + q / dt
    input.theta -= added
    input.growth += q / dt
    input.fuel += fuelRate * share * volume
    input.soot += smokeRate * share * volume
    const lift = Math.max(v[e + sx] ?? 0, source.speed * share)
    if (source.speed > 0) v[e + sx] = lift
    if (source.stir > 0) {
      const i = e % sx
      const j = Math.floor(e / sx) % (box.size[1] + 2)
      const k = Math.floor(e / sxy)
      // Lumps of about four cells that change several times a second.
      const at = (offset: number): number => noise3(settings.seed + index * 101 + offset, (i + box.origin[0]) / 4, (j + box.origin[1]) / 4 + time * pace, (k + box.origin[2]) / 4) * source.stir * share
      const kick = Math.min(1, dt * pace * 2)
      u[e] = (u[e] ?? 0) + at(0) * kick
      w[e] = (w[e] ?? 0) + at(31) * kick
      v[e + sx] = (v[e + sx] ?? 0) + Math.abs(at(57)) * kick * (0.5 + 0.5 * hash01(settings.seed, index))
    }
  })
  return input
}
