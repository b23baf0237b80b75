import { type CameraSolve, FOLLOW, followPlate, type KnownLens, solveCamera } from '@lantern/core/match'
import { assetFrame, getBlob, type Shot } from '@lantern/store'
import { plateLinear } from '../io/plateFrames.ts'
import type { JobContext } from './context.ts'

/** What a match of a shot found: the report of the command line, and the solve behind it. */
export interface MatchReport {
  shot: string
  kind: CameraSolve['kind']
  frames: number
  width: number
  height: number
  rmsPx: number
  medianPx: number
  focalPx: number
  distortion: { k1: number; k2: number }
  tracks: number
  points: number
  /** Median of the points' largest angle between two rays, degrees. */
  parallax: number
  doubts: CameraSolve['doubts']
  seconds: number
  /** Camera to world, glTF's axes, over the full frame; the world is the first camera's own until a ground and a distance are given. */
  cameras: { frame: number; position: readonly [number, number, number]; rotation: readonly [number, number, number, number] }[]
}

const SEED = 1
const TRACKING_SHARE = 0.6

/** Tracks a shot's plate at full size and solves its camera. Throws LanternError 'solve' where no camera is found. */
export async function matchShot({ store, crew, progress, ending }: JobContext, shot: Shot, known: KnownLens): Promise<MatchReport> {
  const { plate } = shot.document
  const begun = performance.now()
  const frames = plate.last - plate.first + 1
  const tracks = await followPlate(
    crew,
    { frames, width: plate.width, height: plate.height, frame: async (n) => (await plateLinear(await getBlob(store, await assetFrame(store, plate.asset, plate.first + n, 'full')), plate.encoding)).data },
    FOLLOW,
    { report: (share, what) => progress?.report(TRACKING_SHARE * share, what), cancelled: ending },
  )
  const solve = solveCamera({ tracks, frames, width: plate.width, height: plate.height, known, seed: SEED, say: (share, what) => progress?.report(TRACKING_SHARE + (1 - TRACKING_SHARE) * share, what) })
  const lens = solve.structure.lens
  return {
    shot: shot.name, kind: solve.kind, frames, width: plate.width, height: plate.height, rmsPx: solve.rmsPx, medianPx: solve.medianPx,
    focalPx: lens[0] as number, distortion: { k1: lens[1] as number, k2: lens[2] as number }, tracks: solve.tracks, points: solve.kept, parallax: solve.parallax, doubts: solve.doubts,
    seconds: (performance.now() - begun) / 1000,
    cameras: solve.cameras.map(({ position, rotation }, n) => ({ frame: plate.first + n, position, rotation })),
  }
}
