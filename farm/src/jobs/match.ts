import { LanternError, type Progress, stopIfCancelled } from '@lantern/core/base'
import type { Solve, Track } from '@lantern/core/data'
import { readMatteFrame, writeSolve, writeTracks } from '@lantern/core/formats'
import {
  followManualTrack,
  followPlate,
  keptSolve,
  type PlateFrames,
  solveCamera,
  solveObject,
} from '@lantern/core/match'
import {
  cameraAt,
  carriedRuns,
  drawnKeepOuts,
  followSettings,
  keptOutAt,
  knownLens,
  type MatteMask,
  manualTrackSettings,
  matteFrame,
  matteMask,
  objectFollow,
  objectInput,
  placesAt,
  proposedFocal,
  solvingManualTracks,
  tracksToSolve,
} from '@lantern/core/pipeline'
import type { MovingObject } from '@lantern/core/shot'
import {
  adoptSolve,
  assetFrame,
  cameraPathOf,
  findShotById,
  getBlob,
  type JobPayload,
  keptManualTracks,
  keptSolveOf,
  keptTracks,
  manualTrackKey,
  matchKeys,
  movingObjectKeys,
  queueJob,
  resultState,
  type Shot,
  type Store,
  setResultState,
} from '@lantern/store'

import { keptByChain } from '../bake/runWhole.ts'
import { plateLinear } from '../io/plateFrames.ts'
import type { JobContext } from './context.ts'
import { plateReady, runSingleOutput, type Whole } from './runSingleOutput.ts'

const SEED = 1
const LATER_MS = 5000

/** A shot's plate at full size, frames counted from 0, in linear light. */
export function plateFrames(store: Store, { plate }: Pick<Shot['document'], 'plate'>): PlateFrames {
  return {
    frames: plate.last - plate.first + 1,
    width: plate.width,
    height: plate.height,
    frame: async (n) =>
      (
        await plateLinear(
          await getBlob(store, await assetFrame(store, plate.asset, plate.first + n, 'full')),
          plate.encoding,
        )
      ).data,
  }
}

/** Follows a shot's plate at full size. Throws Cancelled. */
export async function trackShot(
  { store, crew }: JobContext,
  { document }: Pick<Shot, 'document'>,
  progress: Progress,
): Promise<Track[]> {
  return followPlate(
    crew,
    plateFrames(store, document),
    followSettings(document, await matteMasks(store, document)),
    progress,
  )
}

/** The masks of a shot's mattes, at half size; undefined where it has none. */
async function matteMasks(store: Store, document: Shot['document']): Promise<MatteMask[] | undefined> {
  const {
    plate,
    match: { matte },
  } = document
  const drawn = drawnKeepOuts(document).length > 0
  if (!matte && !drawn) return undefined
  const masks: MatteMask[] = []
  for (let frame = plate.first; frame <= plate.last; frame++) {
    const own = drawn ? await drawnMask(store, document, frame) : undefined
    if (!matte) {
      if (own) masks.push(own)
      continue
    }
    const { width, height, data } = await plateLinear(
      await getBlob(store, await assetFrame(store, matte.asset, matteFrame(document, frame), 'half')),
      'srgb',
    )
    masks.push(joinedMasks(matteMask(data, width, height, matte.inverted), own))
  }
  return masks
}

/** A mask that keeps out where either does, in the first one's size. */
function joinedMasks(a: MatteMask, b: MatteMask | undefined): MatteMask {
  if (!b) return a
  const out = a.out.map((one, n) => {
    const [x, y] = [n % a.width, Math.floor(n / a.width)]
    const other = Math.floor((y * b.height) / a.height) * b.width + Math.floor((x * b.width) / a.width)
    return one | (b.out[other] ?? 0)
  })
  return { ...a, out }
}

/** Where carried mattes and those made of others keep the match out. Throws LanternError 'matte' where one is not carried yet. */
async function drawnMask(store: Store, document: Shot['document'], frame: number): Promise<MatteMask> {
  const kept = new Map<string, unknown>()
  for (const { item, frameKeys } of drawnKeepOuts(document).flatMap((id) => carriedRuns(document, id))) {
    const key = frameKeys.get(frame)
    if (key === undefined) continue
    const bytes = await keptByChain(store)(key)
    if (!bytes)
      throw new LanternError(
        'matte',
        `“${document.items[item]?.name}” keeps the match out and is not carried on frame ${frame}.`,
        'Carry it at the Mattes station first, or let it keep nothing out.',
        { field: 'matte', frame },
      )
    kept.set(item, readMatteFrame(bytes))
  }
  const tracks = await keptManualTracks(store, document)
  const inputs = {
    track: (id: string, at: number) => placesAt(tracks[id], at - document.plate.first),
  }
  return keptOutAt(document, frame, (id) => kept.get(id), inputs)
}

