import { Cancelled } from '@lantern/core/base'
import { writeGasFrame } from '@lantern/core/formats'
import { GasSimulation } from '@lantern/core/gas'
import { gasRecipe, gasSettings, recipeKey } from '@lantern/core/pipeline'
import { dropLease, findShotById, holdLease, type JobPayload, keepFrame, putBlob, queueJob, resultState, setResultState, takeLease } from '@lantern/store'
import { nodeDeflate } from '../io/deflate.ts'
import { failureOf, JOB_SECONDS, type JobContext } from './context.ts'
import { loadRestart, saveRestart } from './restart.ts'

const RESTART_EVERY_SECONDS = 25

/** What the run needs, from the document as it was when asked; undefined when the shot has moved on to another recipe. */
async function planOf(context: JobContext, payload: JobPayload<'gas'>) {
  const shot = await findShotById(context.store, payload.shot)
  const item = shot?.document.items[payload.item]
  if (!shot || item?.kind !== 'gas' || recipeKey(gasRecipe(shot.document, item, 'full')) !== payload.key) return undefined
  return { settings: gasSettings(shot.document, item, 'full'), runUp: item.runUp, plate: shot.document.plate }
}

/**
 * Computes frames of a gas until it is done, stopped, superseded, or the job's time is over (then its successor is queued).
 * Returns true when the whole run is kept.
 */
export async function gasJob(context: JobContext, payload: JobPayload<'gas'>): Promise<boolean> {
  const { store, crew, machine, log } = context
  const { key } = payload
  const before = await resultState(store, key)
  if (before === 'done') return true
  if (before === 'stopped') return false
  const fence = await takeLease(store, key, machine)
  if (fence === undefined) {
    // Another machine has it; look again when its lease would have run out.
    if (!context.progress) await queueJob(store, 'gas', payload, { jobKey: `gas-later:${key}`, runAt: new Date(Date.now() + 20_000) })
    return false
  }
  const mark = crew.heap.mark()
  try {
    const plan = await planOf(context, payload)
    if (!plan) {
      await setResultState(store, key, 'stopped')
      return false
    }
    await setResultState(store, key, 'running')
    const rate = plan.plate.rate[0] / plan.plate.rate[1]
    const total = plan.runUp + plan.plate.last - plan.plate.first + 1
    const simulation = new GasSimulation(crew, plan.settings, rate, await loadRestart(context, key))
    const started = performance.now()
    let savedAt = started
    const stopped = { now: false }
    while (simulation.done < total) {
      const begun = performance.now()
      const figures = simulation.advance({ report: () => undefined, cancelled: () => stopped.now || context.ending() })
      const seconds = (performance.now() - begun) / 1000
      const frame = plan.plate.first + simulation.done - 1 - plan.runUp
      if (frame >= plan.plate.first) {
        const blob = await putBlob(store, writeGasFrame(simulation.keep(), nodeDeflate), 'application/x-lantern-gas')
        if (!(await keepFrame(store, { key, frame, blob, figures: { ...figures, seconds } }, fence, seconds))) return false
      } else if (!(await holdLease(store, key, fence))) return false
      context.progress?.report(simulation.done / total, frame >= plan.plate.first ? `frame ${frame}` : 'run-up')
      log.debug({ key: key.slice(0, 12), frame, seconds }, 'gas frame')
      const now = performance.now()
      const asked = await resultState(store, key)
      const over = !context.progress && (now - started) / 1000 > JOB_SECONDS
      if (asked === 'stopped' || over || context.ending() || (now - savedAt) / 1000 > RESTART_EVERY_SECONDS) {
        await saveRestart(context, key, fence, simulation.state())
        savedAt = now
      }
      if (asked === 'stopped' || context.ending()) return false
      if (over && simulation.done < total) {
        await dropLease(store, key, fence)
        await queueJob(store, 'gas', payload, { jobKey: `gas:${key}:${simulation.done}` })
        return false
      }
    }
    await setResultState(store, key, 'done')
    return true
  } catch (error) {
    if (error instanceof Cancelled) return false
    const failure = failureOf(error, log)
    log.warn({ key: key.slice(0, 12), error: failure.message }, 'gas failed')
    await setResultState(store, key, 'failed', failure.toJSON())
    if (context.progress) throw failure
    return false
  } finally {
    crew.heap.release(mark)
    await dropLease(store, key, fence)
    // A machine that leaves puts its work back, for another one or for its own next start.
    if (context.ending() && !context.progress && (await resultState(store, key)) === 'running') await queueJob(store, 'gas', payload, { jobKey: `gas:${key}:back` })
  }
}
