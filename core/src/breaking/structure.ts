import type { Convex } from '../data/index.ts'
import { cross, dot, normalise, subtract, type Vec3 } from '../math/index.ts'

// Which pieces touch, and by how much.

/** Where two pieces touch. */
export interface Contact {
  a: number
  b: number
  /** m^2. */
  area: number
  middle: Vec3
  /** Unit, from a to b. */
  normal: Vec3
}

interface Face {
  piece: number
  /** Which of the piece's faces it is. */
  own: number
  ring: Vec3[]
  normal: Vec3
  offset: number
}
/** Faces whose planes differ by less than this lie on each other: m, and of unit normals. */
const SAME = 1e-6
/** m^2 below which pieces are not said to touch. */
export const LEAST_AREA = 1e-9

function facesOf(pieces: readonly Convex[]): Face[] {
  return pieces.flatMap(({ corners, faces }, piece) =>
    faces.flatMap(({ ring }, face): Face[] => {
      const own = ring.map((n) => corners[n] as Vec3)
      // Newell's normal: right for rings with corners in a line.
      const sum: [number, number, number] = [0, 0, 0]
      own.forEach((p, k) => {
        const turn = cross(p, own[(k + 1) % own.length] as Vec3)
        for (let a = 0; a < 3; a++) sum[a] = (sum[a] as number) + (turn[a] as number)
      })
      if (sum[0] === 0 && sum[1] === 0 && sum[2] === 0) return []
      const normal = normalise(sum)
      return [{ piece, own: face, ring: own, normal, offset: dot(normal, own[0] as Vec3) }]
    }),
  )
}

/** What of a flat ring lies within another one of the same plane. normal: of the plane, about which `cutter` turns counter-clockwise. */
export function clipRing(ring: readonly Vec3[], cutter: readonly Vec3[], normal: Vec3): Vec3[] {
  let left = [...ring]
  for (let k = 0; k < cutter.length && left.length > 2; k++) {
    const [from, to] = [cutter[k] as Vec3, cutter[(k + 1) % cutter.length] as Vec3]
    const inward = cross(normal, subtract(to, from))
    const side = (p: Vec3): number => dot(inward, subtract(p, from))
    const next: Vec3[] = []
    left.forEach((p, n) => {
      const q = left[(n + 1) % left.length] as Vec3
      const [a, b] = [side(p), side(q)]
      if (a >= 0) next.push(p)
      if ((a > 0 && b < 0) || (a < 0 && b > 0)) {
        const t = a / (a - b)
        next.push([p[0] + (q[0] - p[0]) * t, p[1] + (q[1] - p[1]) * t, p[2] + (q[2] - p[2]) * t])
      }
    })
    left = next
  }
  return left
}

/** Area of a flat ring, m^2, and its middle. */
export function ringArea(ring: readonly Vec3[], normal: Vec3): { area: number; middle: Vec3 } {
  const [o] = ring
  let area = 0
  const moment: [number, number, number] = [0, 0, 0]
  for (let k = 1; o && k + 1 < ring.length; k++) {
    const [b, c] = [subtract(ring[k] as Vec3, o), subtract(ring[k + 1] as Vec3, o)]
    const part = dot(normal, cross(b, c)) / 2
    area += part
    for (let a = 0; a < 3; a++) moment[a] = (moment[a] as number) + (part / 3) * ((b[a] as number) + (c[a] as number))
  }
  const at = (a: 0 | 1 | 2): number => (o?.[a] ?? 0) + (area > 0 ? moment[a] / area : 0)
  return { area, middle: [at(0), at(1), at(2)] }
}

/** Where a face of one convex piece lies on a face of another. */
export interface Meeting {
  a: number
  b: number
  /** Which of their faces. */
  faces: readonly [number, number]
  /** What they share, counter-clockwise about the normal; unit, from a to b. */
  ring: Vec3[]
  normal: Vec3
}

/** Every place where a face of one of some convex pieces lies on a face of another. */
export function meetingsOf(pieces: readonly Convex[]): Meeting[] {
  const faces = facesOf(pieces)
  // Faces that lie on each other look opposite ways at opposite offsets: only those near in offset are compared.
  const order = [...faces.keys()].sort((i, j) => (faces[i] as Face).offset - (faces[j] as Face).offset)
  const offsets = order.map((n) => (faces[n] as Face).offset)
  const meetings: Meeting[] = []
  for (const face of faces) {
    for (let k = firstFrom(offsets, -face.offset - SAME); k < order.length; k++) {
      const other = faces[order[k] as number] as Face
      if (other.offset > -face.offset + SAME) break
      if (other.piece <= face.piece || dot(face.normal, other.normal) > -1 + SAME) continue
      const ring = clipRing(face.ring, [...other.ring].reverse(), face.normal)
      if (ring.length > 2)
        meetings.push({ a: face.piece, b: other.piece, faces: [face.own, other.own], ring, normal: face.normal })
    }
  }
  return meetings.sort((one, two) => one.a - two.a || one.b - two.b)
}

/** Every place where two of some convex pieces touch. */
export const contactsOf = (pieces: readonly Convex[]): Contact[] =>
  meetingsOf(pieces).flatMap(({ a, b, ring, normal }) => {
    const { area, middle } = ringArea(ring, normal)
    return area > LEAST_AREA ? [{ a, b, area, middle, normal }] : []
  })

/** The first of rising values that is no less than one. */
function firstFrom(values: readonly number[], least: number): number {
  let [low, high] = [0, values.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if ((values[middle] as number) < least) low = middle + 1
    else high = middle
  }
  return low
}
