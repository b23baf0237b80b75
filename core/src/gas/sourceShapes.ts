import {
  type BrushStroke,
  distanceTo,
  inFrameOf,
  normalAt,
  outOfFrameOf,
  rayToSolid,
  type Solid,
  solidBounds,
  strokesCover,
} from '../data/index.ts'
import { conjugate, dot, insidePolygon, rotate, scale, subtract, type Vec3 } from '../math/index.ts'
import {
  type GasSettings,
  type GasSource,
  type GasView,
  type SceneInputs,
  SHEET,
  type SourceInputs,
} from './settings.ts'

type Inside = (x: number, y: number, z: number) => boolean
export interface Bounds {
  low: Vec3
  high: Vec3
}
/** A source at one moment as a test of places, with its area and two bounds: those that a box leaves room for, and, where these are wider, its own. */
export interface Body {
  inside: Inside
  bounds: Bounds
  own?: Bounds
  area: number | undefined
  normal?: (at: Vec3) => Vec3
  /** What of its strength it has at a place, 0 to 1; all of it where this is not said. */
  share?: (at: Vec3) => number
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
    const hit = view.shapes.some((shape) => insidePolygon(shape, x, y))
    if (!hit) return false
    const distance = Math.sqrt(dot(way, way))
    const along = scale(way, 1 / distance)
    // Nothing stands before it, but for the layer's own depth seen at a slant.
    return solids.every((solid) => (rayToSolid(solid, view.eye, along) ?? Infinity) > distance - 3 * thickness)
  }
}

/** A source at a moment, as its shape's test of places is made from it. */
interface Posed<Kind extends GasSource['shape']['kind'] = GasSource['shape']['kind']> {
  shape: Extract<GasSource['shape'], { kind: Kind }>
  moment: SourceInputs
  solids: readonly Solid[]
  settings: GasSettings
  /** Depth of a layer, m. */
  thick: number
  /** A test in the source's own space as one in the world. */
  own(test: (p: Vec3) => boolean): Inside
}

function ballBody({ shape, moment, settings: { cell }, own }: Posed<'ball'>): Body {
  const radius = Math.max(shape.radius, cell * 0.6)
  return {
    inside: own((p) => dot(p, p) <= radius * radius),
    bounds: around(moment.centre, [radius, radius, radius]),
    area: Math.PI * shape.radius ** 2,
  }
}

function boxBody({ shape, moment, settings: { cell }, own }: Posed<'box'>): Body {
  const half = shape.half.map((h) => Math.max(h, cell / 2))
  const reach = Math.sqrt(half.reduce((sum, h) => sum + h * h, 0))
  return {
    inside: own((p) => p.every((v, a) => Math.abs(v) <= (half[a] ?? 0))),
    bounds: around(moment.centre, [reach, reach, reach]),
    area: 4 * shape.half[0] * shape.half[2],
  }
}

