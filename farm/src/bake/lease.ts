import {
  dropLease,
  holdLease,
  type JobPayload,
  queueInLine,
  resultState,
  setResultState,
  startResult,
  takeLease,
} from '@lantern/store'
import { failureOf, type JobContext } from '../jobs/context.ts'

const LATER_MS = 20_000
const WAIT_MS = 2000

/** Queues the same job again at once, for whoever's turn it is then. */
export const queueNext = ({ store }: JobContext, payload: JobPayload<'bake'>): Promise<void> =>
  queueInLine(store, 'bake', payload, { kind: payload.output, key: payload.key })

/** Queues it for when a frame that it waits for may be there. */
export const queueWaiting = ({ store }: JobContext, payload: JobPayload<'bake'>): Promise<void> =>
  queueInLine(store, 'bake', payload, { kind: payload.output, key: payload.key, waitMs: WAIT_MS })

/**
 * Does work under a run's lease and gives it back after. Where another machine has it, it is looked for later. What the work throws becomes the run's error.
 * Returns what the work returns: whether the whole run is kept.
 */
export async function underLease(
  context: JobContext,
  payload: JobPayload<'bake'>,
  work: (fence: number) => Promise<boolean>,
): Promise<boolean> {
  const { store, crew, machine, log } = context
  const { key, output } = payload
  const fence = await takeLease(store, key, machine)
  if (fence === undefined) {
    if (!context.progress) await queueInLine(store, 'bake', payload, { kind: output, key, waitMs: LATER_MS })
    return false
  }
  const mark = crew.heap.mark()
  try {
    if (!(await startResult(store, key))) return false
    const whole = await work(fence)
    if (whole) await setResultState(store, key, 'done')
    return whole
  } catch (error) {
    const failure = failureOf(error, log)
    log.warn({ key: key.slice(0, 12), output, error: failure.message }, 'bake failed')
    await setResultState(store, key, 'failed', failure.toJSON())
    if (context.progress) throw failure
    return false
  } finally {
    crew.heap.release(mark)
    const held = await dropLease(store, key, fence)
    // A machine that leaves puts its work back, for another one or for its own next start; a command that is ended has stopped it.
    if (held && context.ending() && (await resultState(store, key)) === 'running') {
      if (context.progress) await setResultState(store, key, 'stopped')
      else await queueNext(context, payload)
    }
  }
}

/** Whether a run is to be put down now: it was stopped, the machine leaves, or another one has its lease. Lengthens the lease. A database that is away is met at the frame's end. */
export async function mustStop(context: JobContext, key: string, fence: number): Promise<boolean> {
  if (context.ending()) return true
  try {
    return !(await holdLease(context.store, key, fence)) || (await resultState(context.store, key)) === 'stopped'
  } catch {
    return false
  }
}
