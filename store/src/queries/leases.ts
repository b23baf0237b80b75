import { sql } from 'kysely'
import { notify } from '../events.ts'
import type { Store } from '../open.ts'
import type { PreRollFrame } from '../schema.ts'

const LEASE = sql<Date>`now() + interval '20 seconds'`

/** Takes the lease of a recipe that nobody alive holds; returns the fencing token, or undefined while another machine has it. */
export async function takeLease(store: Store, key: string, machine: string): Promise<number | undefined> {
  const row = await store.db
    .updateTable('result')
    .set((e) => ({ fence: e('fence', '+', 1), machine, lease_until: LEASE, since: sql`now()` }))
    .where('key', '=', key)
    .where((e) => e.or([e('machine', 'is', null), e('machine', '=', machine), e('lease_until', '<', sql<Date>`now()`)]))
    .returning('fence')
    .executeTakeFirst()
  return row?.fence
}

/** Tells how far a result is, and lengthens its lease; false when another holder has come. preRoll: of each frame of its pre-roll so far the seconds that it took and its work. */
export async function tellShare(
  store: Store,
  key: string,
  fence: number,
  share: number,
  doing: string,
  preRoll?: readonly PreRollFrame[],
): Promise<boolean> {
  const row = await store.db
    .updateTable('result')
    .set({ share, doing, lease_until: LEASE, ...(preRoll ? { run_up: JSON.stringify(preRoll) } : {}) })
    .where('key', '=', key)
    .where('fence', '=', fence)
    .returning('key')
    .executeTakeFirst()
  await notify(store.db, { what: 'result', key, state: 'running' })
  return row !== undefined
}

/** Lengthens a lease; false when another holder has come. */
export async function holdLease(store: Store, key: string, fence: number): Promise<boolean> {
  const row = await store.db
    .updateTable('result')
    .set({ lease_until: LEASE })
    .where('key', '=', key)
    .where('fence', '=', fence)
    .returning('key')
    .executeTakeFirst()
  return row !== undefined
}

/** Gives a lease back; false when another holder has come. */
export async function dropLease(store: Store, key: string, fence: number): Promise<boolean> {
  return (
    (await store.db
      .updateTable('result')
      .set({ machine: null, lease_until: null, since: sql`now()` })
      .where('key', '=', key)
      .where('fence', '=', fence)
      .returning('key')
      .executeTakeFirst()) !== undefined
  )
}

/** Lengthens the leases of all that a machine holds. */
export async function holdAllLeases(store: Store, machine: string): Promise<void> {
  await store.db.updateTable('result').set({ lease_until: LEASE }).where('machine', '=', machine).execute()
}
