import { setImmediate } from 'node:timers/promises'
import { type JobPayload, queueInLine, resultRows, tellAhead } from '@lantern/store'
import { failureOf, type JobContext } from '../jobs/context.ts'
import { runOfJob } from './bakeJob.ts'
import { bakeTools } from './tools.ts'

const LOOK_UP_MS = 1000

/** Tells ahead how much work every frame of a run will be; looks up every so many milliseconds whether that is still wanted. Where it can't be told it is left: the run itself says what is wrong. */
export async function estimateJob(
  context: JobContext,
  payload: JobPayload<'estimate'>,
  lookUp = LOOK_UP_MS,
): Promise<void> {
  const { store, log } = context
  const { key, output } = payload
  const wanted = async (): Promise<boolean> => {
    const row = (await resultRows(store, [key])).get(key)
    return row?.ahead.length === 0 && (row.state === 'waiting' || row.state === 'running')
  }
  const run = (await wanted()) ? await runOfJob(store, payload) : undefined
  if (run?.bake.way !== 'steps' || !run.bake.estimate) return
  const works: number[] = []
  let looked = performance.now()
  try {
    for (const work of run.bake.estimate(bakeTools(context))) {
      works.push(work)
      if (performance.now() - looked < lookUp) continue
      await setImmediate()
      if (context.ending()) return await queueInLine(store, 'estimate', payload, { kind: output, key })
      if (!(await wanted())) return
      looked = performance.now()
    }
    await tellAhead(store, key, works)
  } catch (error) {
    log.debug({ key: key.slice(0, 12), error: failureOf(error, log).message }, 'not told ahead')
  }
}
