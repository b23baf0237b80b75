import { recipeKey, VERSIONS, type PictureQualityName } from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import type { Store } from '../open.ts'
import { ensureResult, resultRows, setResultState } from '../queries/results.ts'
import type { Shot } from '../queries/shots.ts'
import { queueJob } from '../queue.ts'
import { askPicture } from './plan.ts'

/** The key of a hand-off of the document as it is; how its camera was found is no part of it. */
export const handOffKey = (document: ShotDocument, quality: PictureQualityName, form: 'movie' | 'exr'): string => `${form}-${recipeKey({ kind: 'picture', version: VERSIONS.picture, settings: { document: { ...document, match: undefined }, quality, form }, inputs: [] })}`

/** Asks the farm for a movie or an archive of OpenEXR frames of the shot as it is now; pictures that are missing are asked for first. */
export async function askHandOff(store: Store, shot: Shot, quality: PictureQualityName, form: 'movie' | 'exr'): Promise<string> {
  const key = handOffKey(shot.document, quality, form)
  const { first, last } = shot.document.plate
  await ensureResult(store, { key, kind: 'hand-off', settings: { quality, form }, shot: shot.id, item: `hand-off-${form}`, first, last })
  const row = (await resultRows(store, [key])).get(key)
  if (row?.state === 'done') return key
  await setResultState(store, key, 'waiting')
  if (Object.values(shot.document.items).some((item) => item.kind === 'gas' && item.shown) && shot.document.camera.kind !== 'none') await askPicture(store, shot, quality)
  await queueJob(store, 'handOff', { key, shot: shot.id }, { jobKey: `hand-off:${key}`, priority: 3 })
  return key
}
