import type { Vec3 } from '@lantern/core/math'

// Where things stand in the yard, metres: X right along the kiln, Y up, Z towards the camera; the kiln's face is z = 0.
export const KILN = { from: -3.6, to: 9.4, height: 4.2, depth: 6 }
export interface Arch {
  /** Middle along X, clear width and height to the crown, depth of the reveal. */
  x: number
  width: number
  height: number
  reveal: number
}
export const ARCHES: readonly [Arch, Arch, Arch] = [
  { x: -1.4, width: 1.3, height: 2.1, reveal: 0.62 },
  { x: 2.1, width: 1.3, height: 2.1, reveal: 0.34 },
  { x: 5.6, width: 1.3, height: 2.1, reveal: 0.62 },
]
export const springing = (arch: Arch): number => arch.height - arch.width / 2

/** Whether (x, y) of the kiln's face lies in an arch widened by `more`. */
export function inArch(arch: Arch, x: number, y: number, more = 0): boolean {
  const dx = Math.abs(x - arch.x)
  const half = arch.width / 2 + more
  const spring = springing(arch)
  return y <= spring ? dx < half : dx * dx + (y - spring) ** 2 < half * half
}

export const CHIMNEY = { x: -8.4, z: -5, half: 0.82, top: 0.62, height: 12 }
export const DRUM: Vec3 = [3.35, 0, 2.7]
export const DRUM_SIZE = { radius: 0.29, height: 0.88 }
export const LAMP_POST: Vec3 = [-3.4, 0, 2.75]
export const BARROW: Vec3 = [-1.55, 0, 3.2]
/** Crates: foot's middle, edges (x, y, z), turn about Y in radians. */
export const CRATES: readonly { at: Vec3; size: Vec3; turn: number }[] = [
  { at: [0.1, 0, 3.7], size: [0.9, 0.74, 0.7], turn: 0.24 },
  { at: [0.04, 0.74, 3.72], size: [0.7, 0.56, 0.6], turn: -0.16 },
  { at: [-2.75, 0, 0.95], size: [0.95, 0.8, 0.75], turn: -0.12 },
  { at: [-3.0, 0.8, 0.92], size: [0.7, 0.56, 0.6], turn: 0.1 },
  { at: [3.95, 0, 0.8], size: [0.8, 0.62, 0.62], turn: 0.35 },
]
