import { LanternError } from '@lantern/core/base'
import type { Store } from '../open.ts'
import { setResultState } from '../queries/results.ts'

/** A result that waits this long without a job for it will wait for ever, s. */
const PATIENCE = 60

const stranded = (): LanternError =>
  new LanternError(
    'stranded',
    'The farm gave this up: whatever worked on it went down time and again.',
    'Press Go on to try again; the farm’s log says what happened.',
  )

/** Results that say they wait or are under way while nobody holds them and no job is queued for them: each is said to have failed. Returns their keys. */
export async function releaseStranded(store: Store, patience = PATIENCE): Promise<string[]> {
  // A match's job names its solve only.
  const { rows } = await store.pool.query<{ key: string }>(
    `select result.key from result
     where state in ('running', 'waiting') and since <= now() - make_interval(secs => $1)
     and (lease_until is null or lease_until < now())
     and not exists (
       select 1 from graphile_worker.jobs where attempts < max_attempts and (
         position(result.key in coalesce(jobs.key, '')) > 0
         or result.kind <> 'picture' and task_identifier in ('match', 'thing')
       )
     )`,
    [patience],
  )
  for (const { key } of rows) await setResultState(store, key, 'failed', stranded().toJSON())
  return rows.map(({ key }) => key)
}
