import type { Quaternion, Vec3 } from '../math/index.ts'
import type { Camera } from './camera.ts'

/** A change of place, turn and size: p goes to scale x R p + shift. */
export interface Similarity {
  scale: number
  rotation: Quaternion
  shift: Vec3
}

/** The point of a track, in the solve's own world, and how far off it lands: the median over its frames, px. */
export interface SolvePoint {
  track: number
  at: Vec3
  px: number
}

/** A solved camera as it is kept: in its own world, which has no ground and no size yet (the first camera at the origin, looking along -Z). */
export interface Solve {
  /** moving: with parallax; turning: about one place, points are directions. */
  kind: 'moving' | 'turning'
  width: number
  height: number
  /** Number of the first frame, as in the plate. */
  first: number
  focalPx: number
  k1: number
  k2: number
  medianPx: number
  rmsPx: number
  /** By frame: median over the tracks seen; null where none is. */
  framePx: (number | null)[]
  /** By frame; null where no camera was found. */
  cameras: ({ position: Vec3; rotation: Quaternion } | null)[]
  points: SolvePoint[]
  /** Tracks that took part. */
  tracks: number
  /** Median over the points of the largest angle between two of their rays, degrees. */
  parallax: number
  doubts: { what: string; remedy: string }[]
  /** Standard errors of what was found of the lens. */
  lensErrors?: { focalPx?: number; k1?: number; k2?: number }
  /** What of the lens the tracks don't carry: what they gave with its standard error (null: unbounded), and what is held instead. */
  held?: { term: 'focalPx' | 'k1' | 'k2'; found: number; error: number | null; at: number }[]
}

/** The solve's camera at a frame counted from 0; where none was found, the nearest that was. */
export function solveCameraAt(solve: Solve, n: number): Camera {
  const { cameras } = solve
  let best = 0
  for (let k = 0; k < cameras.length; k++)
    if (cameras[k] && (!cameras[best] || Math.abs(k - n) < Math.abs(best - n))) best = k
  const { position, rotation } = cameras[best] ?? { position: [0, 0, 0], rotation: [0, 0, 0, 1] }
  return {
    position,
    rotation,
    focalPx: solve.focalPx,
    k1: solve.k1,
    k2: solve.k2,
    centre: [solve.width / 2, solve.height / 2],
    width: solve.width,
    height: solve.height,
  }
}
