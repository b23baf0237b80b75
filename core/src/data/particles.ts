/** How a particle is: flying, sliding on a surface, or at rest on it. */
export const FLYING = 0
export const SLIDING = 1
export const STUCK = 2

/** Particles of one frame as they are kept, in the order of their birth. */
export interface ParticleFrame {
  count: number
  /** Tells a particle from all others of its run. */
  ids: Uint32Array
  /** x y z of each, m, and m/s. */
  positions: Float32Array
  velocities: Float32Array
  /** Diameter, m. */
  sizes: Float32Array
  /** Seconds since birth, and K. */
  ages: Float32Array
  temperatures: Float32Array
  /** Turns since birth. */
  spins: Float32Array
  states: Uint8Array
  /** Of solid bits that meet each other how each is turned, x y z w. */
  turns?: Float32Array
}

export const emptyParticles = (count = 0): ParticleFrame => ({
  count,
  ids: new Uint32Array(count),
  positions: new Float32Array(3 * count),
  velocities: new Float32Array(3 * count),
  sizes: new Float32Array(count),
  ages: new Float32Array(count),
  temperatures: new Float32Array(count),
  spins: new Float32Array(count),
  states: new Uint8Array(count),
})
