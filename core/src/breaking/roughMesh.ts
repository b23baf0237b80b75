import type { SurfaceMesh } from '../data/index.ts'
import { cross, dot, noise3, normalise, subtract, type Vec3 } from '../math/index.ts'
import { LAID_OPEN } from './meshCut.ts'
import { type Roughness, SPECKLE } from './pieceMesh.ts'

// A piece of a mesh with rough faces where the cut laid it open; its outside stays as it was.

/** Times that triangles are split at most. */
const MOST_ROUNDS = 4

type Edge = readonly [Vec3, Vec3]
const halfWay = (a: Vec3, b: Vec3): Vec3 => [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2, (a[2] + b[2]) / 2]

/** More than any number of a corner. */
const CORNERS = 67_108_864
/** Triangles by numbers of their corners, and those corners. */
interface Triangles {
  corners: Vec3[]
  indices: number[]
}

/** Triangles split until no edge is longer than a step; edges are split in their middle, the same from both sides. */
function finely({ corners, indices }: Triangles, step: number): Triangles {
  const all = [...corners]
  const middles = new Map<number, number>()
  /** The middle of an edge that is too long; -1 of one that is not. */
  const middle = (a: number, b: number): number => {
    const key = a < b ? a * CORNERS + b : b * CORNERS + a
    const there = middles.get(key)
    if (there !== undefined) return there
    const [p, q] = [all[a] as Vec3, all[b] as Vec3]
    const away = subtract(q, p)
    const own = dot(away, away) > step * step ? all.push(halfWay(p, q)) - 1 : -1
    middles.set(key, own)
    return own
  }
  let left = indices
  for (let round = 0; round < MOST_ROUNDS; round++) {
    const next: number[] = []
    for (let t = 0; t < left.length; t += 3) {
      const [a, b, c] = [left[t] as number, left[t + 1] as number, left[t + 2] as number]
      const [ab, bc, ca] = [middle(a, b), middle(b, c), middle(c, a)]
      if (ab >= 0 && bc >= 0 && ca >= 0) {
        next.push(a, ab, ca, ab, b, bc, ca, bc, c, ab, bc, ca)
        continue
      }
      // The ring with its middles, as a fan from one of them.
      const ring = [a, ab, b, bc, c, ca].filter((n) => n >= 0)
      const from = ring.length === 3 ? 0 : ring.indexOf(Math.max(ab, bc, ca))
      const at = (n: number): number => ring[(from + n) % ring.length] as number
      for (let n = 2; n < ring.length; n++) next.push(at(0), at(n - 1), at(n))
    }
    const done = next.length === left.length
    left = next
    if (done) break
  }
  return { corners: all, indices: left }
}

/** Squared distance of a place from an edge. */
function awayFrom(at: Vec3, [from, to]: Edge): number {
  const way = subtract(to, from)
  const t = Math.min(1, Math.max(0, dot(subtract(at, from), way) / Math.max(1e-18, dot(way, way))))
  const off = subtract(at, [from[0] + t * way[0], from[1] + t * way[1], from[2] + t * way[2]])
  return dot(off, off)
}

/** Squared distance of a place from the nearest of some edges, as far as it is within a reach. */
function nearest(edges: readonly Edge[], reach: number): (at: Vec3) => number {
  // Six bounds of each: most places are near none.
  const boxes = Float64Array.from(
    edges.flatMap(([p, q]) =>
      ([0, 1, 2] as const).flatMap((a) => [Math.min(p[a], q[a]) - reach, Math.max(p[a], q[a]) + reach]),
    ),
  )
  const outside = (k: number, value: number): boolean =>
    value < (boxes[k] as number) || value > (boxes[k + 1] as number)
  return (at) => {
    let least = reach * reach
    for (let n = 0, k = 0; n < edges.length; n++, k += 6)
      if (!outside(k, at[0]) && !outside(k + 2, at[1]) && !outside(k + 4, at[2]))
        least = Math.min(least, awayFrom(at, edges[n] as Edge))
    return least
  }
}

/** Edges between what was laid open and the outside. */
function rimOf({ positions, indices, parts }: SurfaceMesh): Edge[] {
  const at = (n: number): Vec3 => [positions[3 * n] ?? 0, positions[3 * n + 1] ?? 0, positions[3 * n + 2] ?? 0]
  const keyOf = (place: Vec3): string => place.join()
  const outside = new Set<string>()
  const each = (laidOpen: boolean, take: (a: number, b: number) => void): void => {
    for (let t = 0; t < indices.length / 3; t++)
      if ((parts?.[t] === LAID_OPEN) === laidOpen)
        for (let k = 0; k < 3; k++) take(indices[3 * t + k] as number, indices[3 * t + ((k + 1) % 3)] as number)
  }
  each(false, (a, b) => outside.add(`${keyOf(at(b))}/${keyOf(at(a))}`))
  const rim: Edge[] = []
  each(true, (a, b) => {
    if (outside.has(`${keyOf(at(a))}/${keyOf(at(b))}`)) rim.push([at(a), at(b)])
  })
  return rim
}

