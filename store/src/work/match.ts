import { LanternError, recipeKey } from '@lantern/core/base'
import type { Solve, Track } from '@lantern/core/data'
import { readSolve, readTracks } from '@lantern/core/formats'
import {
  allTracks,
  groundOf,
  manualTrackRecipe,
  objectRecipe,
  objectTracksRecipe,
  solveRecipe,
  solvingManualTracks,
  tracksRecipe,
  withManualPoints,
} from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import { getBlob } from '../blobs.ts'
import type { Store } from '../open.ts'
import {
  ensureResult,
  keptFrame,
  keptFrames,
  type ResultState,
  resultRows,
  setResultState,
} from '../queries/results.ts'
import { editShot, type Shot } from '../queries/shots.ts'
import { queueJob } from '../queue.ts'

/** Keys of the plate's tracks and of the solve from them, as the document says now. */
export function matchKeys(document: Pick<ShotDocument, 'plate' | 'match'>): { tracks: string; solve: string } {
  const tracks = recipeKey(tracksRecipe(document))
  return { tracks, solve: recipeKey(solveRecipe(document, tracks)) }
}

/** The key of one hand track's following; undefined where the document has no such hand. */
export function manualTrackKey(document: Pick<ShotDocument, 'plate' | 'match'>, id: string): string | undefined {
  const hand = document.match.hands[id]
  return hand && recipeKey(manualTrackRecipe(document, hand))
}

/** Tracks and solve are one file each, kept as frame 0 of their result. */
const WHOLE = 0

/** Asks the farm to follow the plate's features, or to solve its camera too. Does nothing where that is kept or on its way. */
export async function requestMatch(store: Store, shot: Shot, what: 'tracks' | 'solve'): Promise<string> {
  const keys = matchKeys(shot.document)
  const { first, last } = shot.document.plate
  await ensureResult(store, {
    key: keys.tracks,
    kind: 'tracks',
    settings: tracksRecipe(shot.document).settings as object,
    shot: shot.id,
    item: 'tracks',
    first,
    last,
  })
  if (what === 'solve')
    for (const [id, hand] of solvingManualTracks(shot.document.match)) {
      const recipe = manualTrackRecipe(shot.document, hand)
      await ensureResult(store, {
        key: recipeKey(recipe),
        kind: 'hand',
        settings: recipe.settings as object,
        shot: shot.id,
        item: `hand-${id}`,
        first,
        last,
      })
    }
  if (what === 'solve')
    await ensureResult(store, {
      key: keys.solve,
      kind: 'solve',
      settings: solveRecipe(shot.document, keys.tracks).settings as object,
      shot: shot.id,
      item: 'solve',
      first,
      last,
    })
  const rows = await resultRows(store, [keys.tracks, keys.solve])
  const key = keys[what]
  if (rows.get(key)?.state === 'done') return key
  for (const one of what === 'solve' ? [keys.tracks, keys.solve] : [keys.tracks])
    if (rows.get(one)?.state !== 'done' && rows.get(one)?.state !== 'running')
      await setResultState(store, one, 'waiting')
  await queueJob(
    store,
    'match',
    { shot: shot.id, tracks: keys.tracks, ...(what === 'solve' ? { solve: keys.solve } : {}) },
    { jobKey: `${what}:${key}` },
  )
  return key
}

/** Asks the farm to follow a track set by hand. Does nothing where that is kept or on its way. Throws LanternError 'no-hand'. */
export async function requestManualTrack(store: Store, shot: Shot, id: string): Promise<string> {
  const hand = shot.document.match.hands[id]
  if (!hand)
    throw new LanternError(
      'no-hand',
      `“${id.slice(0, 40)}” is not a track of this shot.`,
      'Choose one from the roster.',
      { field: 'hand' },
    )
  const recipe = manualTrackRecipe(shot.document, hand)
  const key = recipeKey(recipe)
  const { first, last } = shot.document.plate
  await ensureResult(store, {
    key,
    kind: 'hand',
    settings: recipe.settings as object,
    shot: shot.id,
    item: `hand-${id}`,
    first,
    last,
  })
  const row = (await resultRows(store, [key])).get(key)
  if (row?.state === 'done') return key
  if (row?.state !== 'running') await setResultState(store, key, 'waiting')
  await queueJob(store, 'hand', { shot: shot.id, hand: id, key }, { jobKey: `hand:${key}`, priority: -1 })
  return key
}

/** Keys of a thing's tracks, and of the solve from them. Throws LanternError 'no-thing'. */
export function movingObjectKeys(document: ShotDocument, id: string): { tracks: string; solve: string } {
  const thing = document.match.things[id]
  if (!thing)
    throw new LanternError(
      'no-thing',
      `“${id.slice(0, 40)}” is not a thing of this shot.`,
      'Choose one from the roster.',
      { field: 'thing' },
    )
  const tracks = recipeKey(objectTracksRecipe(document, thing))
  return { tracks, solve: recipeKey(objectRecipe(document, thing, tracks)) }
}

