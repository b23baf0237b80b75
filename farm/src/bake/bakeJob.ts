import type { Run } from '@lantern/core/effects'
import { findShotById, type JobPayload, resolveShot, resultState, type Store, setResultState } from '@lantern/store'
import type { JobContext } from '../jobs/context.ts'
import { runPerFrame } from './runPerFrame.ts'
import { runSteps, type StepOptions } from './runSteps.ts'
import { runWhole } from './runWhole.ts'

/** The run that a job is for, as the document has it now; undefined when the shot has moved on to another recipe. */
export async function runOfJob(store: Store, payload: JobPayload<'bake'>): Promise<Run | undefined> {
  const shot = await findShotById(store, payload.shot)
  const items = shot ? (await resolveShot(store, shot)).items : []
  return items
    .find(({ item }) => item === payload.item)
    ?.runs.find(({ key, output }) => key === payload.key && output === payload.output)
}

/**
 * Makes frames of a run until it is done, stopped, superseded, or the job's time is over (then its successor is queued).
 * Returns true when the whole run is kept.
 */
export async function bakeJob(
  context: JobContext,
  payload: JobPayload<'bake'>,
  options: StepOptions = {},
): Promise<boolean> {
  const { store } = context
  const before = await resultState(store, payload.key)
  if (before === 'done') return true
  if (before === 'stopped') return false
  const run = await runOfJob(store, payload)
  if (!run) {
    await setResultState(store, payload.key, 'stopped')
    return false
  }
  const { bake } = run
  if (bake.way === 'whole') {
    const shot = await findShotById(store, payload.shot)
    return shot ? runWhole(context, payload, run, bake, shot) : false
  }
  return bake.way === 'steps'
    ? runSteps(context, payload, run, bake, options)
    : runPerFrame(context, payload, run, bake, options)
}
