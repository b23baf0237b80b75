import { totalmem } from 'node:os'
import { LanternError } from '@lantern/core/base'
import type { Run } from '@lantern/core/effects'
import { instancesAt, neededFrames, type PictureQualityName } from '@lantern/core/pipeline'
import type { Store } from '../open.ts'
import { type Asking, ensureResult, resultRows, setResultState, takeOverFrames } from '../queries/results.ts'
import type { Shot } from '../queries/shots.ts'
import { cancelJobs } from '../queue.ts'
import { queueInLine } from './line.ts'
import { itemIn, type ResolvedShot, resolveShot } from './resolve.ts'

/** Memory that one computation may have, bytes: what its 32-bit addresses reach, and no more than the machine can give beside all else. */
const MOST_MEMORY = Math.min(3.6 * 2 ** 30, 0.7 * totalmem())

/** What a run's rows are called in the table of results: its item, or its item and output where the item has several runs. */
export const resultItem = (run: Run, first: boolean): string => (first ? run.item : `${run.item}-${run.output}`)

async function requestRun(store: Store, shot: Shot, run: Run, first: boolean, asking: Asking): Promise<void> {
  const { key, item, output } = run
  const until = asking.until !== undefined && asking.until < run.last ? Math.max(run.first, asking.until) : undefined
  await ensureResult(
    store,
    {
      key,
      kind: output,
      settings: run.recipe.settings as object,
      shot: shot.id,
      item: resultItem(run, first),
      first: run.first,
      last: run.last,
    },
    { ...asking, until },
  )
  const row = (await resultRows(store, [key])).get(key)
  if (row?.state === 'done') return
  await takeOverFrames(store, key, run.frameKeys)
  // Whoever is at it looks at every frame how far it is to go.
  if (row?.state === 'running' && row.machine !== null) return
  await setResultState(store, key, 'waiting')
  const payload = { key, shot: shot.id, item, output }
  // Before the runs themselves: how long each will take, those in line too.
  if (run.bake.way === 'steps' && run.bake.estimate && row?.ahead.length === 0)
    await queueInLine(store, 'estimate', payload, { kind: output, key })
  await queueInLine(store, 'bake', payload, { kind: output, key })
}

/** Requests the other items' runs that this item's take frames of. */
async function requestInputs(
  store: Store,
  shot: Shot,
  item: string,
  resolved: ResolvedShot,
  asking: Asking,
): Promise<void> {
  const own = itemIn(resolved, item)
  const keys = new Set(own.runs.flatMap(({ inputs }) => inputs.map(({ key }) => key)))
  for (const other of resolved.items)
    if (other.item !== item && other.runs.some(({ key }) => keys.has(key)))
      await requestItem(store, shot, other.item, resolved, asking)
}

/** Asks the farm to keep an item's runs and what they are made from. Does nothing where all is kept or on its way; a stopped or failed one goes on. asking: when, and up to which frame. Returns the key of the item's first run. Throws LanternError, of its size before anything starts. */
export async function requestItem(
  store: Store,
  shot: Shot,
  item: string,
  given?: ResolvedShot,
  asking: Asking = {},
): Promise<string> {
  const resolved = given ?? (await resolveShot(store, shot))
  const { runs } = itemIn(resolved, item)
  for (const run of runs) run.checkMemory(MOST_MEMORY)
  await requestInputs(store, shot, item, resolved, asking)
  for (const [n, run] of runs.entries()) await requestRun(store, shot, run, n === 0, asking)
  return runs[0]?.key ?? ''
}

/** So few frames are what somebody looks at. */
const FRAMES_SHOWN = 3
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

/** The last frame of each item's run that pictures of some frames are made from. */
export function lastNeeded({ document, inputs }: ResolvedShot, frames: readonly number[]): Map<string, number> {
  const needed = neededFrames(frames.flatMap((frame) => instancesAt(document, frame, inputs)))
  return new Map([...needed].map(([item, all]) => [item, Math.max(...all)]))
}

/** Asks for picture frames (all where none are named), and for the runs that they need as far as they need them. Returns the keys. */
export async function requestPicture(
  store: Store,
  shot: Shot,
  quality: PictureQualityName,
  frames?: readonly number[],
  { asked = new Date() }: Pick<Asking, 'asked'> = {},
): Promise<string[]> {
  const resolved = await resolveShot(store, shot)
  if (shot.document.camera.kind === 'none') throw noCamera()
  const broken = resolved.items.find(({ error }) => error)
  if (broken?.error) throw broken.error
  const keys = pictureKeysOf(resolved, quality, frames)
  if (keys.size === 0) throw noCamera()
  const rows = await resultRows(store, [...keys.values()])
  const missing = [...keys].filter(([, key]) => (rows.get(key)?.kept ?? 0) === 0)
  const last = lastNeeded(
    resolved,
    missing.map(([frame]) => frame),
  )
  for (const [item, until] of last)
    await requestItem(store, shot, item, resolved, { asked, ...(frames ? { until } : {}) })
  const name = frames && frames.length <= FRAMES_SHOWN && quality === 'look' ? 'shown' : 'picture'
  for (const [frame, key] of missing) {
    const row = { key, kind: 'picture', settings: { quality }, shot: shot.id, item: `picture-${quality}` }
    await ensureResult(store, { ...row, first: frame, last: frame }, { asked })
    if (rows.get(key)?.state === 'running') continue
    await setResultState(store, key, 'waiting')
    await queueInLine(store, name, { shot: shot.id, frames: [{ frame, key }], quality }, { kind: 'picture', key })
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
