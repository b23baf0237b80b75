import { Cancelled } from '@lantern/core/base'
import {
  dropLease,
  keepFrame,
  type KeptFrame,
  keptFrames,
  queueJob,
  resultState,
  setResultState,
  takeLease,
} from '@lantern/store'
import { failureOf, TURN, type JobContext } from './context.ts'

const LATER_MS = 2000

/** What makes a frame of a result: its blob and figures, or 'waiting' while what it needs is on its way. */
export type MakeFrame = (frame: number) => Promise<Pick<KeptFrame, 'blob' | 'figures'> | 'waiting'>

/**
 * Makes those frames of a result that are not kept yet, each by itself, until all are, it is stopped, or the job's time is over (then its successor is queued).
 * Returns true when every frame is kept.
 */
export async function frameByFrame(
  context: JobContext,
  name: 'finer' | 'taken',
  payload: { key: string; shot: number; item: string },
  frames: readonly number[],
  make: MakeFrame,
): Promise<boolean> {
  const { store, machine, log } = context
  const { key } = payload
  const before = await resultState(store, key)
  if (before === 'done') return true
  if (before === 'stopped') return false
  const fence = await takeLease(store, key, machine)
  if (fence === undefined) {
    if (!context.progress)
      await queueJob(store, name, payload, { jobKey: `${name}-later:${key}`, runAt: new Date(Date.now() + 20_000) })
    return false
  }
  try {
    await setResultState(store, key, 'running')
    const kept = new Set((await keptFrames(store, [key])).map(({ frame }) => frame))
    const started = performance.now()
    for (const [n, frame] of frames.entries()) {
      if (kept.has(frame)) continue
      if (context.ending() || (await resultState(store, key)) === 'stopped') return false
      const begun = performance.now()
      const made = await make(frame)
      if (made === 'waiting') {
        if (!context.progress)
          await queueJob(store, name, payload, {
            jobKey: `${name}:${key}:${frame}`,
            runAt: new Date(Date.now() + LATER_MS),
          })
        return false
      }
      const seconds = (performance.now() - begun) / 1000
      if (!(await keepFrame(store, { key, frame, ...made, figures: { ...made.figures, seconds } }, fence, seconds)))
        return false
      context.progress?.report((n + 1) / frames.length, `frame ${frame}`)
      if (!context.progress && (performance.now() - started) / 1000 > TURN.seconds && n < frames.length - 1) {
        await queueJob(store, name, payload, { jobKey: `${name}:${key}:${frame}` })
        return false
      }
    }
    await setResultState(store, key, 'done')
    return true
  } catch (error) {
    if (error instanceof Cancelled) return false
    const failure = failureOf(error, log)
    await setResultState(store, key, 'failed', failure.toJSON())
    if (context.progress) throw failure
    return false
  } finally {
    await dropLease(store, key, fence)
  }
}
