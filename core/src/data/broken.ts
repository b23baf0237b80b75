import type { Convex } from './convex.ts'
import type { SurfaceMesh } from './surface.ts'

/** How a piece is: held where it was, on its way, or come to rest. */
export const HELD = 0
export const MOVING = 1
export const RESTING = 2

/** Places that give off dust: where faces parted, or something hit. */
export interface DustPoints {
  count: number
  /** x y z of each, m. */
  positions: Float32Array
  /** m/s, x y z. */
  velocities: Float32Array
  /** m^2 of face that parted, kg of dust and crumbs that come off, and N s of the hit. */
  areas: Float32Array
  masses: Float32Array
  impulses: Float32Array
}

/** Pieces of something that breaks, at one frame. */
export interface BrokenFrame {
  count: number
  /** The pieces as they were cut, in the space of what breaks; in the first frame of a run alone. */
  pieces?: readonly (readonly Convex[])[]
  /** Of a taken-in thing also their triangles, with what its vertices carry; 65535 is the part of those that the cut laid open. */
  meshes?: readonly SurfaceMesh[]
  /** x y z w of each: world = turn (cut) + place. */
  turns: Float32Array
  /** x y z of each, m. */
  places: Float32Array
  /** Of its middle of mass, m/s, and about it, 1/s. */
  velocities: Float32Array
  spins: Float32Array
  states: Uint8Array
  dust: DustPoints
}

export const emptyDust = (count = 0): DustPoints => ({
  count,
  positions: new Float32Array(3 * count),
  velocities: new Float32Array(3 * count),
  areas: new Float32Array(count),
  masses: new Float32Array(count),
  impulses: new Float32Array(count),
})

export const emptyBroken = (count = 0, dust = 0): BrokenFrame => ({
  count,
  turns: new Float32Array(4 * count),
  places: new Float32Array(3 * count),
  velocities: new Float32Array(3 * count),
  spins: new Float32Array(3 * count),
  states: new Uint8Array(count),
  dust: emptyDust(dust),
})
