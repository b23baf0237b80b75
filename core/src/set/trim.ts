import type { SurfaceMesh } from '../data/index.ts'
import { normalise, type Vec3 } from '../math/index.ts'
import type { ThingItem } from './schema.ts'

// A taken-in mesh without what was trimmed off it: by the sides of its box, and along planes.

/** What is kept lies where dot(normal, p) is not above the offset, in the mesh's own units. */
export interface TrimPlane {
  normal: Vec3
  offset: number
}
type Trimmed = Pick<ThingItem, 'mesh' | 'trim' | 'cuts'>

/** Bounds of what the sides leave, in the mesh's units. */
export function trimmedBounds({ mesh, trim }: Pick<ThingItem, 'mesh' | 'trim'>): { low: Vec3; high: Vec3 } {
  const { low, high } = mesh
  if (!trim) return { low, high }
  const at = (axis: 0 | 1 | 2, share: number): number => low[axis] + (high[axis] - low[axis]) * share
  return {
    low: [at(0, trim.low[0]), at(1, trim.low[1]), at(2, trim.low[2])],
    high: [at(0, trim.high[0]), at(1, trim.high[1]), at(2, trim.high[2])],
  }
}

const axisNormal = (axis: number, sign: number): Vec3 => [
  axis === 0 ? sign : 0,
  axis === 1 ? sign : 0,
  axis === 2 ? sign : 0,
]

/** The planes that a thing is trimmed along; none where it is whole. */
export function trimPlanes(item: Trimmed): TrimPlane[] {
  const { low, high } = trimmedBounds(item)
  const sides = [0, 1, 2].flatMap((axis) => [
    ...((item.trim?.low[axis] ?? 0) > 0 ? [{ normal: axisNormal(axis, -1), offset: -(low[axis] ?? 0) }] : []),
    ...((item.trim?.high[axis] ?? 1) < 1 ? [{ normal: axisNormal(axis, 1), offset: high[axis] ?? 0 }] : []),
  ])
  return [...sides, ...(item.cuts ?? [])]
}

/** What of a mesh's vertices goes on straight between two of them. */
const CHANNELS = [
  ['positions', 3],
  ['normals', 3],
  ['uvs', 2],
  ['colours', 4],
  ['closing', 3],
] as const

/** Vertices that a mesh grows by as it is cut. */
class Growing {
  readonly #lists = new Map<string, number[]>()
  readonly #mesh: SurfaceMesh
  readonly #cuts = new Map<string, number>()
  count: number
  constructor(mesh: SurfaceMesh) {
    this.#mesh = mesh
    this.count = mesh.positions.length / 3
    for (const [name] of CHANNELS) {
      const own = mesh[name]
      if (own) this.#lists.set(name, Array.from(own))
    }
  }
  at(vertex: number): Vec3 {
    const p = this.#lists.get('positions') ?? []
    return [p[vertex * 3] ?? 0, p[vertex * 3 + 1] ?? 0, p[vertex * 3 + 2] ?? 0]
  }
  /** The vertex on the edge from a to b, the share t along it; the same one for both triangles of an edge. */
  between(a: number, b: number, t: number): number {
    if (a > b) return this.between(b, a, 1 - t)
    const edge = `${a} ${b}`
    const known = this.#cuts.get(edge)
    if (known !== undefined) return known
    for (const [name, size] of CHANNELS) {
      const list = this.#lists.get(name)
      if (!list) continue
      const mixed = Array.from({ length: size }, (_, c) => {
        const [p, q] = [list[a * size + c] ?? 0, list[b * size + c] ?? 0]
        return p + (q - p) * t
      })
      list.push(...(name === 'normals' ? normalise([mixed[0] ?? 0, mixed[1] ?? 0, mixed[2] ?? 0]) : mixed))
    }
    this.#cuts.set(edge, this.count)
    return this.count++
  }
  /** Edges of another plane are other ones. */
  nextPlane(): void {
    this.#cuts.clear()
  }
  done(indices: number[], parts: number[] | undefined): SurfaceMesh {
    const list = (name: string): number[] => this.#lists.get(name) ?? []
    const { normals, uvs, colours, closing } = this.#mesh
    return {
      positions: Float32Array.from(list('positions')),
      indices: Uint32Array.from(indices),
      ...(normals ? { normals: Float32Array.from(list('normals')) } : {}),
      ...(uvs ? { uvs: Float32Array.from(list('uvs')) } : {}),
      ...(colours ? { colours: Uint8Array.from(list('colours')) } : {}),
      ...(closing ? { closing: Float32Array.from(list('closing')) } : {}),
      ...(parts ? { parts: Uint16Array.from(parts) } : {}),
    }
  }
}

/** A mesh without what lies beyond any of the planes, cut clean along them (Sutherland & Hodgman 1974); open where it was cut. */
export function trimmedMesh(mesh: SurfaceMesh, planes: readonly TrimPlane[]): SurfaceMesh {
  if (planes.length === 0) return mesh
  const grown = new Growing(mesh)
  let indices = Array.from(mesh.indices)
  let parts = mesh.parts && Array.from(mesh.parts)
  for (const { normal, offset } of planes) {
    grown.nextPlane()
    const [kept, keptParts]: [number[], number[]] = [[], []]
    const beyond = (vertex: number): number => {
      const p = grown.at(vertex)
      return normal[0] * p[0] + normal[1] * p[1] + normal[2] * p[2] - offset
    }
    for (let t = 0; t < indices.length; t += 3) {
      const corners = [indices[t] ?? 0, indices[t + 1] ?? 0, indices[t + 2] ?? 0]
      const away = corners.map(beyond)
      const ring: number[] = []
      corners.forEach((own, n) => {
        const [here, next] = [away[n] ?? 0, away[(n + 1) % 3] ?? 0]
        if (here <= 0) ring.push(own)
        if (here <= 0 !== next <= 0) ring.push(grown.between(own, corners[(n + 1) % 3] ?? 0, here / (here - next)))
      })
      for (let n = 2; n < ring.length; n++) {
        kept.push(ring[0] ?? 0, ring[n - 1] ?? 0, ring[n] ?? 0)
        keptParts.push(parts?.[t / 3] ?? 0)
      }
    }
    indices = kept
    if (parts) parts = keptParts
  }
  return grown.done(indices, parts)
}
