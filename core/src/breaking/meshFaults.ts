import { LanternError } from '../base/index.ts'
import type { Mesh } from '../data/index.ts'
import { cross, dot, subtract, type Vec3 } from '../math/index.ts'

// What makes a mesh no solid: edges that are open, and triangles that go through each other.

/** Corners nearer than this share of the mesh's size are one. */
const SAME = 1e-6
/** Cells of the grid along the longest side, at most. */
const MOST_CELLS = 96
/** A crossing nearer than this share of an edge or a triangle to its rim is only touching. */
const RIM = 1e-5

/** Triangles by corners that are one where they lie in one place, and the corners' places. */
export interface Welded {
  corners: Vec3[]
  indices: Uint32Array
  low: Vec3
  high: Vec3
}

export function weld({ positions, indices }: Mesh): Welded {
  const low: [number, number, number] = [Infinity, Infinity, Infinity]
  const high: [number, number, number] = [-Infinity, -Infinity, -Infinity]
  positions.forEach((value, n) => {
    const a = n % 3
    low[a] = Math.min(low[a] as number, value)
    high[a] = Math.max(high[a] as number, value)
  })
  const step = SAME * Math.max(1e-9, ...[0, 1, 2].map((a) => (high[a] as number) - (low[a] as number)))
  const known = new Map<string, number>()
  const corners: Vec3[] = []
  const to = Array.from({ length: positions.length / 3 }, (_, n) => {
    const at: Vec3 = [positions[3 * n] ?? 0, positions[3 * n + 1] ?? 0, positions[3 * n + 2] ?? 0]
    const key = at.map((value, a) => Math.round((value - (low[a] as number)) / step)).join()
    const there = known.get(key)
    if (there !== undefined) return there
    known.set(key, corners.length)
    return corners.push(at) - 1
  })
  return { corners, indices: indices.map((n) => to[n] as number), low, high }
}

/** How many edges have no triangle on their other side, and where the first is; undefined where all have. */
export function openEdges({ corners, indices }: Welded): { count: number; at: Vec3 } | undefined {
  const edges = new Map<number, number>()
  for (let t = 0; t < indices.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const [a, b] = [indices[t + k] as number, indices[t + ((k + 1) % 3)] as number]
      if (a === b) continue
      const key = a < b ? a * corners.length + b : b * corners.length + a
      edges.set(key, (edges.get(key) ?? 0) + (a < b ? 1 : -1))
    }
  const open = [...edges].filter(([, sum]) => sum !== 0)
  const [first] = open
  return first && { count: open.length, at: corners[first[0] % corners.length] as Vec3 }
}

/** Where the edge from p to q goes through a triangle, well within both (Möller & Trumbore 1997). */
function through(p: Vec3, q: Vec3, a: Vec3, b: Vec3, c: Vec3): Vec3 | undefined {
  const [way, u, v] = [subtract(q, p), subtract(b, a), subtract(c, a)]
  const h = cross(way, v)
  const whole = dot(u, h)
  if (whole === 0) return undefined
  const s = subtract(p, a)
  const x = dot(s, h) / whole
  if (x < RIM || x > 1 - RIM) return undefined
  const r = cross(s, u)
  const y = dot(way, r) / whole
  if (y < RIM || x + y > 1 - RIM) return undefined
  const t = dot(v, r) / whole
  if (t < RIM || t > 1 - RIM) return undefined
  return [p[0] + t * way[0], p[1] + t * way[1], p[2] + t * way[2]]
}

/** A place where two triangles go through each other; undefined where none do. */
export function crossingAt({ corners, indices, low, high }: Welded): Vec3 | undefined {
  const count = indices.length / 3
  const size = Math.max(...[0, 1, 2].map((a) => (high[a] as number) - (low[a] as number)))
  const step = size / Math.min(MOST_CELLS, Math.max(1, Math.round(Math.sqrt(count / 6))))
  const corner = (t: number, k: number): Vec3 => corners[indices[3 * t + k] as number] as Vec3
  const cellOf = (value: number, a: number): number => Math.floor((value - (low[a] as number)) / step)
  const cells = new Map<number, number[]>()
  for (let t = 0; t < count; t++) {
    const span = [0, 1, 2].map((a) => {
      const own = [0, 1, 2].map((k) => corner(t, k)[a] as number)
      return [cellOf(Math.min(...own), a), cellOf(Math.max(...own), a)] as const
    }) as [readonly [number, number], readonly [number, number], readonly [number, number]]
    for (let x = span[0][0]; x <= span[0][1]; x++)
      for (let y = span[1][0]; y <= span[1][1]; y++)
        for (let z = span[2][0]; z <= span[2][1]; z++) {
          const key = (z * 1024 + y) * 1024 + x
          const there = cells.get(key)
          if (there) there.push(t)
          else cells.set(key, [t])
        }
  }
  const shares = (a: number, b: number): boolean => {
    for (let k = 0; k < 3; k++) for (let l = 0; l < 3; l++) if (indices[3 * a + k] === indices[3 * b + l]) return true
    return false
  }
  for (const own of cells.values())
    for (const a of own)
      for (const b of own) {
        if (a === b || shares(a, b)) continue
        for (let k = 0; k < 3; k++) {
          const at = through(corner(a, k), corner(a, (k + 1) % 3), corner(b, 0), corner(b, 1), corner(b, 2))
          if (at) return at
        }
      }
  return undefined
}

const told = (at: Vec3): string => at.map((value) => `${value.toFixed(2)} m`).join(', ')
/** Throws LanternError 'mesh-open' or 'mesh-crosses', saying where, on what is no closed solid. */
export function checkSolid(mesh: Mesh): Welded {
  const welded = weld(mesh)
  const field = { field: 'piece' }
  const open = openEdges(welded)
  if (open)
    throw new LanternError(
      'mesh-open',
      `The mesh is open: ${open.count.toLocaleString('en')} edges have one side alone, the first at ${told(open.at)} of its own space.`,
      'Close it in the program that it comes from and take it in again, or break a box or form in its place.',
      field,
    )
  const crossing = crossingAt(welded)
  if (crossing)
    throw new LanternError(
      'mesh-crosses',
      `The mesh goes through itself at ${told(crossing)} of its own space.`,
      'Unite its parts in the program that it comes from and take it in again.',
      field,
    )
  return welded
}
