import { recipeKey } from '@lantern/core/base'
import { NO_GRAIN, type PictureQualityName, stackSettingsAt, VERSIONS } from '@lantern/core/pipeline'
import type { Store } from '../open.ts'
import { ensureResult, resultRows, setResultState } from '../queries/results.ts'
import type { Shot } from '../queries/shots.ts'
import { queueInLine } from './line.ts'
import { requestPicture } from './request.ts'
import { type ResolvedShot, resolveShot } from './resolve.ts'

const keysOf = new WeakMap<ResolvedShot, Map<string, string>>()

/** The key of a hand-off of the document as it is, and of what its signals read; how its camera was found is no part of it. */
export function handOffKey(resolved: ResolvedShot, quality: PictureQualityName, form: 'movie' | 'exr'): string {
  const known = keysOf.get(resolved) ?? new Map<string, string>()
  keysOf.set(resolved, known)
  const name = `${form}-${quality}`
  const key = known.get(name) ?? makeHandOffKey(resolved, quality, form)
  known.set(name, key)
  return key
}

function makeHandOffKey(
  { document, inputs }: ResolvedShot,
  quality: PictureQualityName,
  form: 'movie' | 'exr',
): string {
  const { first, last } = document.plate
  const follows =
    document.sit.follows &&
    Array.from({ length: last - first + 1 }, (_, n) => stackSettingsAt(document, NO_GRAIN, first + n, inputs))
  const settings = { document: { ...document, match: undefined }, follows, quality, form }
  return `${form}-${recipeKey({ kind: 'picture', version: VERSIONS.picture, settings, inputs: [] })}`
}

/** Asks the farm for a movie or an archive of OpenEXR frames of the shot as it is now; pictures that are missing are asked for first. */
export async function requestHandOff(
  store: Store,
  shot: Shot,
  quality: PictureQualityName,
  form: 'movie' | 'exr',
): Promise<string> {
  const resolved = await resolveShot(store, shot)
  const key = handOffKey(resolved, quality, form)
  const { first, last } = shot.document.plate
  await ensureResult(store, {
    key,
    kind: 'hand-off',
    settings: { quality, form },
    shot: shot.id,
    item: `hand-off-${form}`,
    first,
    last,
  })
  const row = (await resultRows(store, [key])).get(key)
  if (row?.state === 'done') return key
  await setResultState(store, key, 'waiting')
  if (resolved.items.length > 0 && shot.document.camera.kind !== 'none') await requestPicture(store, shot, quality)
  await queueInLine(store, 'handOff', { key, shot: shot.id }, { kind: 'hand-off', key })
  return key
}