const sayTo =
  (progress: Progress) =>
  async (share: number, what: string): Promise<void> => {
    progress.report(share, what)
    // What is asked meanwhile is heard.
    await new Promise((go) => setImmediate(go))
    stopIfCancelled(progress)
  }

/** Solves a shot's camera from its tracks as tidied, and those set by hand. followed: what these gave, by id. Throws LanternError 'solve', Cancelled. */
export async function solveShot(
  { crew }: Pick<JobContext, 'crew'>,
  { document }: Pick<Shot, 'document'>,
  tracks: readonly Track[],
  tracksKey: string,
  followed: Readonly<Record<string, readonly Track[]>>,
  progress: Progress,
): Promise<Solve> {
  const { plate } = document
  return keptSolve(
    await solveCamera({
      tracks: tracksToSolve(document, tracksKey, tracks, followed),
      frames: plate.last - plate.first + 1,
      width: plate.width,
      height: plate.height,
      known: knownLens(document),
      proposedFocalPx: proposedFocal(document),
      seed: SEED,
      crew,
      say: sayTo(progress),
    }),
    plate.first,
  )
}

/** Follows a thing inside its region. */
const followThing = (
  { store, crew }: JobContext,
  { document }: Shot,
  thing: MovingObject,
  progress: Progress,
): Promise<Track[]> => followPlate(crew, plateFrames(store, document), objectFollow(document, thing), progress)

/** Follows a thing that moves by itself and solves where it is, as the document has it now. Returns true when it is kept. */
export async function movingObjectJob(context: JobContext, payload: JobPayload<'thing'>): Promise<boolean> {
  const { store, crew } = context
  const shot = await findShotById(store, payload.shot)
  const thing = shot?.document.match.things[payload.thing]
  const keys = shot && thing && movingObjectKeys(shot.document, payload.thing)
  if (!shot || !thing || keys?.solve !== payload.solve) {
    // The shot has moved on to another region, geometry or camera.
    for (const key of [payload.tracks, payload.solve])
      if ((await resultState(store, key)) === 'waiting') await setResultState(store, key, 'stopped')
    return false
  }
  const later = async (): Promise<boolean> => {
    if (!context.progress)
      await queueJob(store, 'thing', payload, {
        jobKey: `thing-later:${payload.solve}`,
        runAt: new Date(Date.now() + LATER_MS),
      })
    return false
  }
  const tracked = await runSingleOutput(context, payload.tracks, async (progress) => {
    const tracks = await followThing(context, shot, thing, progress)
    return { bytes: writeTracks(tracks), mediaType: 'application/x-lantern-tracks', figures: { tracks: tracks.length } }
  })
  if (tracked === 'busy') return later()
  if (tracked !== 'done') return setResultState(store, payload.solve, 'stopped').then(() => false)
  const solved = await runSingleOutput(context, payload.solve, async (progress) => {
    const { document } = shot
    const path = await cameraPathOf(store, document)
    const tracks = (await keptTracks(store, payload.tracks)) ?? []
    const solve = await solveObject({
      ...objectInput(document, thing, tracks, (frame) => cameraAt(document, path, frame)),
      seed: SEED,
      crew,
      say: sayTo(progress),
    })
    return {
      bytes: writeSolve(solve),
      mediaType: 'application/json',
      figures: {
        medianPx: solve.medianPx,
        points: solve.points.length,
        tracks: solve.tracks,
        frames: solve.cameras.filter((one) => one !== null).length,
      },
    }
  })
  if (solved === 'busy') return later()
  return solved === 'done'
}

/** Follows one track set by hand. */
async function followOne({ store }: JobContext, { document }: Shot, id: string, progress: Progress): Promise<Whole> {
  const hand = document.match.hands[id]
  if (!hand) throw new LanternError('no-hand', 'The track is gone.', 'Set it again.')
  const { tracks, likeness, looks, lost } = await followManualTrack(
    plateFrames(store, document),
    manualTrackSettings(document, hand),
    progress,
  )
  return {
    bytes: writeTracks(tracks),
    mediaType: 'application/x-lantern-tracks',
    figures: {
      first: document.plate.first + (tracks[0]?.first ?? 0),
      likeness: likeness.map((v) => Math.round(v * 1000) / 1000),
      looks,
      lost: lost.map((n) => document.plate.first + n),
    },
  }
}

