import { type Crew, hash01 } from '../base/index.ts'
import { distanceTo, normalAt, paddedIndex, rayToSolid, type Solid, solidBounds } from '../data/index.ts'
import { conjugate, dot, noise3, rotate, scale, subtract, type Vec3 } from '../math/index.ts'
import type { GasFields } from './fields.ts'
import { sceneInputsBetween, travelOf } from './sceneInputs.ts'
import {
  AIR_DENSITY,
  type GasSettings,
  type GasSource,
  type GasView,
  GRAVITY,
  HEAT_OF_COMBUSTION,
  type SceneInputs,
  SHEET,
  type SourceInputs,
} from './settings.ts'
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

type Inside = (x: number, y: number, z: number) => boolean
interface Bounds {
  low: Vec3
  high: Vec3
}
/** A source at one moment as a test of places, with its area and two bounds: those that a box leaves room for, and, where these are wider, its own. */
interface Body {
  inside: Inside
  bounds: Bounds
  own?: Bounds
  area: number | undefined
  normal?: (at: Vec3) => Vec3
}

const around = (centre: Vec3, reach: readonly number[]): Bounds => ({
  low: centre.map((c, a) => c - (reach[a] ?? 0)) as [number, number, number],
  high: centre.map((c, a) => c + (reach[a] ?? 0)) as [number, number, number],
})

const widened = ({ low, high }: Bounds, by: number): Bounds => ({
  low: [low[0] - by, low[1] - by, low[2] - by],
  high: [high[0] + by, high[1] + by, high[2] + by],
})

function insideView(view: GasView, solids: readonly Solid[], thickness: number): (at: Vec3) => boolean {
  const back = conjugate(view.rotation)
  return (at) => {
    const way = subtract(at, view.eye)
    const local = rotate(back, way)
    if (local[2] > -1e-6) return false
    const [x, y] = [local[0] / -local[2], -local[1] / -local[2]]
    const hit = view.shapes.some((shape) => {
      let odd = false
      for (let n = 0, m = shape.length - 1; n < shape.length; m = n++) {
        const [ax, ay] = shape[n] ?? [0, 0]
        const [bx, by] = shape[m] ?? [0, 0]
        if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) odd = !odd
      }
      return odd
    })
    if (!hit) return false
    const distance = Math.sqrt(dot(way, way))
    const along = scale(way, 1 / distance)
    // Nothing stands before it, but for the layer's own depth seen at a slant.
    return solids.every((solid) => (rayToSolid(solid, view.eye, along) ?? Infinity) > distance - 3 * thickness)
  }
}

