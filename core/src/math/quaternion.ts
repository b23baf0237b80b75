import { atan2, cos, sin } from './elementary.ts'
import type { Quaternion, Vec3 } from './vector.ts'

/** Rotation by an angle in radians about a unit axis, counter-clockwise seen from its tip. */
export function aboutAxis(axis: Vec3, angle: number): Quaternion {
  const s = sin(angle / 2)
  return [axis[0] * s, axis[1] * s, axis[2] * s, cos(angle / 2)]
}

/** The rotation b followed by a. */
export function multiply(a: Quaternion, b: Quaternion): Quaternion {
  const [ax, ay, az, aw] = a
  const [bx, by, bz, bw] = b
  return [
    aw * bx + ax * bw + ay * bz - az * by,
    aw * by - ax * bz + ay * bw + az * bx,
    aw * bz + ax * by - ay * bx + az * bw,
    aw * bw - ax * bx - ay * by - az * bz,
  ]
}

export const conjugate = (q: Quaternion): Quaternion => [-q[0], -q[1], -q[2], q[3]]

/** q scaled to length 1; a zero quaternion becomes the identity. */
export function unit(q: Quaternion): Quaternion {
  const n = Math.sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3])
  return n > 0 ? [q[0] / n, q[1] / n, q[2] / n, q[3] / n] : [0, 0, 0, 1]
}

/** v turned by q:  v + 2 q x (q x v + w v). */
export function rotate(q: Quaternion, v: Vec3): Vec3 {
  const [x, y, z, w] = q
  const tx = 2 * (y * v[2] - z * v[1])
  const ty = 2 * (z * v[0] - x * v[2])
  const tz = 2 * (x * v[1] - y * v[0])
  return [v[0] + w * tx + y * tz - z * ty, v[1] + w * ty + z * tx - x * tz, v[2] + w * tz + x * ty - y * tx]
}

/** Turn about Y (pan), then X (tilt), then Z (roll) of the turned frame, radians. */
export function panTiltRoll(pan: number, tilt: number, roll: number): Quaternion {
  return multiply(multiply(aboutAxis([0, 1, 0], pan), aboutAxis([1, 0, 0], tilt)), aboutAxis([0, 0, 1], roll))
}

/** Unit quaternion of a rotation matrix, nine numbers in rows (Shepperd 1978). */
export function quaternionOfMatrix(m: ArrayLike<number>): Quaternion {
  const at = (k: number): number => m[k] as number
  const [a, b, c] = [at(0), at(4), at(8)]
  const options: Quaternion[] = [
    [at(7) - at(5), at(2) - at(6), at(3) - at(1), 1 + a + b + c],
    [1 + a - b - c, at(1) + at(3), at(2) + at(6), at(7) - at(5)],
    [at(1) + at(3), 1 - a + b - c, at(5) + at(7), at(2) - at(6)],
    [at(2) + at(6), at(5) + at(7), 1 - a - b + c, at(3) - at(1)],
  ]
  // The one whose own part is largest is the best conditioned.
  const own = [1 + a + b + c, 1 + a - b - c, 1 - a + b - c, 1 - a - b + c]
  return unit(options[own.indexOf(Math.max(...own))] ?? [0, 0, 0, 1])
}

/** Pan, tilt and roll of a rotation, radians: panTiltRoll's, tilt within a quarter turn. Each is taken nearest to `near`'s where turns repeat. */
export function anglesOf(q: Quaternion, near: readonly [number, number, number] = [0, 0, 0]): [number, number, number] {
  const forward = rotate(q, [0, 0, -1])
  const pan = atan2(-forward[0], -forward[2])
  const tilt = atan2(forward[1], Math.sqrt(forward[0] * forward[0] + forward[2] * forward[2]))
  const rest = multiply(conjugate(panTiltRoll(pan, tilt, 0)), q)
  const roll = 2 * atan2(rest[2], rest[3])
  const turn = 2 * Math.PI
  return [pan, tilt, roll].map((angle, n) => angle + Math.round(((near[n] ?? 0) - angle) / turn) * turn) as [
    number,
    number,
    number,
  ]
}
