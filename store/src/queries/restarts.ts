import type { Store } from '../open.ts'

/** A run's full state after `done` frames: its small part here, its fields in a blob. */
export interface Restart {
  done: number
  chain: string
  state: unknown
  blob: string
}

/** States of one run that are kept: the newest, and others spread over the frames before it. */
const MOST_RESTARTS = 6

/** Keeps a restart state while the fence stands, and lets go of those that lie closest together. Returns the blobs that are free now. */
export async function putRestart(store: Store, key: string, fence: number, restart: Restart): Promise<string[]> {
  return store.db.transaction().execute(async (db) => {
    const held = await db
      .selectFrom('result')
      .select('key')
      .where('key', '=', key)
      .where('fence', '=', fence)
      .forUpdate()
      .executeTakeFirst()
    if (!held) return []
    await db
      .insertInto('restart')
      .values({
        key,
        done: restart.done,
        chain: restart.chain,
        state: JSON.stringify(restart.state),
        blob: restart.blob,
      })
      .onConflict((c) => c.doNothing())
      .execute()
    const rows = await db
      .selectFrom('restart')
      .select(['done', 'blob'])
      .where('key', '=', key)
      .orderBy('done')
      .execute()
    const free: string[] = []
    while (rows.length > MOST_RESTARTS) {
      // The first counts from the run's beginning; the newest always stays.
      const gaps = rows.slice(0, -1).map((_, n) => (rows[n + 1]?.done ?? 0) - (rows[n - 1]?.done ?? 0))
      const [gone] = rows.splice(gaps.indexOf(Math.min(...gaps)), 1)
      if (!gone) break
      await db.deleteFrom('restart').where('key', '=', key).where('done', '=', gone.done).execute()
      free.push(gone.blob)
    }
    return free
  })
}

/** The furthest state that a run may go on from: its own, or another's whose frames so far were decided by the same. chains: key by frames done. */
export async function getRestart(store: Store, chains: ReadonlyMap<number, string>): Promise<Restart | undefined> {
  if (chains.size === 0) return undefined
  const rows = await store.db
    .selectFrom('restart')
    .select(['done', 'chain', 'state', 'blob'])
    .where('chain', 'in', [...chains.values()])
    .orderBy('done', 'desc')
    .execute()
  return rows.find((row) => chains.get(row.done) === row.chain)
}
