import { LanternError } from '@lantern/core/base'
import { type CameraPath, readCameraFile } from '@lantern/core/formats'
import { cameraAt, gasRecipe, pictureRecipe, type PictureQualityName, recipeKey, shownGases, shakenPath, solvedPath } from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import { getBlob } from '../blobs.ts'
import type { Store } from '../open.ts'
import { ensureResult, resultRows, setResultState } from '../queries/results.ts'
import type { Shot } from '../queries/shots.ts'
import { cancelJobs, queueJob } from '../queue.ts'
import { handKey, keptSolveOf, keptTracks } from './match.ts'

/** The camera file that the document names, or its kept solve put on the ground, over its plate's frames; undefined where there is none. */
export async function cameraPathOf(store: Store, document: ShotDocument): Promise<CameraPath | undefined> {
  const { camera, plate } = document
  if (camera.kind === 'solved' && camera.solve) {
    const solve = await keptSolveOf(store, camera.solve.key)
    return solve && solvedPath(solve, camera.solve.by)
  }
  const still = camera.shake && cameraAt(document, undefined, plate.first)
  if (still && camera.shake && (camera.kind === 'typed' || camera.kind === 'lined')) {
    const { hand, frame, model } = camera.shake
    const followed = await keptTracks(store, handKey(document, hand) ?? '')
    return followed && shakenPath(still, plate, frame, model, followed)
  }
  if (camera.kind !== 'path' || !camera.path) return undefined
  return readCameraFile(await getBlob(store, camera.path.blob), camera.path.file, { ...plate, rate: plate.rate[0] / plate.rate[1] }, camera.path)
}

/** Keys of the shown gases' full runs, in the roster's order. */
export const gasKeys = (document: ShotDocument): { item: string; key: string }[] => shownGases(document).map(([item, gas]) => ({ item, key: recipeKey(gasRecipe(document, gas, 'full')) }))

/** The picture's key per frame; empty without a camera. */
export function pictureKeys(document: ShotDocument, path: CameraPath | undefined, quality: PictureQualityName, frames?: readonly number[]): Map<number, string> {
  const keys = gasKeys(document).map(({ key }) => key)
  const { first, last } = document.plate
  const wanted = frames ?? Array.from({ length: last - first + 1 }, (_, n) => first + n)
  const result = new Map<number, string>()
  for (const frame of wanted) {
    const camera = cameraAt(document, path, frame)
    if (camera) result.set(frame, recipeKey(pictureRecipe(document, camera, quality, keys)) + frameTail(frame))
  }
  return result
}

/** A locked camera gives every frame the same recipe; the gas differs by frame, so the frame belongs to the key. */
const frameTail = (frame: number): string => `-${frame}`

/** Asks the farm to keep a gas. Does nothing where it is kept or on its way; a stopped or failed one goes on. */
export async function askGas(store: Store, shot: Shot, item: string): Promise<string> {
  const gas = shot.document.items[item]
  if (gas?.kind !== 'gas') throw new LanternError('no-item', `“${item.slice(0, 40)}” is not a gas of this shot.`, 'Choose one from the roster.', { field: 'item' })
  const recipe = gasRecipe(shot.document, gas, 'full')
  const key = recipeKey(recipe)
  const { first, last } = shot.document.plate
  await ensureResult(store, { key, kind: 'gas', settings: recipe.settings as object, shot: shot.id, item, first, last })
  const row = (await resultRows(store, [key])).get(key)
  if (row?.state === 'done') return key
  if (row?.state !== 'running') await setResultState(store, key, 'waiting')
  await queueJob(store, 'gas', { key, shot: shot.id, item }, { jobKey: `gas:${key}` })
  return key
}

const FRAMES_PER_JOB = 3

/** Asks for picture frames, and for the gases they need. Returns the keys. */
export async function askPicture(store: Store, shot: Shot, quality: PictureQualityName, frames?: readonly number[]): Promise<string[]> {
  const path = await cameraPathOf(store, shot.document)
  const keys = pictureKeys(shot.document, path, quality, frames)
  if (keys.size === 0) throw new LanternError('no-camera', 'The shot has no camera yet, so nothing can be seen through it.', 'Take in a camera or type one at the Match station.', { field: 'camera' })
  const gases = gasKeys(shot.document)
  const rows = await resultRows(store, [...keys.values()])
  const missing = [...keys].filter(([, key]) => (rows.get(key)?.kept ?? 0) === 0)
  for (const { item } of gases) await askGas(store, shot, item)
  for (const [frame, key] of missing) {
    await ensureResult(store, { key, kind: 'picture', settings: { quality }, shot: shot.id, item: `picture-${quality}`, first: frame, last: frame })
    await setResultState(store, key, 'waiting')
  }
  for (let n = 0; n < missing.length; n += FRAMES_PER_JOB) {
    const part = missing.slice(n, n + FRAMES_PER_JOB).map(([frame, key]) => ({ frame, key }))
    await queueJob(store, 'picture', { shot: shot.id, frames: part, quality, gasKeys: gases.map(({ key }) => key) }, { jobKey: `picture:${part[0]?.key}`, priority: quality === 'look' ? 1 : 2 })
  }
  return [...keys.values()]
}

/** Stops what is running or waiting of these results. What is kept stays. */
export async function stopResults(store: Store, keys: readonly string[]): Promise<void> {
  for (const row of (await resultRows(store, keys)).values()) {
    if (row.state !== 'running' && row.state !== 'waiting') continue
    await cancelJobs(store, `${row.kind}:${row.key}`)
    await setResultState(store, row.key, 'stopped')
  }
}