/** A piece as it is drawn: what was laid open rough by noise that depends on the place alone, so that neighbours still fit; its colours vary as those of convex pieces do. */
export function roughMesh(mesh: SurfaceMesh, { height, step, seed }: Roughness): SurfaceMesh {
  const { positions, indices, parts, normals, uvs, colours } = mesh
  if (!parts) return mesh
  const rim = height > 0 ? rimOf(mesh) : []
  const reach = 2 * height
  const pitch = 0.45 / step
  const near = nearest(rim, reach)
  const moved = (at: Vec3): Vec3 => {
    if (height <= 0) return at
    const share = Math.sqrt(near(at)) / reach
    const by = (axis: number): number => {
      const [x, y, z] = [at[0] * pitch + 11 * axis, at[1] * pitch + 5, at[2] * pitch + 7]
      return share * height * (noise3(seed + axis, x, y, z) + 0.5 * noise3(seed + axis + 9, 2.3 * x, 2.3 * y, 2.3 * z))
    }
    return [at[0] + by(0), at[1] + by(1), at[2] + by(2)]
  }
  const open: Triangles = { corners: [], indices: [] }
  const numbers = new Map<number, number>()
  const kept: number[] = []
  const keptParts: number[] = []
  parts.forEach((part, t) => {
    for (const n of indices.subarray(3 * t, 3 * t + 3)) {
      if (part !== LAID_OPEN) kept.push(n)
      else {
        const at: Vec3 = [positions[3 * n] as number, positions[3 * n + 1] as number, positions[3 * n + 2] as number]
        const own = numbers.get(n) ?? open.corners.push(at) - 1
        numbers.set(n, own)
        open.indices.push(own)
      }
    }
    if (part !== LAID_OPEN) keptParts.push(part)
  })
  const { corners: added, indices: fine } = height > 0 ? finely(open, step) : open
  const first = positions.length / 3
  const laid = fine.map((n) => first + n)
  const places = added.map(moved)
  const count = first + added.length
  const grown = <T extends Float32Array | Uint8Array>(own: T, size: number): T => {
    const out = new (own.constructor as new (length: number) => T)(count * size)
    out.set(own)
    return out
  }
  const out: SurfaceMesh = {
    positions: grown(positions, 3),
    indices: Uint32Array.from([...kept, ...laid]),
    parts: Uint16Array.from([...keptParts, ...Array.from({ length: fine.length / 3 }, () => LAID_OPEN)]),
    colours: colours ? grown(colours, 4) : new Uint8Array(count * 4).fill(255),
    ...(uvs ? { uvs: grown(uvs, 2) } : {}),
    ...(normals ? { normals: grown(normals, 3) } : {}),
  }
  places.forEach((at, n) => {
    out.positions.set(at, 3 * (first + n))
    const [x, y, z] = added[n] as Vec3
    const byte = Math.round(255 * (1 - SPECKLE * (0.5 + 0.5 * noise3(seed + 40, 31 * x, 31 * y, 31 * z))))
    out.colours?.set([byte, byte, byte, 255], 4 * (first + n))
  })
  if (out.normals) out.normals.set(meanNormals(places, laid, first), 3 * first)
  return out
}

/** Of each place the mean of its triangles' normals, by their areas. */
function meanNormals(places: readonly Vec3[], laid: readonly number[], first: number): Float32Array {
  const sums = new Float32Array(3 * places.length)
  for (let t = 0; t < laid.length; t += 3) {
    const own = [0, 1, 2].map((k) => (laid[t + k] as number) - first)
    const [a, b, c] = own.map((n) => places[n]) as [Vec3, Vec3, Vec3]
    const out = cross(subtract(b, a), subtract(c, a))
    for (const n of own) for (let k = 0; k < 3; k++) sums[3 * n + k] = (sums[3 * n + k] as number) + (out[k] as number)
  }
  for (let n = 0; n < places.length; n++) {
    const own: Vec3 = [sums[3 * n] ?? 0, sums[3 * n + 1] ?? 0, sums[3 * n + 2] ?? 0]
    sums.set(dot(own, own) > 1e-24 ? normalise(own) : [0, 1, 0], 3 * n)
  }
  return sums
}
