import { LanternError } from '@lantern/core/base'
import type { Solve, Track } from '@lantern/core/data'
import { readSolve, readTracks } from '@lantern/core/formats'
import { groundOf, recipeKey, solveRecipe, tracksRecipe } from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import { getBlob } from '../blobs.ts'
import type { Store } from '../open.ts'
import { ensureResult, keptFrame, type ResultState, resultRows, setResultState } from '../queries/results.ts'
import { editShot, type Shot } from '../queries/shots.ts'
import { queueJob } from '../queue.ts'

/** Keys of the plate's tracks and of the solve from them, as the document says now. */
export function matchKeys(document: Pick<ShotDocument, 'plate' | 'match'>): { tracks: string; solve: string } {
  const tracks = recipeKey(tracksRecipe(document))
  return { tracks, solve: recipeKey(solveRecipe(document, tracks)) }
}

/** Tracks and solve are one file each, kept as frame 0 of their result. */
const WHOLE = 0

/** Asks the farm to follow the plate's features, or to solve its camera too. Does nothing where that is kept or on its way. */
export async function askMatch(store: Store, shot: Shot, what: 'tracks' | 'solve'): Promise<string> {
  const keys = matchKeys(shot.document)
  const { first, last } = shot.document.plate
  await ensureResult(store, { key: keys.tracks, kind: 'tracks', settings: tracksRecipe(shot.document).settings as object, shot: shot.id, item: 'tracks', first, last })
  if (what === 'solve') await ensureResult(store, { key: keys.solve, kind: 'solve', settings: solveRecipe(shot.document, keys.tracks).settings as object, shot: shot.id, item: 'solve', first, last })
  const rows = await resultRows(store, [keys.tracks, keys.solve])
  const key = keys[what]
  if (rows.get(key)?.state === 'done') return key
  for (const one of what === 'solve' ? [keys.tracks, keys.solve] : [keys.tracks]) if (rows.get(one)?.state !== 'done' && rows.get(one)?.state !== 'running') await setResultState(store, one, 'waiting')
  await queueJob(store, 'match', { shot: shot.id, tracks: keys.tracks, ...(what === 'solve' ? { solve: keys.solve } : {}) }, { jobKey: `${what}:${key}` })
  return key
}

/** The kept tracks, or the kept solve, under a key; undefined where there are none. */
export async function keptTracks(store: Store, key: string): Promise<Track[] | undefined> {
  const kept = await keptFrame(store, key, WHOLE)
  return kept && readTracks(await getBlob(store, kept.blob))
}
export async function keptSolveOf(store: Store, key: string): Promise<Solve | undefined> {
  const kept = await keptFrame(store, key, WHOLE)
  return kept && readSolve(await getBlob(store, kept.blob))
}

/**
 * Makes a kept solve the shot's camera, put on the ground that the document tells of. base: the revision this was asked for.
 * Throws LanternError 'no-solve' where nothing is kept, 'place' or 'ground' where what is said of the ground does not fit it.
 */
export async function adoptSolve(store: Store, shot: Shot, base?: number): Promise<Shot> {
  const keys = matchKeys(shot.document)
  const [solve, tracks] = [await keptSolveOf(store, keys.solve), await keptTracks(store, keys.tracks)]
  if (!solve || !tracks) throw new LanternError('no-solve', 'There is no new solve of this shot.', 'Press Solve first.', { field: 'solve' })
  const placed = groundOf(shot.document.match, solve, tracks)
  return editShot(store, shot.name, base, { camera: { kind: 'solved', solve: { key: keys.solve, tracks: keys.tracks, medianPx: solve.medianPx, ground: null, ...placed } } })
}

/** One stage of a match for the screen. */
export interface MatchStage {
  key: string
  state: ResultState | 'missing'
  share: number
  doing: string | null
  error: { message: string; remedy: string } | null
  figures: Record<string, unknown>
}
export interface MatchStatus {
  tracks: MatchStage
  solve: MatchStage
}

export async function matchStatus(store: Store, document: ShotDocument): Promise<MatchStatus> {
  const keys = matchKeys(document)
  const rows = await resultRows(store, [keys.tracks, keys.solve])
  const stage = async (key: string): Promise<MatchStage> => {
    const row = rows.get(key)
    const kept = await keptFrame(store, key, WHOLE)
    return { key, state: row?.state ?? 'missing', share: row?.share ?? 0, doing: row?.doing ?? null, error: row?.error ?? null, figures: kept?.figures ?? {} }
  }
  return { tracks: await stage(keys.tracks), solve: await stage(keys.solve) }
}