/** Asks the farm to follow a thing and solve where it is. Does nothing where that is kept or on its way. Throws LanternError 'no-thing', 'no-camera'. */
export async function requestMovingObject(store: Store, shot: Shot, id: string): Promise<string> {
  const { document } = shot
  const keys = movingObjectKeys(document, id)
  const thing = document.match.things[id]
  if (!thing) throw new LanternError('no-thing', 'The thing is gone.', 'Draw it again.')
  if (document.camera.kind === 'none')
    throw new LanternError(
      'no-camera',
      'A thing is solved through the shot’s camera, and there is none yet.',
      'Solve or line up the camera first.',
      { field: 'camera' },
    )
  const { first, last } = document.plate
  await ensureResult(store, {
    key: keys.tracks,
    kind: 'tracks',
    settings: objectTracksRecipe(document, thing).settings as object,
    shot: shot.id,
    item: `thing-${id}`,
    first,
    last,
  })
  await ensureResult(store, {
    key: keys.solve,
    kind: 'thing',
    settings: objectRecipe(document, thing, keys.tracks).settings as object,
    shot: shot.id,
    item: `thing-${id}`,
    first,
    last,
  })
  const rows = await resultRows(store, [keys.tracks, keys.solve])
  if (rows.get(keys.solve)?.state === 'done') return keys.solve
  for (const key of [keys.tracks, keys.solve])
    if (rows.get(key)?.state !== 'done' && rows.get(key)?.state !== 'running')
      await setResultState(store, key, 'waiting')
  await queueJob(store, 'thing', { shot: shot.id, thing: id, ...keys }, { jobKey: `thing:${keys.solve}` })
  return keys.solve
}

/** What the document's hand tracks gave, by id, as far as it is kept. */
export async function keptManualTracks(
  store: Store,
  document: Pick<ShotDocument, 'plate' | 'match'>,
): Promise<Record<string, Track[]>> {
  const found: Record<string, Track[]> = {}
  for (const id of Object.keys(document.match.hands)) {
    const tracks = await keptTracks(store, manualTrackKey(document, id) ?? '')
    if (tracks) found[id] = tracks
  }
  return found
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
  if (!solve || !tracks)
    throw new LanternError('no-solve', 'There is no new solve of this shot.', 'Press Solve first.', { field: 'solve' })
  const all = allTracks(shot.document, keys.tracks, tracks, await keptManualTracks(store, shot.document))
  const placed = groundOf(shot.document.match, withManualPoints(solve, all), all)
  return editShot(store, shot.name, base, {
    camera: {
      kind: 'solved',
      solve: { key: keys.solve, tracks: keys.tracks, medianPx: solve.medianPx, ground: null, ...placed },
    },
  })
}

/** The solve that a shot's camera is, and its tracks, those set by hand among them; empty where the camera was not solved. */
export async function solvedMatch(store: Store, document: ShotDocument): Promise<{ solve?: Solve; tracks: Track[] }> {
  const { camera } = document
  const found = camera.kind === 'solved' && camera.solve ? camera.solve : undefined
  const tracks = allTracks(
    document,
    found?.tracks ?? '',
    found ? ((await keptTracks(store, found.tracks)) ?? []) : [],
    await keptManualTracks(store, document),
  )
  const solve = found && (await keptSolveOf(store, found.key))
  return { ...(solve ? { solve: withManualPoints(solve, tracks) } : {}), tracks }
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
  /** By the hand tracks' ids. */
  hands: Record<string, MatchStage>
  /** By the things' ids. */
  things: Record<string, { tracks: MatchStage; solve: MatchStage }>
}

/** Rows and kept figures of whole results (one file each), read at once. */
export async function stagesOf(store: Store, keys: readonly string[]): Promise<(key: string) => MatchStage> {
  const [rows, frames] = await Promise.all([resultRows(store, keys), keptFrames(store, keys)])
  const figures = new Map(frames.filter(({ frame }) => frame === WHOLE).map((one) => [one.key, one.figures]))
  return (key) => {
    const row = rows.get(key)
    return {
      key,
      state: row?.state ?? 'missing',
      share: row?.share ?? 0,
      doing: row?.doing ?? null,
      error: row?.error ?? null,
      figures: figures.get(key) ?? {},
    }
  }
}

/** Keys of all that a match consists of. */
interface MatchKeys {
  tracks: string
  solve: string
  hands: readonly (readonly [id: string, key: string])[]
  things: readonly (readonly [id: string, keys: { tracks: string; solve: string }])[]
}
const keysOf = new WeakMap<ShotDocument, MatchKeys>()
function allMatchKeys(document: ShotDocument): MatchKeys {
  const known = keysOf.get(document)
  if (known) return known
  const { hands, things } = document.match
  const made: MatchKeys = {
    ...matchKeys(document),
    hands: Object.keys(hands).map((id) => [id, manualTrackKey(document, id) ?? '']),
    things: Object.keys(things).map((id) => [id, movingObjectKeys(document, id)]),
  }
  keysOf.set(document, made)
  return made
}

export async function matchStatus(store: Store, document: ShotDocument): Promise<MatchStatus> {
  const { tracks, solve, hands, things } = allMatchKeys(document)
  const objects = things.flatMap(([, keys]) => [keys.tracks, keys.solve])
  const stage = await stagesOf(store, [tracks, solve, ...hands.map(([, key]) => key), ...objects])
  return {
    tracks: stage(tracks),
    solve: stage(solve),
    hands: Object.fromEntries(hands.map(([id, key]) => [id, stage(key)])),
    things: Object.fromEntries(
      things.map(([id, keys]) => [id, { tracks: stage(keys.tracks), solve: stage(keys.solve) }]),
    ),
  }
}
