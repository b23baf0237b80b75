import { Cancelled } from '@lantern/core/base'
import type { Bake, Run } from '@lantern/core/effects'
import {
  insertFrame,
  isEnough,
  type JobPayload,
  keptFrames,
  putBlob,
  resultState,
  setResultState,
} from '@lantern/store'
import { type JobContext, TURN } from '../jobs/context.ts'
import { giveWayOf } from './giveWay.ts'
import { mustStop, queueNext, queueWaiting, underLease } from './lease.ts'
import { bakeTools, inputFrames } from './tools.ts'

/** Makes those frames of a run that are not kept yet, each by itself, as what they need lands. until: the last frame that is wanted. */
export function runPerFrame(
  context: JobContext,
  payload: JobPayload<'bake'>,
  run: Run,
  bake: Extract<Bake, { way: 'frames' }>,
  { until = run.last }: { until?: number },
): Promise<boolean> {
  const { store } = context
  const { key } = payload
  return underLease(context, payload, async (fence) => {
    const kept = new Set((await keptFrames(store, [key])).map(({ frame }) => frame))
    const baker = await bake.prepare(bakeTools(context))
    const started = performance.now()
    const giveWay = giveWayOf(context, () => mustStop(context, key, fence))
    for (let frame = run.first; frame <= Math.min(run.last, until); frame++) {
      if (kept.has(frame)) {
        if (frame < run.last && (await isEnough(store, key, frame))) return false
        continue
      }
      if (giveWay?.due) await giveWay.rest()
      if (context.ending() || (await resultState(store, key)) === 'stopped') return false
      const begun = performance.now()
      const inputs = await inputFrames(context, run, frame)
      if (inputs === 'waiting') {
        if (!context.progress) await queueWaiting(context, payload)
        return false
      }
      const made = await makeFrame(() => baker.frame(frame, inputs))
      if (!made) return false
      const blob = await putBlob(store, made.bytes, made.mediaType)
      const seconds = (performance.now() - begun) / 1000
      const chain = run.frameKeys.get(frame)
      const row = { key, frame, blob, figures: { ...made.figures, seconds }, chain }
      if (!(await insertFrame(store, row, fence, seconds))) return false
      context.progress?.report((frame - run.first + 1) / (run.last - run.first + 1), `frame ${frame}`)
      if (frame < run.last && (await isEnough(store, key, frame))) return false
      if (!context.progress && (performance.now() - started) / 1000 > TURN.seconds && frame < run.last) {
        await queueNext(context, payload)
        return false
      }
    }
    if (until >= run.last) return true
    await setResultState(store, key, 'stopped')
    return false
  })
}

/** What a call makes; undefined where it was cancelled. */
async function makeFrame<T>(make: () => Promise<T>): Promise<T | undefined> {
  try {
    return await make()
  } catch (error) {
    if (error instanceof Cancelled) return undefined
    throw error
  }
}
