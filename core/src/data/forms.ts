import { cross, dot, normalise, subtract, type Vec3 } from '../math/index.ts'
import type { Mesh } from './mesh.ts'

// Forms put together from convex parts: what drawn geometry is made of, as triangles and as what gas stops at.

/** A convex body: its corners, and its faces as rings of corners, counter-clockwise from outside. */
export interface ConvexPart {
  corners: readonly Vec3[]
  faces: readonly (readonly number[])[]
}
/** A plane of a convex body: what is inside has dot(normal, p) below the offset. */
export interface FormPlane {
  normal: Vec3
  offset: number
}

/** A body between a ring (x, z; counter-clockwise from above) at one height and the same ring at another. */
export function prism(ring: readonly (readonly [number, number])[], low: number, high: number): ConvexPart {
  const count = ring.length
  return {
    corners: [low, high].flatMap((y) => ring.map(([x, z]): Vec3 => [x, y, z])),
    faces: [
      ring.map((_, n) => count - 1 - n),
      ring.map((_, n) => count + n),
      ...ring.map((_, n) => [n, (n + 1) % count, count + ((n + 1) % count), count + n]),
    ],
  }
}

/** All parts as triangles, each face with corners of its own. */
export function formMesh(parts: readonly ConvexPart[]): Mesh {
  const positions: number[] = []
  const indices: number[] = []
  for (const { corners, faces } of parts)
    for (const face of faces) {
      const first = positions.length / 3
      for (const n of face) positions.push(...(corners[n] ?? [0, 0, 0]))
      for (let n = 2; n < face.length; n++) indices.push(first, first + n - 1, first + n)
    }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) }
}

/** The planes of each part's faces. Faces without an area have none. */
export const formPlanes = (parts: readonly ConvexPart[]): FormPlane[][] =>
  parts.map(({ corners, faces }) =>
    faces.flatMap((face) => {
      const [a, b, c] = [0, 1, 2].map((n) => corners[face[n] ?? 0] ?? ([0, 0, 0] as const))
      if (!a || !b || !c) return []
      const across = cross(subtract(b, a), subtract(c, a))
      if (dot(across, across) < 1e-18) return []
      const normal = normalise(across)
      return [{ normal, offset: dot(normal, a) }]
    }),
  )

/** Distance to the nearest part; negative inside. A lower bound beside edges. */
export const toForm = (parts: readonly (readonly FormPlane[])[], at: Vec3): number =>
  parts.reduce(
    (least, planes) =>
      Math.min(
        least,
        planes.reduce((most, { normal, offset }) => Math.max(most, dot(normal, at) - offset), -Infinity),
      ),
    Infinity,
  )

/** Where a ray enters the first part; undefined where it meets none. */
export function rayToForm(parts: readonly (readonly FormPlane[])[], from: Vec3, along: Vec3): number | undefined {
  let first: number | undefined
  for (const planes of parts) {
    let [near, far] = [-Infinity, Infinity]
    for (const { normal, offset } of planes) {
      const [facing, left] = [dot(normal, along), offset - dot(normal, from)]
      if (Math.abs(facing) < 1e-12) {
        if (left < 0) far = -Infinity
      } else if (facing < 0) near = Math.max(near, left / facing)
      else far = Math.min(far, left / facing)
    }
    if (near <= far && near >= 0 && near < (first ?? Infinity)) first = near
  }
  return first
}

/** The face's normal where the distance to a form grows fastest. */
export function formNormal(parts: readonly (readonly FormPlane[])[], at: Vec3): Vec3 {
  let [least, normal]: [number, Vec3] = [Infinity, [0, 1, 0]]
  for (const planes of parts) {
    let [most, own]: [number, Vec3] = [-Infinity, [0, 1, 0]]
    for (const plane of planes) {
      const distance = dot(plane.normal, at) - plane.offset
      if (distance > most) [most, own] = [distance, plane.normal]
    }
    if (most < least) [least, normal] = [most, own]
  }
  return normal
}
