import { totalmem } from 'node:os'
import { LanternError } from '@lantern/core/base'
import type { Run } from '@lantern/core/effects'
import { instancesAt, type PictureQualityName } from '@lantern/core/pipeline'
import type { Store } from '../open.ts'
import { ensureResult, resultRows, setResultState, takeOverFrames } from '../queries/results.ts'
import type { Shot } from '../queries/shots.ts'
import { cancelJobs, queueJob } from '../queue.ts'
import { itemIn, type ResolvedShot, resolveShot } from './resolve.ts'

/** Memory that one computation may have, bytes: what its 32-bit addresses reach, and no more than the machine can give beside all else. */
const MOST_MEMORY = Math.min(3.6 * 2 ** 30, 0.7 * totalmem())

/** What a run's rows are called in the table of results: its item, or its item and output where the item has several runs. */
export const resultItem = (run: Run, first: boolean): string => (first ? run.item : `${run.item}-${run.output}`)

async function requestRun(store: Store, shot: Shot, run: Run, first: boolean, priority: number): Promise<void> {
  const { key, item, output } = run
  await ensureResult(store, {
    key,
    kind: output,
    settings: run.recipe.settings as object,
    shot: shot.id,
    item: resultItem(run, first),
    first: run.first,
    last: run.last,
  })
  const row = (await resultRows(store, [key])).get(key)
  if (row?.state === 'done') return
  await takeOverFrames(store, key, run.frameKeys)
  if (row?.state !== 'running') await setResultState(store, key, 'waiting')
  const payload = { key, shot: shot.id, item, output, priority }
  // Before the runs themselves: how long each will take, those in line too.
  if (run.bake.way === 'steps' && run.bake.estimate && row?.ahead.length === 0)
    await queueJob(store, 'estimate', payload, { jobKey: `${output}:${key}:estimate`, priority: priority - 1 })
  await queueJob(store, 'bake', payload, { jobKey: `${output}:${key}`, priority })
}

/** Requests the other items' runs that this item's take frames of. */
async function requestInputs(
  store: Store,
  shot: Shot,
  item: string,
  resolved: ResolvedShot,
  priority: number,
): Promise<void> {
  const own = itemIn(resolved, item)
  const keys = new Set(own.runs.flatMap(({ inputs }) => inputs.map(({ key }) => key)))
  for (const other of resolved.items)
    if (other.item !== item && other.runs.some(({ key }) => keys.has(key)))
      await requestItem(store, shot, other.item, resolved, priority)
}

/** Asks the farm to keep an item's runs and what they are made from. Does nothing where all is kept or on its way; a stopped or failed one goes on. Returns the key of the item's first run. Throws LanternError, of its size before anything starts. */
export async function requestItem(
  store: Store,
  shot: Shot,
  item: string,
  given?: ResolvedShot,
  priority = 0,
): Promise<string> {
  const resolved = given ?? (await resolveShot(store, shot))
  const { runs } = itemIn(resolved, item)
  for (const run of runs) run.checkMemory(MOST_MEMORY)
  await requestInputs(store, shot, item, resolved, priority)
  for (const [n, run] of runs.entries()) await requestRun(store, shot, run, n === 0, priority)
  return runs[0]?.key ?? ''
}

const FRAMES_PER_JOB = 3
/** Pictures come after the runs that they are made from. */
export const picturePriority = (quality: PictureQualityName, priority = 0): number =>
  priority + (quality === 'look' ? 1 : 2)
const noCamera = (): LanternError =>
  new LanternError(
    'no-camera',
    'The shot has no camera yet, so nothing can be seen through it.',
    'Take in a camera or type one at the Match station.',
    { field: 'camera' },
  )

/** Keys of the pictures of some frames (all where none are named). */
export function pictureKeysOf(
  resolved: ResolvedShot,
  quality: PictureQualityName,
  frames?: readonly number[],
): Map<number, string> {
  const all = resolved.pictureKeys(quality)
  const wanted = frames ?? [...all.keys()]
  return new Map(wanted.flatMap((frame) => (all.has(frame) ? [[frame, all.get(frame) ?? ''] as const] : [])))
}

/** Asks for picture frames, and for the runs that they need. Returns the keys. */
export async function requestPicture(
  store: Store,
  shot: Shot,
  quality: PictureQualityName,
  frames?: readonly number[],
  priority = 0,
): Promise<string[]> {
  const resolved = await resolveShot(store, shot)
  if (shot.document.camera.kind === 'none') throw noCamera()
  const broken = resolved.items.find(({ error }) => error)
  if (broken?.error) throw broken.error
  const keys = pictureKeysOf(resolved, quality, frames)
  if (keys.size === 0) throw noCamera()
  const rows = await resultRows(store, [...keys.values()])
  const missing = [...keys].filter(([, key]) => (rows.get(key)?.kept ?? 0) === 0)
  const needed = new Set(
    missing.flatMap(([frame]) => instancesAt(shot.document, frame, resolved.inputs).map(({ of }) => of)),
  )
  for (const item of needed) await requestItem(store, shot, item, resolved, priority)
  for (const [frame, key] of missing) {
    await ensureResult(store, {
      key,
      kind: 'picture',
      settings: { quality },
      shot: shot.id,
      item: `picture-${quality}`,
      first: frame,
      last: frame,
    })
    await setResultState(store, key, 'waiting')
  }
  const name = frames && frames.length <= FRAMES_PER_JOB && quality === 'look' ? 'shown' : 'picture'
  for (let n = 0; n < missing.length; n += FRAMES_PER_JOB) {
    const part = missing.slice(n, n + FRAMES_PER_JOB).map(([frame, key]) => ({ frame, key }))
    await queueJob(
      store,
      name,
      { shot: shot.id, frames: part, quality, priority },
      { jobKey: `picture:${part[0]?.key}`, priority: picturePriority(quality, priority) },
    )
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