/** Follows a track set by hand, as the document has it now. Returns true when it is kept. */
export async function manualTrackJob(
  context: JobContext,
  { shot: id, hand, key }: JobPayload<'hand'>,
): Promise<boolean> {
  const shot = await findShotById(context.store, id)
  if (!shot || manualTrackKey(shot.document, hand) !== key) {
    // The shot has moved on to another place of it.
    if ((await resultState(context.store, key)) === 'waiting') await setResultState(context.store, key, 'stopped')
    return false
  }
  const state = (await plateReady(context.store, shot.document))
    ? await runSingleOutput(context, key, (progress) => followOne(context, shot, hand, progress))
    : 'busy'
  if (state === 'busy' && !context.progress)
    await queueJob(
      context.store,
      'hand',
      { shot: id, hand, key },
      { jobKey: `hand-later:${key}`, runAt: new Date(Date.now() + LATER_MS) },
    )
  return state === 'done'
}

const isSure = async (store: Store, key: string): Promise<boolean> =>
  (await keptSolveOf(store, key))?.doubts.length === 0

/** Follows a plate and, where asked, solves its camera; a shot without a camera takes a solve that is not in doubt at once. Returns true when all that was asked is kept. */
export async function matchJob(context: JobContext, payload: JobPayload<'match'>): Promise<boolean> {
  const { store } = context
  const shot = await findShotById(store, payload.shot)
  const keys = shot && matchKeys(shot.document)
  if (!shot || keys?.tracks !== payload.tracks || (payload.solve && keys.solve !== payload.solve)) {
    // The shot has moved on to other settings.
    for (const key of [payload.tracks, payload.solve])
      if (key && (await resultState(store, key)) === 'waiting') await setResultState(store, key, 'stopped')
    return false
  }
  const later = async (): Promise<boolean> => {
    if (!context.progress)
      await queueJob(store, 'match', payload, {
        jobKey: `match-later:${payload.solve ?? payload.tracks}`,
        runAt: new Date(Date.now() + LATER_MS),
      })
    return false
  }
  const tracked = await runSingleOutput(context, payload.tracks, async (progress) => {
    const tracks = await trackShot(context, shot, progress)
    return { bytes: writeTracks(tracks), mediaType: 'application/x-lantern-tracks', figures: { tracks: tracks.length } }
  })
  if (tracked === 'busy') return later()
  if (tracked !== 'done' || !payload.solve) {
    if (payload.solve && (await resultState(store, payload.solve)) === 'waiting')
      await setResultState(store, payload.solve, 'stopped')
    return tracked === 'done'
  }
  for (const [id] of solvingManualTracks(shot.document.match)) {
    const state = await runSingleOutput(context, manualTrackKey(shot.document, id) ?? '', (progress) =>
      followOne(context, shot, id, progress),
    )
    if (state === 'busy') return later()
    if (state !== 'done') return setResultState(store, payload.solve, 'stopped').then(() => false)
  }
  const solved = await runSingleOutput(context, payload.solve, async (progress) => {
    const tracks = await keptTracks(store, payload.tracks)
    if (!tracks) throw new LanternError('tracks', 'The tracks are gone.', 'Track the plate again.')
    const solve = await solveShot(
      context,
      shot,
      tracks,
      payload.tracks,
      await keptManualTracks(store, shot.document),
      progress,
    )
    const { kind, medianPx, rmsPx, focalPx, k1, k2, points, parallax, doubts } = solve
    return {
      bytes: writeSolve(solve),
      mediaType: 'application/json',
      figures: {
        kind,
        medianPx,
        rmsPx,
        focalPx,
        k1,
        k2,
        points: points.length,
        tracks: solve.tracks,
        parallax,
        doubts,
      },
    }
  })
  if (solved === 'busy') return later()
  // A solve in doubt waits for a person to take it.
  if (solved === 'done' && shot.document.camera.kind === 'none' && (await isSure(store, payload.solve)))
    await adoptSolve(store, shot).catch((error: unknown) =>
      context.log.warn({ error: String(error) }, 'the solve was kept, but not as the camera'),
    )
  return solved === 'done'
}
