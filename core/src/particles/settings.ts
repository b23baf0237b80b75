import type { Solid } from '../data/index.ts'
import type { Quaternion, Vec3 } from '../math/index.ts'
import type { BodyForm } from './drag.ts'

// What particles are computed from, in SI.

/** Where particles begin. Of a gas: where it is hot, or where its fuel burns. */
export type ParticleSource =
  | { kind: 'point' }
  | { kind: 'disc' | 'ball'; radius: number }
  | { kind: 'box'; half: Vec3 }
  | { kind: 'line'; points: readonly Vec3[]; radius: number }
  | { kind: 'surface'; solid: number; reach: number }
  | { kind: 'gas'; by: 'heat' | 'fuel' }
  /** Where other particles are. */
  | { kind: 'particles' }
  /** Where something breaks or hits: so many for each kg of dust that it gives off. */
  | { kind: 'break' }
  /** Out of a crater, of this radius about the source’s middle, so that what is thrown out thins with the cube of the distance. */
  | { kind: 'crater'; radius: number; depth: number }

/** What works on particles everywhere or within a radius, as force items say. */
export interface ParticleForce {
  way: 'push' | 'swirl' | 'blow' | 'drag' | 'turbulence'
  centre: Vec3
  axis: Vec3
  /** m/s^2; of drag 1/s. */
  strength: number
  /** m; 0: everywhere. */
  radius: number
  soft: number
  /** Of turbulence: m, 1/s. */
  size: number
  change: number
  seed: number
}

/** What is told of a frame. */
export interface ParticleMoment {
  /** The source's middle, how it is turned, where it sends particles (unit). */
  centre: Vec3
  turn: Quaternion
  direction: Vec3
  /** Births a second; of a break, for each kg of its dust. */
  rate: number
  wind: Vec3
  forces: readonly ParticleForce[]
  solids: readonly Solid[]
}

export interface ParticleSettings {
  seed: number
  source: ParticleSource
  births: { way: 'rate' | 'bursts' | 'once'; number: number; every: number; lasts: number }
  /** Seconds from the run's first frame between which particles are born; before the first they are born in its run-up. */
  from: number
  to: number
  /** m/s, its spread (share), the half angle of the cone (radians), and the share of a gas's velocity that particles begin with. */
  speed: number
  speedSpread: number
  cone: number
  inherits: number
  body: { form: BodyForm; diameter: number; spread: number; density: number }
  life: number
  lifeSpread: number
  /** Hot ones: K at birth and its spread (share), and how much of the law's cooling they have. */
  hot?: { kelvin: number; spread: number; cools: number; emissivity: number; specificHeat: number }
  air: { kelvin: number; drag: number; gravity: number }
  /** m/s by which flakes sway. */
  flutter: number
  /** Share of a gas's velocity that the air has where it is. */
  flow: number
  contact: { does: 'pass' | 'vanish' | 'bounce' | 'stick'; restitution: number; friction: number; melts: number }
  /** Solid bits that push each other, and of what shape; half edges of an own one, the longest 1/2. */
  among?: { bits: string; half?: Vec3 }
  most: number
  moments: readonly ParticleMoment[]
  preRoll: number
}

export const momentOf = ({ moments, preRoll }: ParticleSettings, done: number): ParticleMoment =>
  moments[Math.min(moments.length - 1, Math.max(0, done - preRoll))] as ParticleMoment
