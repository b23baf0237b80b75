import {
  boxMesh,
  type Camera,
  type Mesh,
  normalAt,
  pixelRay,
  pointAlong,
  projectPoint,
  type SurfaceMesh,
} from '../../data/index.ts'
import {
  conjugate,
  cos,
  cross,
  dot,
  normalise,
  add as plus,
  radians,
  rotate,
  scale,
  sin,
  subtract,
  type Vec3,
} from '../../math/index.ts'
import { meetPiece, solidOf } from '../kinds.ts'
import { standingPose } from '../pieces.ts'
import type { PieceItem, ThingItem } from '../schema.ts'
import { thingPose } from '../things.ts'
import { trimmedBounds } from '../trim.ts'

// A mark's surface: rays of the camera that it was stamped through, met by the set as it stood then.

/** Points along each side. */
const STEPS = 40
/** m that it lies in front of the surface. */
export const LIFT = 0.0015
/** Neighbours whose surfaces face more than this apart are not joined: cosine. */
const FOLD = 0.35
/** A step across the surface longer than so many of its even ones is a jump behind an edge. */
const JUMP = 4

interface Hit {
  item: string
  at: Vec3
  normal: Vec3
}
/** What a mark is stamped by: the pieces as they stood then, and how. */
export interface Stamp {
  pieces: readonly (readonly [string, PieceItem])[]
  things: readonly (readonly [string, ThingItem])[]
  camera: Camera
  position: Vec3
  width: number
  height: number
  turn: number
}
/** What of a mark lies on one item, in that item's own space. */
export interface Stamped {
  item: string
  mesh: SurfaceMesh
}

/** The nearest piece that a ray meets, and how it faces. */
function hitOf(pieces: Stamp['pieces'], camera: Camera, x: number, y: number): (Hit & { t: number }) | undefined {
  const ray = pixelRay(camera, x, y)
  let best: { t: number; n: number } | undefined
  pieces.forEach(([, piece], n) => {
    const t = meetPiece(piece, ray)
    if (t !== undefined && t > 1e-4 && (!best || t < best.t)) best = { t, n }
  })
  const found = best && pieces[best.n]
  if (!best || !found) return undefined
  const at = pointAlong(ray, best.t)
  return { item: found[0], at, normal: normalAt(solidOf(found[1]), at), t: best.t }
}

/** Where the grid of a stamp lies on the picture. */
interface Grid {
  middle: { x: number; y: number }
  across: number
  down: number
  turn: number
}
const gridPlace = ({ middle, across, down, turn }: Grid, i: number, j: number): { x: number; y: number } => {
  const [c, s] = [cos(radians(turn)), sin(radians(turn))]
  const [u, v] = [(i / STEPS - 0.5) * across, (j / STEPS - 0.5) * down]
  return { x: middle.x + c * u - s * v, y: middle.y + s * u + c * v }
}
/** The reverse: a place of the picture in steps of the grid. */
const gridStep = ({ middle, across, down, turn }: Grid, x: number, y: number): [number, number] => {
  const [c, s] = [cos(radians(turn)), sin(radians(turn))]
  const [dx, dy] = [x - middle.x, y - middle.y]
  return [((c * dx + s * dy) / across + 0.5) * STEPS, ((c * dy - s * dx) / down + 0.5) * STEPS]
}

/** Along a ray to a triangle's plane, and the way that it faces, towards the ray; undefined where it misses. */
function meetTriangle(
  from: Vec3,
  along: Vec3,
  [a, b, c]: readonly [Vec3, Vec3, Vec3],
): { t: number; normal: Vec3 } | undefined {
  const [u, v] = [subtract(b, a), subtract(c, a)]
  const h = cross(along, v)
  const whole = dot(u, h)
  if (whole === 0) return undefined
  const s = subtract(from, a)
  const x = dot(s, h) / whole
  const r = cross(s, u)
  const y = dot(along, r) / whole
  if (x < 0 || y < 0 || x + y > 1) return undefined
  const out = normalise(cross(u, v))
  return { t: dot(v, r) / whole, normal: dot(out, along) > 0 ? scale(out, -1) : out }
}

/** What of the grid's rays meets a taken-in mesh before what they met by now: triangle by triangle, those rays alone that may meet it. */
function hitThing(
  [item, thing]: readonly [string, ThingItem],
  { positions, indices }: Mesh,
  camera: Camera,
  grid: Grid,
  hits: (Hit | undefined)[],
  away: Float64Array,
): void {
  const pose = thingPose(thing)
  const corners = Array.from({ length: positions.length / 3 }, (_, n): Vec3 => {
    const at: Vec3 = [positions[3 * n] ?? 0, positions[3 * n + 1] ?? 0, positions[3 * n + 2] ?? 0]
    return plus(pose.place, rotate(pose.rotation, scale(at, pose.scale)))
  })
  const steps = corners.map((at) => {
    const seen = projectPoint(camera, at)
    return seen && gridStep(grid, seen.x, seen.y)
  })
  for (let t = 0; t < indices.length; t += 3) {
    const own = [0, 1, 2].map((k) => indices[t + k] ?? 0)
    const [p, q, r] = own.map((n) => steps[n])
    const triangle = own.map((n) => corners[n]) as unknown as [Vec3, Vec3, Vec3]
    if (!p || !q || !r) continue
    const span = (a: 0 | 1): [number, number] => [
      Math.max(0, Math.floor(Math.min(p[a], q[a], r[a]))),
      Math.min(STEPS, Math.ceil(Math.max(p[a], q[a], r[a]))),
    ]
    const [[i0, i1], [j0, j1]] = [span(0), span(1)]
    for (let j = j0; j <= j1; j++)
      for (let i = i0; i <= i1; i++) {
        const place = gridPlace(grid, i, j)
        const ray = pixelRay(camera, place.x, place.y)
        const met = meetTriangle(ray.from, ray.along, triangle)
        const n = j * (STEPS + 1) + i
        if (!met || met.t < 1e-4 || met.t >= (away[n] as number)) continue
        away[n] = met.t
        hits[n] = { item, at: pointAlong(ray, met.t), normal: met.normal }
      }
  }
}

