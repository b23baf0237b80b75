import { multiply, type Quaternion, type Vec3 } from '../math/index.ts'

/** How a file states the world: which axis is up (right-handed either way), its unit, and a scale on top. */
export interface Axes {
  up: 'y' | 'z'
  /** Metres in one unit of the file. */
  metres: number
}
export const OWN_AXES: Axes = { up: 'y', metres: 1 }

const HALF = Math.SQRT1_2
/** A quarter turn about X: what was Y up is then Z up. */
const TO_Z_UP: Quaternion = [HALF, 0, 0, HALF]
const TO_Y_UP: Quaternion = [-HALF, 0, 0, HALF]

/** A place of our world (Y up, metres) as a file states it. */
export const placeOut = ({ up, metres }: Axes, [x, y, z]: Vec3): Vec3 =>
  up === 'y' ? [x / metres, y / metres, z / metres] : [x / metres, -z / metres, y / metres]
/** A place of a file in our world. */
export const placeIn = ({ up, metres }: Axes, [x, y, z]: Vec3): Vec3 =>
  up === 'y' ? [x * metres, y * metres, z * metres] : [x * metres, z * metres, -y * metres]
/** A turn of something whose own axes stay the same (a camera looks along its -Z either way). */
export const turnOut = ({ up }: Axes, q: Quaternion): Quaternion => (up === 'y' ? q : multiply(TO_Z_UP, q))
export const turnIn = ({ up }: Axes, q: Quaternion): Quaternion => (up === 'y' ? q : multiply(TO_Y_UP, q))
