import { cross, dot, normalise, subtract, type Vec3 } from '../math/index.ts'
import type { ConvexPart, FormPlane } from './forms.ts'

// Convex bodies as corners and faces, cut by planes. All in doubles, so that neighbours that share a face agree on it.

/** A face: its corners counter-clockwise as seen from outside, and what lies beyond it. */
export interface ConvexFace {
  /** Of the neighbour that shares it; below 0 a side of the whole body. */
  beyond: number
  ring: readonly number[]
}
export interface Convex {
  corners: readonly Vec3[]
  faces: readonly ConvexFace[]
}

/** Corners nearer to a plane than this lie on it, m. */
const NEAR = 1e-9

/** Sides of a box: what lies beyond each of its faces, in the order x low, x high, y low, y high, z low, z high. */
export const SIDES = [-1, -2, -3, -4, -5, -6] as const

/** A box between two corners. */
export function boxBody(low: Vec3, high: Vec3): Convex {
  const corners = Array.from(
    { length: 8 },
    (_, n): Vec3 => [n & 1 ? high[0] : low[0], n & 2 ? high[1] : low[1], n & 4 ? high[2] : low[2]],
  )
  const rings = [
    [0, 4, 6, 2],
    [1, 3, 7, 5],
    [0, 1, 5, 4],
    [2, 6, 7, 3],
    [0, 2, 3, 1],
    [4, 5, 7, 6],
  ]
  return { corners, faces: rings.map((ring, n) => ({ beyond: SIDES[n] as number, ring })) }
}

/** Signed distances of corners to a plane: 0 where they lie on it. */
function sidesOf({ corners }: Convex, [a, b, c]: Vec3, offset: number): Float64Array {
  return Float64Array.from(corners, ([x, y, z]) => {
    const side = a * x + b * y + c * z - offset
    return Math.abs(side) < NEAR ? 0 : side
  })
}

/** The ring that closes a body where a plane cut it: its open edges, one after the other; undefined where they don't close. */
function capOf(faces: readonly ConvexFace[], count: number): number[] | undefined {
  const edges = new Set<number>()
  const each = (take: (from: number, to: number) => void): void => {
    for (const { ring } of faces) ring.forEach((from, k) => take(from, ring[(k + 1) % ring.length] as number))
  }
  each((from, to) => edges.add(from * count + to))
  const next = new Map<number, number>()
  each((from, to) => {
    if (!edges.has(to * count + from)) next.set(to, from)
  })
  const [start] = next.keys()
  if (start === undefined || next.size < 3) return undefined
  const ring = [start]
  for (let at = next.get(start); at !== start; at = next.get(at)) {
    if (at === undefined || ring.length > next.size) return undefined
    ring.push(at)
  }
  return ring
}

/**
 * What of a convex body lies on the inner side of a plane: normal · p <= offset (Sutherland & Hodgman 1974, face by face).
 * normal: unit, outward; beyond: what the new face is told to have behind it. The body itself where the plane misses it, undefined where nothing is left.
 */
export function clipConvex(body: Convex, normal: Vec3, offset: number, beyond: number): Convex | undefined {
  const sides = sidesOf(body, normal, offset)
  if (sides.every((side) => side <= 0)) return body
  if (sides.every((side) => side >= 0)) return undefined
  const corners: Vec3[] = []
  const kept = new Int32Array(sides.length).fill(-1)
  sides.forEach((side, n) => {
    if (side <= 0) kept[n] = corners.push(body.corners[n] as Vec3) - 1
  })
  const made = new Map<number, number>()
  // An edge is cut the same way from both of its faces.
  const cut = (i: number, j: number): number => {
    const [a, b] = i < j ? [i, j] : [j, i]
    const key = a * sides.length + b
    const there = made.get(key)
    if (there !== undefined) return there
    const t = (sides[a] as number) / ((sides[a] as number) - (sides[b] as number))
    const [p, q] = [body.corners[a] as Vec3, body.corners[b] as Vec3]
    const place: Vec3 = [p[0] + (q[0] - p[0]) * t, p[1] + (q[1] - p[1]) * t, p[2] + (q[2] - p[2]) * t]
    made.set(key, corners.push(place) - 1)
    return corners.length - 1
  }
  const faces: ConvexFace[] = []
  for (const { ring, beyond: own } of body.faces) {
    const out: number[] = []
    ring.forEach((i, k) => {
      const j = ring[(k + 1) % ring.length] as number
      const [a, b] = [sides[i] as number, sides[j] as number]
      if (a <= 0) out.push(kept[i] as number)
      if ((a < 0 && b > 0) || (a > 0 && b < 0)) out.push(cut(i, j))
    })
    if (out.length >= 3) faces.push({ beyond: own, ring: out })
  }
  const cap = capOf(faces, corners.length)
  if (cap) faces.push({ beyond, ring: cap })
  return faces.length >= 4 ? { corners, faces } : undefined
}

