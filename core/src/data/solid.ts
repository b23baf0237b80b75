import { conjugate, dot, type Quaternion, rotate, subtract, type Vec3 } from '../math/index.ts'

/** A shape that gas and light stop at. */
export type Solid =
  | { kind: 'halfspace'; point: Vec3; normal: Vec3 }
  | { kind: 'box'; centre: Vec3; half: Vec3; rotation: Quaternion }
  | { kind: 'ball'; centre: Vec3; radius: number }

/** Signed distance from a world point to the surface, metres; negative inside. Exact outside of boxes' corners, a lower bound there. */
export function distanceTo(solid: Solid, at: Vec3): number {
  if (solid.kind === 'halfspace') return dot(subtract(at, solid.point), solid.normal)
  const local = subtract(at, solid.centre)
  if (solid.kind === 'ball') return Math.sqrt(dot(local, local)) - solid.radius
  const p = rotate(conjugate(solid.rotation), local)
  return Math.max(Math.abs(p[0]) - solid.half[0], Math.abs(p[1]) - solid.half[1], Math.abs(p[2]) - solid.half[2])
}
