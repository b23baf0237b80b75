import { type Camera, normalAt, pixelRay, pointAlong, projectPoint, type SurfaceMesh } from '../../data/index.ts'
import { conjugate, cos, radians, rotate, sin, subtract, type Vec3 } from '../../math/index.ts'
import { meetPiece, type PieceItem, solidOf, standingPose } from '../../set/index.ts'

// A mark's surface: rays of the camera that it was stamped through, met by the set as it stood then.

/** Points along each side. */
const STEPS = 40
/** m that it lies in front of the surface. */
const LIFT = 0.0015
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
function hitOf(pieces: Stamp['pieces'], camera: Camera, x: number, y: number): Hit | undefined {
  const ray = pixelRay(camera, x, y)
  let best: { t: number; n: number } | undefined
  pieces.forEach(([, piece], n) => {
    const t = meetPiece(piece, ray)
    if (t !== undefined && t > 1e-4 && (!best || t < best.t)) best = { t, n }
  })
  const found = best && pieces[best.n]
  if (!best || !found) return undefined
  const at = pointAlong(ray, best.t)
  return { item: found[0], at, normal: normalAt(solidOf(found[1]), at) }
}

/** The parts of a mark on each piece that it lies on; none where its middle is behind the camera. */
export function stampOn({ pieces, camera, position, width, height, turn }: Stamp): Stamped[] {
  const middle = projectPoint(camera, position)
  if (!middle) return []
  const [across, down] = [width, height].map((size) => (size * camera.focalPx) / middle.depth) as [number, number]
  const [c, s] = [cos(radians(turn)), sin(radians(turn))]
  const hits: (Hit | undefined)[] = []
  for (let j = 0; j <= STEPS; j++)
    for (let i = 0; i <= STEPS; i++) {
      const [u, v] = [(i / STEPS - 0.5) * across, (j / STEPS - 0.5) * down]
      hits.push(hitOf(pieces, camera, middle.x + c * u - s * v, middle.y + s * u + c * v))
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
    const piece = pieces.find(([id]) => id === on)?.[1]
    return piece ? [{ item: on, mesh: meshOf(piece, indices, hits) }] : []
  })
}

/** Triangles of hits on an item, in its own space. */
function meshOf(piece: PieceItem, corners: readonly number[], hits: readonly (Hit | undefined)[]): SurfaceMesh {
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