function bodyOf(source: GasSource, moment: SourceInputs, solids: readonly Solid[], settings: GasSettings): Body {
  const { shape } = source
  const { cell, bounds } = settings
  const thick = Math.max(SHEET, cell)
  const back = conjugate(moment.rotation)
  const own =
    (test: (p: Vec3) => boolean): Inside =>
    (x, y, z) =>
      test(rotate(back, [x - moment.centre[0], y - moment.centre[1], z - moment.centre[2]]))
  switch (shape.kind) {
    case 'ball': {
      const radius = Math.max(shape.radius, cell * 0.6)
      return {
        inside: own((p) => dot(p, p) <= radius * radius),
        bounds: around(moment.centre, [radius, radius, radius]),
        area: Math.PI * shape.radius ** 2,
      }
    }
    case 'box': {
      const half = shape.half.map((h) => Math.max(h, cell / 2))
      const reach = Math.sqrt(half.reduce((sum, h) => sum + h * h, 0))
      return {
        inside: own((p) => p.every((v, a) => Math.abs(v) <= (half[a] ?? 0))),
        bounds: around(moment.centre, [reach, reach, reach]),
        area: 4 * shape.half[0] * shape.half[2],
      }
    }
    case 'disc': {
      const radius = Math.max(shape.radius, cell * 0.6)
      const thickness = Math.max(shape.thickness, cell)
      const axis = rotate(moment.rotation, [0, 1, 0])
      const reach = axis.map((a) => radius * Math.sqrt(Math.max(0, 1 - a * a)) + thickness * Math.abs(a) + 1e-6)
      return {
        inside: own((p) => p[0] * p[0] + p[2] * p[2] <= radius * radius && p[1] >= 0 && p[1] <= thickness),
        own: around(moment.centre, reach),
        bounds: around(moment.centre, [radius + thickness, radius + thickness, radius + thickness]),
        area: Math.PI * shape.radius ** 2,
      }
    }
    case 'line': {
      const radius = Math.max(shape.radius, cell * 0.6)
      const thickness = Math.max(shape.thickness, cell)
      const pieces = shape.points.slice(1).map((b, n) => ({ a: shape.points[n] ?? b, b }))
      const near = (p: Vec3): boolean =>
        pieces.some(({ a, b }) => {
          // Level distance to the piece, and height over it.
          const d = subtract(b, a)
          const level = d[0] * d[0] + d[2] * d[2]
          const t = level > 0 ? Math.min(1, Math.max(0, ((p[0] - a[0]) * d[0] + (p[2] - a[2]) * d[2]) / level)) : 0
          const [x, y, z] = [p[0] - a[0] - t * d[0], p[1] - a[1] - t * d[1], p[2] - a[2] - t * d[2]]
          return x * x + z * z <= radius * radius && y >= -1e-9 && y <= thickness
        })
      const reach = Math.max(...shape.points.map((p) => Math.sqrt(dot(p, p)))) + radius + thickness
      const long = pieces.reduce((sum, { a, b }) => sum + Math.sqrt(dot(subtract(b, a), subtract(b, a))), 0)
      return { inside: own(near), bounds: around(moment.centre, [reach, reach, reach]), area: 2 * shape.radius * long }
    }
    case 'points': {
      const points = moment.points ?? []
      const balls = Array.from(
        { length: Math.floor(points.length / 4) },
        (_, n) => points.slice(4 * n, 4 * n + 4) as [number, number, number, number],
      )
      const least = cell * 0.6
      const low = [0, 1, 2].map((a) =>
        balls.reduce((m, b) => Math.min(m, (b[a] ?? 0) - Math.max(b[3], least)), Infinity),
      )
      const high = [0, 1, 2].map((a) =>
        balls.reduce((m, b) => Math.max(m, (b[a] ?? 0) + Math.max(b[3], least)), -Infinity),
      )
      return {
        inside: (x, y, z) =>
          balls.some((b) => (x - b[0]) ** 2 + (y - b[1]) ** 2 + (z - b[2]) ** 2 <= Math.max(b[3], least) ** 2),
        bounds: { low: low as [number, number, number], high: high as [number, number, number] },
        area: balls.reduce((sum, b) => sum + Math.PI * b[3] ** 2, 0),
      }
    }
    case 'surface': {
      const solid = solids[shape.solid]
      if (!solid) return { inside: () => false, bounds, area: 0 }
      const seen = shape.view && insideView(shape.view, solids, thick)
      const box = solidBounds(solid)
      const reach: Bounds = shape.view
        ? widened(shape.view, thick)
        : box
          ? {
              low: box.low.map((v) => v - thick) as [number, number, number],
              high: box.high.map((v) => v + thick) as [number, number, number],
            }
          : bounds
      return {
        inside: (x, y, z) => {
          const distance = distanceTo(solid, [x, y, z])
          return distance >= 0 && distance <= thick && (!seen || seen([x, y, z]))
        },
        bounds: reach,
        area: undefined,
        normal: (at) => normalAt(solid, at),
      }
    }
    case 'area': {
      const seen = insideView(shape.view, solids, thick)
      const nearest = (at: Vec3): Solid | undefined =>
        solids.reduce<Solid | undefined>(
          (best, solid) => (best && distanceTo(best, at) <= distanceTo(solid, at) ? best : solid),
          undefined,
        )
      return {
        inside: (x, y, z) => {
          const solid = nearest([x, y, z])
          const distance = solid ? distanceTo(solid, [x, y, z]) : Infinity
          return distance >= 0 && distance <= thick && seen([x, y, z])
        },
        bounds: widened(shape.view, thick),
        area: undefined,
        normal: (at) => {
          const solid = nearest(at)
          return solid ? normalAt(solid, at) : [0, 1, 0]
        },
      }
    }
  }
}

/** Bounds of a source at a moment, metres. */
export const sourceBounds = (settings: GasSettings, moment: SceneInputs, index: number): Bounds | undefined => {
  const source = settings.sources[index]
  const now = moment.sources[index]
  return source && now && bodyOf(source, now, moment.solids, settings).bounds
}

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
          for (const one of bodies) if (one.inside(x, y, z)) hits++
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
