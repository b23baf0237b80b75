import { totalmem } from 'node:os'
import { LanternError } from '@lantern/core/base'
import {
  cameraAt,
  gasSettings,
  checkRoom,
  pictureFrame,
  type PictureQualityName,
  pictureRecipe,
  recipeKey,
  runOf,
  showingsAt,
} from '@lantern/core/pipeline'
import type { Store } from '../open.ts'
import { ensureResult, resultRows, setResultState, takeOverFrames } from '../queries/results.ts'
import type { Shot } from '../queries/shots.ts'
import { cancelJobs, queueJob } from '../queue.ts'
import { type GasPlan, gasWorld, type ShotWorld, worldOf } from './world.ts'

/** Keys of the runs that the shot shows, in the roster's order; a gas that lacks something has none. */
export const gasKeys = (world: ShotWorld): { item: string; key: string }[] =>
  world.gases.flatMap(({ item, key }) => (key ? [{ item, key }] : []))

const framesOf = ({ document }: ShotWorld, frames?: readonly number[]): readonly number[] =>
  frames ?? Array.from({ length: document.plate.last - document.plate.first + 1 }, (_, n) => document.plate.first + n)

/** The picture's key per frame; empty without a camera, and without frames whose gas lacks something. */
export function pictureKeys(
  world: ShotWorld,
  quality: PictureQualityName,
  frames?: readonly number[],
): Map<number, string> {
  const { document, path, inputs, gases } = world
  const plans = new Map(gases.map((plan) => [plan.item, plan]))
  const cameras = (frame: number) => cameraAt(document, path, frame)
  const result = new Map<number, string>()
  for (const frame of framesOf(world, frames)) {
    if (!cameras(frame)) continue
    const at = pictureFrame(document, cameras, frame, inputs)
    if (at.showings.some(({ gas }) => !plans.get(gas)?.key)) continue
    result.set(
      frame,
      `${recipeKey(pictureRecipe(document, at, quality, (gas, one) => plans.get(gas)?.frames.get(one) ?? ''))}-${frame}`,
    )
  }
  return result
}

const planIn = (world: ShotWorld, item: string): GasPlan => {
  const plan = world.gases.find((one) => one.item === item)
  if (!plan)
    throw new LanternError(
      'no-item',
      `“${item.slice(0, 40)}” is not a gas that this shot shows.`,
      'Choose one from the roster, and show it.',
      { field: 'item' },
    )
  if (plan.error) throw plan.error
  return plan
}

/** Memory that one computation may have, bytes: what its 32-bit addresses reach, and no more than the machine can give beside all else. */
const MOST_MEMORY = Math.min(3.6 * 2 ** 30, 0.7 * totalmem())

async function askOne(
  store: Store,
  shot: Shot,
  kind: 'gas' | 'finer',
  job: 'gas' | 'finer' | 'taken',
  key: string,
  settings: unknown,
  item: string,
  span: { first: number; last: number },
  chains?: ReadonlyMap<number, string>,
): Promise<void> {
  await ensureResult(store, { key, kind, settings: settings as object, shot: shot.id, item, ...span })
  const row = (await resultRows(store, [key])).get(key)
  if (row?.state === 'done') return
  if (chains) await takeOverFrames(store, key, chains)
  if (row?.state !== 'running') await setResultState(store, key, 'waiting')
  // Before the runs themselves: how long each will take, those in line too.
  if (job === 'gas' && row?.ahead.length === 0)
    await queueJob(store, 'ahead', { key, shot: shot.id, item }, { jobKey: `gas:${key}:ahead`, priority: -1 })
  await queueJob(store, job, { key, shot: shot.id, item }, { jobKey: `${kind}:${key}` })
}

/** Asks the farm to keep a gas, and to make it finer where that is wanted. Does nothing where it is kept or on its way; a stopped or failed one goes on. Throws LanternError, of its size before anything starts. */
export async function askGas(store: Store, shot: Shot, item: string, world?: ShotWorld): Promise<string> {
  const here = world ?? (await worldOf(store, shot.document))
  const plan = planIn(here, item)
  const gas = shot.document.items[item]
  if (gas?.kind !== 'gas' || !plan.key || !plan.recipe)
    throw new LanternError(
      'no-item',
      `“${item.slice(0, 40)}” is not a gas of this shot.`,
      'Choose one from the roster.',
      { field: 'item' },
    )
  const span = runOf(shot.document, gas)
  if (gas.taken) await askOne(store, shot, 'gas', 'taken', plan.key, plan.recipe.settings, item, span)
  else {
    checkRoom(gas.name, gasSettings(shot.document, item, 'full', gasWorld(here)), MOST_MEMORY)
    await askOne(store, shot, 'gas', 'gas', plan.key, plan.recipe.settings, item, span, plan.run)
  }
  if (plan.finer && plan.finerRecipe)
    await askOne(store, shot, 'finer', 'finer', plan.finer, plan.finerRecipe.settings, `${item}-finer`, span)
  return plan.key
}

const FRAMES_PER_JOB = 3

/** Asks for picture frames, and for the gases they need. Returns the keys. */
export async function askPicture(
  store: Store,
  shot: Shot,
  quality: PictureQualityName,
  frames?: readonly number[],
): Promise<string[]> {
  const world = await worldOf(store, shot.document)
  if (shot.document.camera.kind === 'none')
    throw new LanternError(
      'no-camera',
      'The shot has no camera yet, so nothing can be seen through it.',
      'Take in a camera or type one at the Match station.',
      { field: 'camera' },
    )
  const broken = world.gases.find(({ error }) => error)
  if (broken?.error) throw broken.error
  const keys = pictureKeys(world, quality, frames)
  if (keys.size === 0)
    throw new LanternError(
      'no-camera',
      'The shot has no camera yet, so nothing can be seen through it.',
      'Take in a camera or type one at the Match station.',
      { field: 'camera' },
    )
  const rows = await resultRows(store, [...keys.values()])
  const missing = [...keys].filter(([, key]) => (rows.get(key)?.kept ?? 0) === 0)
  const shown = new Set(
    missing.flatMap(([frame]) => showingsAt(shot.document, frame, world.inputs).map(({ gas }) => gas)),
  )
  for (const item of shown) await askGas(store, shot, item, world)
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
  for (let n = 0; n < missing.length; n += FRAMES_PER_JOB) {
    const part = missing.slice(n, n + FRAMES_PER_JOB).map(([frame, key]) => ({ frame, key }))
    await queueJob(
      store,
      'picture',
      { shot: shot.id, frames: part, quality },
      { jobKey: `picture:${part[0]?.key}`, priority: quality === 'look' ? 1 : 2 },
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
