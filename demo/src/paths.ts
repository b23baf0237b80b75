import { noise3, panTiltRoll, type Quaternion, radians, type Vec3 } from '@lantern/core/math'

export interface Lens {
  focalPx: number
  k1: number
  k2: number
}

/** One exact camera of a demo plate. */
export interface ExactCamera {
  frame: number
  position: Vec3
  rotation: Quaternion
}

export interface PlateSpec {
  name: string
  frames: number
  first: number
  rate: number
  lens: Lens
  seed: number
  camera: (time: number) => { position: Vec3; rotation: Quaternion }
  /** Exposure drift, stops. */
  drift: (time: number) => number
  worker: boolean
}

const LENS: Lens = { focalPx: 1040, k1: -0.052, k2: 0.008 }

/** Slow and quick parts of a hand: metres and radians. */
const tremble = (seed: number, time: number, pace: number): number => noise3(seed, time * pace, 0, 0) + 0.4 * noise3(seed + 1, time * pace * 3.1, 0, 0) + 0.15 * noise3(seed + 2, time * pace * 8, 0, 0)

export const PLATES: PlateSpec[] = [
  {
    name: 'yard-walk', frames: 120, first: 1001, rate: 24, lens: LENS, seed: 3,
    camera(time) {
      const steps = time * 1.9
      return {
        position: [-0.4 + 0.34 * time + 0.02 * Math.sin(Math.PI * steps) + 0.03 * tremble(1, time, 0.7), 1.62 + 0.016 * Math.abs(Math.sin(Math.PI * steps)) + 0.012 * tremble(5, time, 0.8), 9.7 - 0.16 * time + 0.02 * tremble(9, time, 0.6)],
        rotation: panTiltRoll(radians(-7 + 0.35 * time + 0.5 * tremble(13, time, 0.6)), radians(1.4 + 0.35 * tremble(17, time, 0.9) + 0.12 * Math.sin(2 * Math.PI * steps)), radians(0.35 * tremble(21, time, 0.5))),
      }
    },
    drift: (time) => 0.12 * Math.sin(time * 0.7),
    worker: true,
  },
  {
    name: 'yard-locked', frames: 96, first: 1001, rate: 24, lens: LENS, seed: 7,
    camera: (time) => ({ position: [0.9, 1.5, 9.2], rotation: panTiltRoll(radians(-8 + 0.012 * tremble(31, time, 5)), radians(2.2 + 0.012 * tremble(35, time, 5)), radians(0.006 * tremble(39, time, 4))) }),
    drift: () => -0.35,
    worker: false,
  },
]

export const exactCamera = (spec: PlateSpec, frame: number): ExactCamera => ({ frame, ...spec.camera((frame - spec.first) / spec.rate) })
