import { type Convex, type FormPlane, planesOf, type SurfaceMesh } from '../data/index.ts'
import { dot, noise3, type Vec3 } from '../math/index.ts'
import { isOutside } from './bricks.ts'

// Pieces as triangles: outer faces as they were, inner ones rough, so that both sides of a break still fit each other.

/** Parts of a piece's mesh: its outside, and what the break laid open. */
export const OUTER = 0
export const INSIDE = 1

export interface Roughness {
  /** How far inner faces go in and out, m. */
  height: number
  /** Edge of their triangles, m. */
  step: number
  seed: number
}

/** Parts that an edge is split into at most. */
const MOST_SPLIT = 10
/** By how much of itself the colour of inner faces varies. */
export const SPECKLE = 0.28

/** The planes of a body's outer faces, each once: inner faces are flat there. */
export function skinOf(pieces: readonly (readonly Convex[])[]): FormPlane[] {
  const planes = new Map<string, FormPlane>()
  for (const bodies of pieces)
    for (const body of bodies)
      for (const { normal, offset, beyond } of planesOf(body))
        if (isOutside(beyond))
          planes.set([...normal, offset].map((value) => Math.round(value * 2000)).join(), { normal, offset })
  return [...planes.values()]
}

/** Collects triangles. */
class Builder {
  readonly positions: number[] = []
  readonly indices: number[] = []
  readonly parts: number[] = []
  readonly colours: number[] = []
  constructor(
    private readonly rough: Roughness,
    private readonly skin: readonly FormPlane[],
  ) {}

  /** A place of an inner face, moved in or out by noise that depends on the place alone. */
  moved([x, y, z]: Vec3): Vec3 {
    const { height, step, seed } = this.rough
    if (height <= 0) return [x, y, z]
    const reach = 2 * height
    let share = 1
    for (const { normal, offset } of this.skin)
      share = Math.min(share, Math.max(0, Math.abs(offset - dot(normal, [x, y, z])) / reach))
    if (share < 1e-4) return [x, y, z]
    const pitch = 0.45 / step
    const by = (axis: number): number => {
      const at = [x * pitch + 11 * axis, y * pitch + 5, z * pitch + 7] as const
      const fine = [2.3 * at[0], 2.3 * at[1], 2.3 * at[2]] as const
      return share * height * (noise3(seed + axis, ...at) + 0.5 * noise3(seed + axis + 9, ...fine))
    }
    return [x + by(0), y + by(1), z + by(2)]
  }

  add(at: Vec3, inner: boolean): number {
    const [x, y, z] = inner ? this.moved(at) : at
    const own = this.positions.push(x, y, z) / 3 - 1
    const level = inner ? 1 - SPECKLE * (0.5 + 0.5 * noise3(this.rough.seed + 40, 31 * x, 31 * y, 31 * z)) : 1
    const byte = Math.round(255 * level)
    this.colours.push(byte, byte, byte, 255)
    return own
  }
  triangle(a: number, b: number, c: number, part: number): void {
    this.indices.push(a, b, c)
    this.parts.push(part)
  }

  flat(ring: readonly Vec3[]): void {
    const own = ring.map((at) => this.add(at, false))
    for (let n = 2; n < own.length; n++) this.triangle(own[0] as number, own[n - 1] as number, own[n] as number, OUTER)
  }

  /** Rings towards the middle, edges split the same from both sides. */
  inner(ring: readonly Vec3[]): void {
    const edge: Vec3[] = ring.flatMap((from, n) => {
      const to = ring[(n + 1) % ring.length] as Vec3
      const length = Math.sqrt((to[0] - from[0]) ** 2 + (to[1] - from[1]) ** 2 + (to[2] - from[2]) ** 2)
      const count = this.rough.height > 0 ? Math.min(MOST_SPLIT, Math.max(1, Math.ceil(length / this.rough.step))) : 1
      // The split's places must not depend on the way round.
      return Array.from({ length: count }, (_, k): Vec3 => {
        const t = k / count
        return [from[0] + (to[0] - from[0]) * t, from[1] + (to[1] - from[1]) * t, from[2] + (to[2] - from[2]) * t]
      })
    })
    const middle: Vec3 = [0, 1, 2].map(
      (a) => edge.reduce((sum, at) => sum + (at[a] as number), 0) / edge.length,
    ) as unknown as Vec3
    const radius = Math.max(
      ...edge.map((at) => Math.sqrt(at.reduce((sum, v, a) => sum + (v - (middle[a] as number)) ** 2, 0))),
    )
    const rings = this.rough.height > 0 ? Math.min(5, Math.max(1, Math.round(radius / this.rough.step))) : 1
    let outer = edge.map((at) => this.add(at, true))
    for (let k = 1; k < rings; k++) {
      const share = k / rings
      const next = edge.map((at) =>
        this.add(
          [
            at[0] + (middle[0] - at[0]) * share,
            at[1] + (middle[1] - at[1]) * share,
            at[2] + (middle[2] - at[2]) * share,
          ],
          true,
        ),
      )
      outer.forEach((a, n) => {
        const m = (n + 1) % outer.length
        this.triangle(a, outer[m] as number, next[m] as number, INSIDE)
        this.triangle(a, next[m] as number, next[n] as number, INSIDE)
      })
      outer = next
    }
    const centre = this.add(middle, true)
    outer.forEach((a, n) => this.triangle(a, outer[(n + 1) % outer.length] as number, centre, INSIDE))
  }

  mesh(): SurfaceMesh {
    return {
      positions: Float32Array.from(this.positions),
      indices: Uint32Array.from(this.indices),
      parts: Uint16Array.from(this.parts),
      colours: Uint8Array.from(this.colours),
    }
  }
}

/** Faces of bodies as triangles, those alone that are wanted. skin: as skinOf has it. */
export function facesMesh(
  all: readonly { bodies: readonly Convex[]; wanted: (beyond: number) => boolean }[],
  rough: Roughness,
  skin: readonly FormPlane[],
): SurfaceMesh {
  const builder = new Builder(rough, skin)
  for (const { bodies, wanted } of all)
    for (const { corners, faces } of bodies)
      for (const { ring, beyond } of faces) {
        if (!wanted(beyond)) continue
        const own = ring.map((n) => corners[n] as Vec3)
        if (isOutside(beyond)) builder.flat(own)
        else builder.inner(own)
      }
  return builder.mesh()
}