/** The parts of a mark on each piece and thing that it lies on; none where its middle is behind the camera. meshOfThing: in its file's units; a thing without one is passed over. */
export function stampOn(
  { pieces, things, camera, position, width, height, turn }: Stamp,
  meshOfThing: (thing: ThingItem) => Mesh | undefined = () => undefined,
): Stamped[] {
  const middle = projectPoint(camera, position)
  if (!middle) return []
  const [across, down] = [width, height].map((size) => (size * camera.focalPx) / middle.depth) as [number, number]
  const grid: Grid = { middle, across, down, turn }
  const hits: (Hit | undefined)[] = []
  const away = new Float64Array((STEPS + 1) * (STEPS + 1)).fill(Infinity)
  for (let j = 0; j <= STEPS; j++)
    for (let i = 0; i <= STEPS; i++) {
      const { x, y } = gridPlace(grid, i, j)
      const found = hitOf(pieces, camera, x, y)
      if (found) away[hits.length] = found.t
      hits.push(found)
    }
  for (const one of things) {
    const mesh = meshOfThing(one[1])
    if (mesh) hitThing(one, mesh, camera, grid, hits, away)
  }
  const parts = new Map<string, number[]>()
  const longest = (JUMP * Math.max(width, height)) / STEPS
  const joined = (a: number, b: number): boolean => {
    const [p, q] = [hits[a], hits[b]]
    if (!p || !q || p.item !== q.item) return false
    const way = subtract(p.at, q.at)
    const facing = p.normal[0] * q.normal[0] + p.normal[1] * q.normal[1] + p.normal[2] * q.normal[2]
    return facing > FOLD && way[0] ** 2 + way[1] ** 2 + way[2] ** 2 < (4 * longest) ** 2
  }
  const add = (a: number, b: number, d: number): void => {
    const on = hits[a]?.item
    if (on === undefined || !joined(a, b) || !joined(b, d) || !joined(a, d)) return
    parts.set(on, [...(parts.get(on) ?? []), a, b, d])
  }
  for (let j = 0; j < STEPS; j++)
    for (let i = 0; i < STEPS; i++) {
      const a = j * (STEPS + 1) + i
      add(a, a + STEPS + 1, a + 1)
      add(a + 1, a + STEPS + 1, a + STEPS + 2)
    }
  return [...parts].flatMap(([on, indices]) => {
    const piece = [...pieces, ...things].find(([id]) => id === on)?.[1]
    return piece ? [{ item: on, mesh: meshOf(piece, indices, hits) }] : []
  })
}

/** Triangles of hits on an item, in its own space. */
function meshOf(
  piece: PieceItem | ThingItem,
  corners: readonly number[],
  hits: readonly (Hit | undefined)[],
): SurfaceMesh {
  const pose = standingPose(piece)
  const back = conjugate(pose.rotation)
  const places = new Map<number, number>()
  const [positions, normals, uvs]: [number[], number[], number[]] = [[], [], []]
  const indices = corners.map((n) => {
    const known = places.get(n)
    if (known !== undefined) return known
    const hit = hits[n]
    const at: Vec3 = hit?.at ?? [0, 0, 0]
    const normal: Vec3 = hit?.normal ?? [0, 1, 0]
    const lifted: Vec3 = [at[0] + LIFT * normal[0], at[1] + LIFT * normal[1], at[2] + LIFT * normal[2]]
    positions.push(...rotate(back, subtract(lifted, pose.position)))
    normals.push(...rotate(back, normal))
    uvs.push((n % (STEPS + 1)) / STEPS, Math.floor(n / (STEPS + 1)) / STEPS)
    places.set(n, positions.length / 3 - 1)
    return positions.length / 3 - 1
  })
  return {
    positions: Float32Array.from(positions),
    normals: Float32Array.from(normals),
    uvs: Float32Array.from(uvs),
    indices: Uint32Array.from(indices),
  }
}

/** The box that a taken-in mesh fills, as a mesh: for outlines where its triangles are not at hand. */
export function boundsOfThing(thing: ThingItem): Mesh {
  const { low, high } = trimmedBounds(thing)
  return boxMesh(scale(plus(low, high), 0.5), scale(subtract(high, low), 0.5), [0, 0, 0, 1])
}
