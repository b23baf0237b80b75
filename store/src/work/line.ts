import type { TaskSpec } from 'graphile-worker'
import type { Store } from '../open.ts'
import { askedAt } from '../queries/results.ts'
import { type JobName, type JobPayload, placeInLine, queueJob } from '../queue.ts'

/** What a result's job is called in the queue: there is one of a kind at a time. */
export const jobKeyOf = (name: JobName, kind: string, key: string): string =>
  name === 'estimate' ? `${kind}:${key}:estimate` : `${kind}:${key}`

/** Queues a job for a result, where its ask stands in line. A queued one that nobody has taken is replaced. waitMs: not before so long. */
export async function queueInLine<N extends 'bake' | 'estimate' | 'picture' | 'shown' | 'handOff'>(
  store: Store,
  name: N,
  payload: JobPayload<N>,
  { kind, key, waitMs }: { kind: string; key: string; waitMs?: number },
): Promise<void> {
  const spec: Pick<TaskSpec, 'jobKey' | 'priority' | 'runAt'> = {
    jobKey: jobKeyOf(name, kind, key),
    ...placeInLine(name, await askedAt(store, key)),
    ...(waitMs === undefined ? {} : { runAt: new Date(Date.now() + waitMs) }),
  }
  await queueJob(store, name, payload, spec)
}
