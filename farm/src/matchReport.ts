import { LanternError, type Progress } from '@lantern/core/base'
import type { Solve } from '@lantern/core/data'
import { allTracks, groundOf, solvedPath, withManualPoints } from '@lantern/core/pipeline'
import {
  adoptSolve,
  editShot,
  getShot,
  keptFrame,
  keptManualTracks,
  keptSolveOf,
  keptTracks,
  matchKeys,
  requestMatch,
  resultRows,
  type Shot,
} from '@lantern/store'
import type { JobContext } from './jobs/context.ts'
import { matchJob } from './jobs/match.ts'

/** What a match of a shot found: the report of the command line. */
export interface MatchReport {
  shot: string
  kind: Solve['kind']
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
  doubts: Solve['doubts']
  /** Of following and solving, when they were computed. */
  seconds: number
  /** Whether it is the shot's camera now. */
  taken: boolean
  /** Camera to world, glTF's axes, over the full frame; the world is the first camera's own until the shot says what is ground. */
  cameras: {
    frame: number
    position: readonly [number, number, number]
    rotation: readonly [number, number, number, number]
  }[]
}

export interface MatchWish {
  /** Focal length, mm on a 36 mm wide sensor: set in the shot as known. */
  focal?: number
  /** Takes the place of a camera from a file or a typed one too. */
  take?: boolean
}

const WAIT_MS = 1000
const FULL_FRAME_MM = 36

/** Follows and solves a shot's plate, or takes what is kept; makes it the shot's camera where that is a solved one or none and nothing is in doubt, or where that is wished. Throws LanternError 'solve' where none is found. */
export async function matchShot(context: JobContext, name: string, wish: MatchWish): Promise<MatchReport> {
  const { store } = context
  let shot: Shot = await getShot(store, name)
  if (wish.focal !== undefined)
    shot = await editShot(store, name, shot.head, { match: { lens: 'focal known', focal: wish.focal / FULL_FRAME_MM } })
  await requestMatch(store, shot, 'solve')
  const keys = matchKeys(shot.document)
  const progress: Progress | undefined = context.progress
  // The farm may be at it already: then its work is waited for, not done twice.
  while (
    !(await matchJob(
      { ...context, progress: progress ?? { report: () => undefined, cancelled: () => false } },
      { shot: shot.id, ...keys },
    ))
  ) {
    const rows = await resultRows(store, [keys.tracks, keys.solve])
    const states = [rows.get(keys.tracks), rows.get(keys.solve)]
    const failed = states.find((row) => row?.state === 'failed')
    if (failed?.error) throw new LanternError('solve', failed.error.message, failed.error.remedy)
    if (context.ending() || states.some((row) => row?.state === 'stopped'))
      throw new LanternError('stopped', 'Stopped; what was kept stays.', 'Run it again to go on.')
    await new Promise((wake) => setTimeout(wake, WAIT_MS))
  }
  const [solve, tracks] = [await keptSolveOf(store, keys.solve), await keptTracks(store, keys.tracks)]
  if (!solve || !tracks) throw new LanternError('no-solve', 'The solve is gone.', 'Run it again.')
  shot = await getShot(store, name)
  const kind = shot.document.camera.kind
  const own = (kind === 'none' || kind === 'solved') && solve.doubts.length === 0
  if (shot.document.camera.solve?.key !== keys.solve && (own || wish.take))
    shot = await adoptSolve(store, shot, shot.head)
  const all = allTracks(shot.document, keys.tracks, tracks, await keptManualTracks(store, shot.document))
  const seconds = (await Promise.all([keys.tracks, keys.solve].map((key) => keptFrame(store, key, 0)))).reduce(
    (sum, frame) => sum + (typeof frame?.figures.seconds === 'number' ? frame.figures.seconds : 0),
    0,
  )
  return {
    shot: name,
    kind: solve.kind,
    frames: solve.cameras.length,
    width: solve.width,
    height: solve.height,
    rmsPx: solve.rmsPx,
    medianPx: solve.medianPx,
    focalPx: solve.focalPx,
    distortion: { k1: solve.k1, k2: solve.k2 },
    tracks: solve.tracks,
    points: solve.points.length,
    parallax: solve.parallax,
    doubts: solve.doubts,
    seconds,
    taken: shot.document.camera.kind === 'solved' && shot.document.camera.solve?.key === keys.solve,
    cameras: solvedPath(solve, groundOf(shot.document.match, withManualPoints(solve, all), all).by).frames.map(
      ({ frame, camera: { position, rotation } }) => ({ frame, position, rotation }),
    ),
  }
}