/** Volume of a convex body, m^3, its middle of mass, and the area of each face, m^2. */
export function measureConvex({ corners, faces }: Convex): { volume: number; middle: Vec3; areas: number[] } {
  const o = corners[0] ?? [0, 0, 0]
  const from = (n: number): Vec3 => {
    const p = corners[n] as Vec3
    return [p[0] - o[0], p[1] - o[1], p[2] - o[2]]
  }
  let volume = 0
  const moment = [0, 0, 0]
  const areas = faces.map(({ ring }) => {
    const a = from(ring[0] as number)
    let area = [0, 0, 0]
    for (let k = 1; k + 1 < ring.length; k++) {
      const [b, c] = [from(ring[k] as number), from(ring[k + 1] as number)]
      const [u, v] = [
        [b[0] - a[0], b[1] - a[1], b[2] - a[2]],
        [c[0] - a[0], c[1] - a[1], c[2] - a[2]],
      ] as [number[], number[]]
      const cross = [0, 1, 2].map(
        (n) =>
          (u[(n + 1) % 3] as number) * (v[(n + 2) % 3] as number) -
          (u[(n + 2) % 3] as number) * (v[(n + 1) % 3] as number),
      )
      area = area.map((part, n) => part + (cross[n] as number))
      const six = a[0] * (cross[0] as number) + a[1] * (cross[1] as number) + a[2] * (cross[2] as number)
      volume += six / 6
      for (let n = 0; n < 3; n++)
        moment[n] = (moment[n] as number) + (six / 24) * ((a[n] as number) + (b[n] as number) + (c[n] as number))
    }
    return Math.sqrt(area.reduce((sum, part) => sum + part * part, 0)) / 2
  })
  const middle = moment.map((part, n) => (volume > 0 ? part / volume : 0) + (o[n] as number))
  return { volume, middle: middle as unknown as Vec3, areas }
}

/** Whether every edge of a body has its twin in another face, the other way round: it has no hole. */
export function isClosed({ corners, faces }: Convex): boolean {
  const edges = new Set<number>()
  for (const { ring } of faces)
    for (const [k, from] of ring.entries()) {
      const edge = from * corners.length + (ring[(k + 1) % ring.length] as number)
      if (edges.has(edge)) return false
      edges.add(edge)
    }
  return [...edges].every((edge) =>
    edges.has((edge % corners.length) * corners.length + Math.floor(edge / corners.length)),
  )
}

/** The planes of a body's faces, each with what lies beyond it. Faces without an area have none. */
export const planesOf = ({ corners, faces }: Convex): (FormPlane & { beyond: number })[] =>
  faces.flatMap(({ ring, beyond }) => {
    // Newell's normal: right for rings with corners in a line.
    const sum: [number, number, number] = [0, 0, 0]
    ring.forEach((n, k) => {
      const turn = cross(corners[n] as Vec3, corners[ring[(k + 1) % ring.length] as number] as Vec3)
      for (const a of [0, 1, 2] as const) sum[a] += turn[a]
    })
    if (dot(sum, sum) < 1e-24) return []
    const normal = normalise(sum)
    return [{ normal, offset: dot(normal, corners[ring[0] as number] as Vec3), beyond }]
  })

/** What planes leave of a box about the origin with these half edges; undefined where that is nothing. */
export const bodyWithin = (planes: readonly FormPlane[], [a, b, c]: Vec3): Convex | undefined =>
  planes.reduce<Convex | undefined>(
    (left, { normal, offset }) => left && clipConvex(left, normal, offset, SIDES[0]),
    boxBody([-a, -b, -c], [a, b, c]),
  )

/** Parts of a form as convex bodies. Faces that two parts share have -7 beyond them, all others a side. */
export function bodiesOfParts(parts: readonly ConvexPart[]): Convex[] {
  const bodies = parts.map(
    ({ corners, faces }): Convex => ({ corners, faces: faces.map((ring) => ({ beyond: SIDES[0], ring })) }),
  )
  const planes = bodies.map(planesOf)
  return bodies.map((body, own) => ({
    corners: body.corners,
    faces: body.faces.map((face) => {
      const at = face.ring.reduce<Vec3>(
        (sum, n) => {
          const p = body.corners[n] as Vec3
          return [sum[0] + p[0] / face.ring.length, sum[1] + p[1] / face.ring.length, sum[2] + p[2] / face.ring.length]
        },
        [0, 0, 0],
      )
      const [first, second, third] = [0, 1, 2].map((k) => body.corners[face.ring[k] as number] as Vec3)
      if (!first || !second || !third) return face
      const normal = normalise(cross(subtract(second, first), subtract(third, first)))
      const out: Vec3 = [at[0] + 1e-5 * normal[0], at[1] + 1e-5 * normal[1], at[2] + 1e-5 * normal[2]]
      const shared = planes.some(
        (other, n) => n !== own && other.every(({ normal: side, offset }) => dot(side, out) <= offset + 1e-7),
      )
      return shared ? { ...face, beyond: -7 } : face
    }),
  }))
}
