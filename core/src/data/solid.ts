import { add, conjugate, dot, type Quaternion, rotate, subtract, type Vec3 } from '../math/index.ts'

import { type Dug, dugHeight, dugNormal, dugReach } from './dug.ts'
import { type FormPlane, formNormal, rayToForm, toForm } from './forms.ts'

/** A shape that gas and light stop at. */
export type Solid =
  /** dug: holes and heaps in level ground. */
  | { kind: 'halfspace'; point: Vec3; normal: Vec3; dug?: readonly Dug[] }
  | { kind: 'box'; centre: Vec3; half: Vec3; rotation: Quaternion }
  | { kind: 'ball'; centre: Vec3; radius: number }
  /** Convex parts about a centre, turned together; half: of their bounds. */
  | { kind: 'form'; centre: Vec3; half: Vec3; rotation: Quaternion; parts: readonly (readonly FormPlane[])[] }

/** The hole or heap that a place lies over; undefined where the ground is flat. */
const dugAt = ({ dug }: { dug?: readonly Dug[] }, at: Vec3): Dug | undefined =>
  dug?.find((one) => {
    const reach = dugReach(one)
    return Math.abs(at[0] - one.x) < reach && Math.abs(at[2] - one.z) < reach
  })
/** Distance to ground; over holes and heaps by the slope under the place. */
function overGround(solid: Extract<Solid, { kind: 'halfspace' }>, at: Vec3): number {
  const level = dot(subtract(at, solid.point), solid.normal)
  const dug = dugAt(solid, at)
  if (!dug) return level
  return (level - dugHeight(dug, at[0], at[2])) * dugNormal(dug, at[0], at[2])[1]
}

/** Signed distance from a world point to the surface, metres; negative inside. Exact outside of boxes' corners, a lower bound there. */
export function distanceTo(solid: Solid, at: Vec3): number {
  if (solid.kind === 'halfspace') return overGround(solid, at)
  const local = subtract(at, solid.centre)
  if (solid.kind === 'ball') return Math.sqrt(dot(local, local)) - solid.radius
  const p = rotate(conjugate(solid.rotation), local)
  if (solid.kind === 'form') return toForm(solid.parts, p)
  return Math.max(Math.abs(p[0]) - solid.half[0], Math.abs(p[1]) - solid.half[1], Math.abs(p[2]) - solid.half[2])
}

/** Distance along a ray (`along` unit) to the solid's surface from outside; undefined where it is not met, 0 from inside. */
export function rayToSolid(solid: Solid, from: Vec3, along: Vec3): number | undefined {
  if (distanceTo(solid, from) < 0) return 0
  if (solid.kind === 'halfspace') {
    const facing = dot(along, solid.normal)
    return facing < 0 ? dot(subtract(solid.point, from), solid.normal) / facing : undefined
  }
  if (solid.kind === 'ball') {
    const o = subtract(from, solid.centre)
    const b = dot(o, along)
    const inside = b * b - dot(o, o) + solid.radius ** 2
    const t = -b - Math.sqrt(Math.max(0, inside))
    return inside >= 0 && t >= 0 ? t : undefined
  }
  const back = conjugate(solid.rotation)
  const o = rotate(back, subtract(from, solid.centre))
  const d = rotate(back, along)
  if (solid.kind === 'form') return rayToForm(solid.parts, o, d)
  let [near, far] = [-Infinity, Infinity]
  for (let a = 0; a < 3; a++) {
    const inverse = 1 / (d[a] === 0 ? 1e-12 : (d[a] ?? 0))
    const [t0, t1] = [(-(solid.half[a] ?? 0) - (o[a] ?? 0)) * inverse, ((solid.half[a] ?? 0) - (o[a] ?? 0)) * inverse]
    near = Math.max(near, Math.min(t0, t1))
    far = Math.min(far, Math.max(t0, t1))
  }
  return near <= far && near >= 0 ? near : undefined
}

/** The outward direction at a place near the solid's surface, unit. */
export function normalAt(solid: Solid, at: Vec3): Vec3 {
  if (solid.kind === 'halfspace') {
    const dug = dugAt(solid, at)
    return dug ? dugNormal(dug, at[0], at[2]) : solid.normal
  }
  const local = subtract(at, solid.centre)
  if (solid.kind === 'ball') {
    const n = Math.sqrt(dot(local, local))
    return n > 0 ? [local[0] / n, local[1] / n, local[2] / n] : [0, 1, 0]
  }
  const p = rotate(conjugate(solid.rotation), local)
  if (solid.kind === 'form') return rotate(solid.rotation, formNormal(solid.parts, p))
  const past = [0, 1, 2].map((a) => Math.abs(p[a] ?? 0) - (solid.half[a] ?? 0))
  const axis = past.indexOf(Math.max(...past))
  const n: [number, number, number] = [0, 0, 0]
  n[axis] = (p[axis] ?? 0) < 0 ? -1 : 1
  return rotate(solid.rotation, n)
}

/** Bounds of a solid, metres; a half-space has none. */
export function solidBounds(solid: Solid): { low: Vec3; high: Vec3 } | undefined {
  if (solid.kind === 'halfspace') return undefined
  const reach = [0, 1, 2].map((axis) => {
    if (solid.kind === 'ball') return solid.radius
    return [0, 1, 2].reduce((sum, own) => {
      const unit: [number, number, number] = [0, 0, 0]
      unit[own] = solid.half[own] ?? 0
      return sum + Math.abs(rotate(solid.rotation, unit)[axis] ?? 0)
    }, 0)
  })
  return {
    low: solid.centre.map((c, a) => c - (reach[a] ?? 0)) as [number, number, number],
    high: solid.centre.map((c, a) => c + (reach[a] ?? 0)) as [number, number, number],
  }
}

/** A world point in a solid's own frame: from its middle, turned with it; of a half-space from its point. */
export const inFrameOf = (solid: Solid, at: Vec3): Vec3 =>
  solid.kind === 'halfspace'
    ? subtract(at, solid.point)
    : solid.kind === 'ball'
      ? subtract(at, solid.centre)
      : rotate(conjugate(solid.rotation), subtract(at, solid.centre))

/** A point of a solid's own frame in the world. */
export const outOfFrameOf = (solid: Solid, at: Vec3): Vec3 =>
  solid.kind === 'halfspace'
    ? add(solid.point, at)
    : solid.kind === 'ball'
      ? add(solid.centre, at)
      : add(solid.centre, rotate(solid.rotation, at))