function discBody({ shape, moment, settings: { cell }, own }: Posed<'disc'>): Body {
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

function lineBody({ shape, moment, settings: { cell }, own }: Posed<'line'>): Body {
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

function pointsBody({ moment, settings: { cell } }: Posed<'points'>): Body {
  const points = moment.points ?? []
  const balls = Array.from(
    { length: Math.floor(points.length / 4) },
    (_, n) => points.slice(4 * n, 4 * n + 4) as [number, number, number, number],
  )
  const least = cell * 0.6
  const low = [0, 1, 2].map((a) => balls.reduce((m, b) => Math.min(m, (b[a] ?? 0) - Math.max(b[3], least)), Infinity))
  const high = [0, 1, 2].map((a) => balls.reduce((m, b) => Math.max(m, (b[a] ?? 0) + Math.max(b[3], least)), -Infinity))
  return {
    inside: (x, y, z) =>
      balls.some((b) => (x - b[0]) ** 2 + (y - b[1]) ** 2 + (z - b[2]) ** 2 <= Math.max(b[3], least) ** 2),
    bounds: { low: low as [number, number, number], high: high as [number, number, number] },
    area: balls.reduce((sum, b) => sum + Math.PI * b[3] ** 2, 0),
  }
}

function surfaceBody({ shape, solids, settings: { bounds }, thick }: Posed<'surface'>): Body {
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

/** What is painted of one solid, as a test of places. */
function paintOn(solid: Solid, strokes: readonly BrushStroke[], thick: number) {
  const covered = (at: Vec3): number => {
    const distance = distanceTo(solid, at)
    return distance >= 0 && distance <= thick ? strokesCover(strokes, inFrameOf(solid, footOn(solid, at)), 0) : 0
  }
  return { solid, covered }
}

/** The place on a solid's surface below one that is near it. */
const footOn = (solid: Solid, at: Vec3): Vec3 => subtract(at, scale(normalAt(solid, at), distanceTo(solid, at)))

function paintedBody({ shape, solids, thick }: Posed<'painted'>): Body {
  const coats = solids.flatMap((solid, n) => {
    const strokes = shape.strokes.filter((stroke) => stroke.solid === n)
    return strokes.length > 0 ? [paintOn(solid, strokes, thick)] : []
  })
  const share = (at: Vec3): number => coats.reduce((most, { covered }) => Math.max(most, covered(at)), 0)
  const nearest = (at: Vec3): Solid | undefined =>
    coats.reduce<(typeof coats)[number] | undefined>(
      (best, one) => (best && Math.abs(distanceTo(best.solid, at)) <= Math.abs(distanceTo(one.solid, at)) ? best : one),
      undefined,
    )?.solid
  return {
    inside: (x, y, z) => share([x, y, z]) > 0,
    share,
    bounds: widened(paintBounds(shape.strokes, solids), thick),
    area: undefined,
    normal: (at) => {
      const solid = nearest(at)
      return solid ? normalAt(solid, at) : [0, 1, 0]
    },
  }
}

/** Bounds of what is painted, m, in the world; all of it about the first stroke's place where its solid is gone. */
export function paintBounds(strokes: readonly (BrushStroke & { solid: number })[], solids: readonly Solid[]): Bounds {
  const [low, high] = [
    [Infinity, Infinity, Infinity] as [number, number, number],
    [-Infinity, -Infinity, -Infinity] as [number, number, number],
  ]
  for (const { solid: n, points, radius, erase } of strokes) {
    const solid = solids[n]
    if (!solid || erase) continue
    for (const point of points) {
      const at = outOfFrameOf(solid, point)
      for (let a = 0; a < 3; a++) {
        low[a] = Math.min(low[a] as number, (at[a] as number) - radius)
        high[a] = Math.max(high[a] as number, (at[a] as number) + radius)
      }
    }
  }
  return Number.isFinite(low[0]) ? { low, high } : { low: [0, 0, 0], high: [0, 0, 0] }
}

function areaBody({ shape, solids, thick }: Posed<'area'>): Body {
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

const BODIES: { [Kind in GasSource['shape']['kind']]: (posed: Posed<Kind>) => Body } = {
  ball: ballBody,
  box: boxBody,
  disc: discBody,
  line: lineBody,
  points: pointsBody,
  surface: surfaceBody,
  painted: paintedBody,
  area: areaBody,
}

export function bodyOf(source: GasSource, moment: SourceInputs, solids: readonly Solid[], settings: GasSettings): Body {
  const back = conjugate(moment.rotation)
  const make = BODIES[source.shape.kind] as (posed: Posed) => Body
  return make({
    shape: source.shape,
    moment,
    solids,
    settings,
    thick: Math.max(SHEET, settings.cell),
    own: (test) => (x, y, z) => test(rotate(back, [x - moment.centre[0], y - moment.centre[1], z - moment.centre[2]])),
  })
}

/** Bounds of a source at a moment, metres. */
export const sourceBounds = (settings: GasSettings, moment: SceneInputs, index: number): Bounds | undefined => {
  const source = settings.sources[index]
  const now = moment.sources[index]
  return source && now && bodyOf(source, now, moment.solids, settings).bounds
}
