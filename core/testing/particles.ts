import type { Camera } from '../src/data/index.ts'
import type { ParticleLook } from '../src/effects/particles/index.ts'

// What tests of particles in the picture share.

export const camera: Camera = {
  position: [0, 1, 0],
  rotation: [0, 0, 0, 1],
  focalPx: 270,
  centre: [160, 90],
  k1: 0,
  k2: 0,
  width: 320,
  height: 180,
}
/** Grey balls that hide what is behind them, and nothing else. */
export const look: ParticleLook = {
  over: true,
  colour: [1, 1, 1],
  brightness: 0.5,
  glow: 1,
  lights: 0,
  life: 2,
  fades: 0,
  seed: 1,
  hot: false,
  flat: false,
  bends: 0,
  afterglow: 0,
  refracts: 0,
  shadow: 0,
  tops: [],
  speed: 1,
}
