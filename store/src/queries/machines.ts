import { sql } from 'kysely'
import type { Store } from '../open.ts'

/** Seconds without a heartbeat after which a machine counts as gone. */
export const SILENCE_SECONDS = 15

export async function beat(store: Store, machine: { id: string; host: string; threads: number; doing: string | null }): Promise<void> {
  await store.db.insertInto('machine').values(machine).onConflict((c) => c.column('id').doUpdateSet({ beat: sql`now()`, doing: machine.doing })).execute()
}

export async function leave(store: Store, id: string): Promise<void> {
  await store.db.updateTable('result').set({ machine: null, lease_until: null }).where('machine', '=', id).execute()
  await store.db.deleteFrom('machine').where('id', '=', id).execute()
}

export async function liveMachines(store: Store): Promise<{ id: string; host: string; threads: number; doing: string | null }[]> {
  return store.db.selectFrom('machine').select(['id', 'host', 'threads', 'doing']).where('beat', '>', sql<Date>`now() - make_interval(secs => ${SILENCE_SECONDS})`).orderBy('id').execute()
}

/** Removes machines that fell silent, gives back their leases and returns their ids, so that their jobs can be unlocked. */
export async function reapSilent(store: Store): Promise<string[]> {
  const gone = await store.db.deleteFrom('machine').where('beat', '<', sql<Date>`now() - make_interval(secs => ${SILENCE_SECONDS})`).returning('id').execute()
  for (const { id } of gone) await store.db.updateTable('result').set({ machine: null, lease_until: null }).where('machine', '=', id).execute()
  return gone.map(({ id }) => id)
}
