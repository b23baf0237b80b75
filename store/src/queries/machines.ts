import { sql } from 'kysely'
import { notify } from '../events.ts'
import type { Store } from '../open.ts'
import { orphanedLocks, unlockWorkers } from '../queue.ts'

/** Seconds without a heartbeat after which a machine counts as gone. */
export const SILENCE_SECONDS = 15

export async function beat(store: Store, machine: { id: string; host: string; threads: number }): Promise<void> {
  await store.db
    .insertInto('machine')
    .values({ ...machine, doing: null })
    .onConflict((c) => c.column('id').doUpdateSet({ beat: sql`now()` }))
    .execute()
}

/** What a machine is at, for people to read; null when idle. */
export async function tellDoing(store: Store, id: string, doing: string | null): Promise<void> {
  await store.db.updateTable('machine').set({ doing }).where('id', '=', id).execute()
  await notify(store.db, { what: 'machine' })
}

export async function leave(store: Store, id: string): Promise<void> {
  await store.db.updateTable('result').set({ machine: null, lease_until: null }).where('machine', '=', id).execute()
  await store.db.deleteFrom('machine').where('id', '=', id).execute()
}

export async function liveMachines(
  store: Store,
): Promise<{ id: string; host: string; threads: number; doing: string | null }[]> {
  return store.db
    .selectFrom('machine')
    .select(['id', 'host', 'threads', 'doing'])
    .where('beat', '>', sql<Date>`now() - make_interval(secs => ${SILENCE_SECONDS})`)
    .orderBy('id')
    .execute()
}

/** Gives back the jobs and leases of machines that fell silent, then forgets them; returns their ids. A call that breaks off half way is made good by the next. */
export async function reapSilent(store: Store): Promise<string[]> {
  const silent = await store.db
    .selectFrom('machine')
    .select('id')
    .where('beat', '<', sql<Date>`now() - make_interval(secs => ${SILENCE_SECONDS})`)
    .execute()
  const gone = [...new Set([...silent.map(({ id }) => id), ...(await orphanedLocks(store))])]
  if (gone.length === 0) return gone
  await unlockWorkers(store, gone)
  await store.db.updateTable('result').set({ machine: null, lease_until: null }).where('machine', 'in', gone).execute()
  await store.db.deleteFrom('machine').where('id', 'in', gone).execute()
  return gone
}
