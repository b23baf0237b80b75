import { Cancelled, LanternError, type Progress, stopIfCancelled } from '@lantern/core/base'
import type { Solve, Track } from '@lantern/core/data'
import { writeSolve, writeTracks } from '@lantern/core/formats'
import { followPlate, keptSolve, solveCamera } from '@lantern/core/match'
import { droppedTracks, followSettings, knownLens } from '@lantern/core/pipeline'
import { adoptSolve, assetFrame, dropLease, findShotById, getBlob, type JobPayload, keepFrame, keptTracks, matchKeys, putBlob, queueJob, resultState, setResultState, type Shot, takeLease, tellShare } from '@lantern/store'
import { plateLinear } from '../io/plateFrames.ts'
import { failureOf, type JobContext } from './context.ts'

const SEED = 1
const TELL_MS = 700
const LATER_MS = 5000

/** Follows a shot's plate at full size. Throws Cancelled. */
export async function trackShot({ store, crew }: JobContext, { document }: Pick<Shot, 'document'>, progress: Progress): Promise<Track[]> {
  const { plate } = document
  const frames = plate.last - plate.first + 1
  const frame = async (n: number): Promise<Float32Array> => (await plateLinear(await getBlob(store, await assetFrame(store, plate.asset, plate.first + n, 'full')), plate.encoding)).data
  return followPlate(crew, { frames, width: plate.width, height: plate.height, frame }, followSettings(document), progress)
}

/** Solves a shot's camera from its tracks, those that were dropped left out. Throws LanternError 'solve', Cancelled. */
export async function solveShot({ crew }: Pick<JobContext, 'crew'>, { document }: Pick<Shot, 'document'>, tracks: readonly Track[], tracksKey: string, progress: Progress): Promise<Solve> {
  const { plate, match } = document
  const gone = new Set(droppedTracks(match, tracksKey))
  const say = async (share: number, what: string): Promise<void> => {
    progress.report(share, what)
    // What is asked meanwhile is heard.
    await new Promise((go) => setImmediate(go))
    stopIfCancelled(progress)
  }
  return keptSolve(await solveCamera({ tracks: tracks.filter(({ id }) => !gone.has(id)), frames: plate.last - plate.first + 1, width: plate.width, height: plate.height, known: knownLens(document), seed: SEED, crew, say }), plate.first)
}

/** Does one stage under its lease and keeps what it makes; undefined where another machine has it or it was stopped. What is kept already is not made again. */
async function stage(context: JobContext, key: string, make: (progress: Progress) => Promise<{ bytes: Uint8Array; mediaType: string; figures: Record<string, unknown> }>): Promise<'done' | 'stopped' | 'busy'> {
  const { store, machine, log } = context
  const before = await resultState(store, key)
  if (before === 'done') return 'done'
  if (before === 'stopped') return 'stopped'
  const fence = await takeLease(store, key, machine)
  if (fence === undefined) return 'busy'
  let stopped = false
  let told = 0
  const progress: Progress = {
    report(share, what) {
      context.progress?.report(share, what)
      if (performance.now() - told < TELL_MS) return
      told = performance.now()
      void (async () => {
        if (!(await tellShare(store, key, fence, share, what)) || (await resultState(store, key)) === 'stopped') stopped = true
      })().catch(() => undefined)
    },
    cancelled: () => stopped || context.ending() || (context.progress?.cancelled() ?? false),
  }
  try {
    await setResultState(store, key, 'running')
    const begun = performance.now()
    const { bytes, mediaType, figures } = await make(progress)
    const seconds = (performance.now() - begun) / 1000
    if (!(await keepFrame(store, { key, frame: 0, blob: await putBlob(store, bytes, mediaType), figures: { ...figures, seconds } }, fence, seconds))) return 'busy'
    await setResultState(store, key, 'done')
    return 'done'
  } catch (error) {
    if (error instanceof Cancelled) {
      // Put down by a machine that leaves: another one, or its own next start, takes it up again.
      if (context.progress) await setResultState(store, key, 'stopped')
      return stopped ? 'stopped' : 'busy'
    }
    const failure = failureOf(error, log)
    log.warn({ key: key.slice(0, 12), error: failure.message }, 'match failed')
    await setResultState(store, key, 'failed', failure.toJSON())
    if (context.progress) throw failure
    return 'stopped'
  } finally {
    await dropLease(store, key, fence)
  }
}

/** Follows a plate and, where asked, solves its camera; a shot without a camera takes the solve at once. Returns true when all that was asked is kept. */
export async function matchJob(context: JobContext, payload: JobPayload<'match'>): Promise<boolean> {
  const { store } = context
  const shot = await findShotById(store, payload.shot)
  const keys = shot && matchKeys(shot.document)
  if (!shot || keys?.tracks !== payload.tracks || (payload.solve && keys.solve !== payload.solve)) {
    // The shot has moved on to other settings.
    for (const key of [payload.tracks, payload.solve]) if (key && (await resultState(store, key)) === 'waiting') await setResultState(store, key, 'stopped')
    return false
  }
  const later = async (): Promise<boolean> => {
    if (!context.progress) await queueJob(store, 'match', payload, { jobKey: `match-later:${payload.solve ?? payload.tracks}`, runAt: new Date(Date.now() + LATER_MS) })
    return false
  }
  const tracked = await stage(context, payload.tracks, async (progress) => {
    const tracks = await trackShot(context, shot, progress)
    return { bytes: writeTracks(tracks), mediaType: 'application/x-lantern-tracks', figures: { tracks: tracks.length } }
  })
  if (tracked === 'busy') return later()
  if (tracked !== 'done' || !payload.solve) {
    if (payload.solve && (await resultState(store, payload.solve)) === 'waiting') await setResultState(store, payload.solve, 'stopped')
    return tracked === 'done'
  }
  const solved = await stage(context, payload.solve, async (progress) => {
    const tracks = await keptTracks(store, payload.tracks)
    if (!tracks) throw new LanternError('tracks', 'The tracks are gone.', 'Track the plate again.')
    const solve = await solveShot(context, shot, tracks, payload.tracks, progress)
    const { kind, medianPx, rmsPx, focalPx, k1, k2, points, parallax, doubts } = solve
    return { bytes: writeSolve(solve), mediaType: 'application/json', figures: { kind, medianPx, rmsPx, focalPx, k1, k2, points: points.length, tracks: solve.tracks, parallax, doubts } }
  })
  if (solved === 'busy') return later()
  if (solved === 'done' && shot.document.camera.kind === 'none') await adoptSolve(store, shot).catch((error: unknown) => context.log.warn({ error: String(error) }, 'the solve was kept, but not as the camera'))
  return solved === 'done'
}
