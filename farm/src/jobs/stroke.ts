import { strokedFrame, strokeKeyOf } from '@lantern/core/effects'
import { isMatte } from '@lantern/core/mattes'
import { findShotById, type JobPayload, queueJob, resultState, setResultState } from '@lantern/store'
import { keptByChain } from '../bake/runWhole.ts'
import { bakeTools } from '../bake/tools.ts'
import type { JobContext } from './context.ts'
import { plateReady, runSingleOutput } from './runSingleOutput.ts'

const LATER_MS = 3000

/** Cuts one stroked frame of a matte, as the document has it now. Returns true when it is kept. */
export async function strokeJob(context: JobContext, payload: JobPayload<'stroke'>): Promise<boolean> {
  const { store } = context
  const { shot: id, item: itemId, frame, key } = payload
  const shot = await findShotById(store, id)
  const item = shot?.document.items[itemId]
  const helped = isMatte(item) ? item.helped : undefined
  if (!shot || !helped || strokeKeyOf(helped, shot.document.plate, frame) !== key) {
    // The shot has moved on to other strokes.
    if ((await resultState(store, key)) === 'waiting') await setResultState(store, key, 'stopped')
    return false
  }
  const state = (await plateReady(store, shot.document))
    ? await runSingleOutput(context, key, () =>
        strokedFrame(bakeTools(context, shot), keptByChain(store), helped, shot.document.plate, frame),
      )
    : 'busy'
  if (state === 'busy' && !context.progress)
    await queueJob(store, 'stroke', payload, {
      jobKey: `stroke-later:${key}`,
      runAt: new Date(Date.now() + LATER_MS),
    })
  return state === 'done'
}
