/** A point or direction in the world: metres, right-handed, Y up. */
export type Vec3 = readonly [number, number, number]
/** A unit quaternion x, y, z, w. */
export type Quaternion = readonly [number, number, number, number]

export const add = (a: Vec3, b: Vec3): Vec3 => [a[0] + b[0], a[1] + b[1], a[2] + b[2]]
export const subtract = (a: Vec3, b: Vec3): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
export const scale = (a: Vec3, s: number): Vec3 => [a[0] * s, a[1] * s, a[2] * s]
export const dot = (a: Vec3, b: Vec3): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
export const cross = (a: Vec3, b: Vec3): Vec3 => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
]
export const length = (a: Vec3): number => Math.sqrt(dot(a, a))

/** a scaled to length 1. A zero vector stays zero. */
export function normalise(a: Vec3): Vec3 {
  const n = length(a)
  return n > 0 ? scale(a, 1 / n) : [0, 0, 0]
}
