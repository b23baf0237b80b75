import { setImmediate } from 'node:timers/promises'
import { workAhead } from '@lantern/core/gas'
import { type JobPayload, queueJob, resultRows, tellAhead } from '@lantern/store'
import { failureOf, type JobContext } from './context.ts'
import { gasPlan } from './gas.ts'

const LOOK_UP_MS = 1000

/** Tells ahead how much work every frame of a gas will be, by a run with larger cells; looks up every so many milliseconds. Where that can't be told it is left: the run itself says what is wrong. */
export async function aheadJob(context: JobContext, payload: JobPayload<'ahead'>, lookUp = LOOK_UP_MS): Promise<void> {
  const { store, crew, log } = context
  const { key } = payload
  const wanted = async (): Promise<boolean> => {
    const row = (await resultRows(store, [key])).get(key)
    return row?.ahead.length === 0 && (row.state === 'waiting' || row.state === 'running')
  }
  const plan = (await wanted()) ? await gasPlan(store, payload) : undefined
  if (!plan) return
  const works: number[] = []
  let looked = performance.now()
  try {
    for (const { cells, steps } of workAhead(crew, plan.settings, plan.rough, plan.rate, plan.total)) {
      works.push(cells * steps)
      if (performance.now() - looked < lookUp) continue
      await setImmediate()
      if (context.ending())
        return await queueJob(store, 'ahead', payload, { jobKey: `gas:${key}:ahead-back`, priority: -1 })
      if (!(await wanted())) return
      looked = performance.now()
    }
    await tellAhead(store, key, works)
  } catch (error) {
    log.debug({ key: key.slice(0, 12), error: failureOf(error, log).message }, 'not told ahead')
  }
}
