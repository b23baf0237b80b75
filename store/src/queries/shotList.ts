import { LanternError } from '@lantern/core/base'
import { shotNameSchema } from '@lantern/core/shot'
import { sql } from 'kysely'
import { notify } from '../events.ts'
import type { Store } from '../open.ts'
import { removePlate } from './arrivals.ts'
import { createShot, getShot, type Shot, underFreeName } from './shots.ts'

// What is done with whole shots: renamed, doubled, removed, had back.

const taken = (name: string): LanternError =>
  new LanternError('shot-name', `There is a shot called “${name}” already.`, 'Choose another name.', { field: 'name' })

const isTaken = (error: unknown): boolean => error instanceof Error && 'code' in error && error.code === '23505'

/** Does what gives a shot a name. Throws LanternError 'shot-name' where that is taken. */
async function named(name: string, work: () => Promise<unknown>): Promise<void> {
  try {
    await work()
  } catch (error) {
    throw isTaken(error) ? taken(name) : error
  }
}

/** Throws LanternError 'shot-name' where the name is taken, 'no-shot'. */
export async function renameShot(store: Store, name: string, to: string): Promise<void> {
  const { id } = await getShot(store, name)
  const next = shotNameSchema.parse(to)
  await named(next, () =>
    store.db.updateTable('shot').set({ name: next, touched: sql`now()` }).where('id', '=', id).execute(),
  )
  await notify(store.db, { what: 'shots' })
}

/** Another shot with the same document; what is kept of the one is the other's too. Returns the new one. */
export async function duplicateShot(store: Store, name: string): Promise<Shot> {
  const { document } = await getShot(store, name)
  return underFreeName(name, (free) => createShot(store, { ...document, name: free }), 2)
}

/** Takes a shot off the list; what the farm does for it ends. It can be had back for a minute. */
export async function removeShot(store: Store, name: string): Promise<{ id: number }> {
  const { id } = await getShot(store, name)
  await store.db.updateTable('shot').set({ removed: sql`now()` }).where('id', '=', id).execute()
  await store.db
    .updateTable('result')
    .set({ state: 'stopped' })
    .where('shot_id', '=', id)
    .where('state', 'in', ['waiting', 'running'])
    .execute()
  await notify(store.db, { what: 'shots' })
  return { id }
}

/** How long a removed shot can be had back, s. */
export const UNDO_SECONDS = 60

/** Shots removed within the last minute, newest first. */
export async function listRemoved(store: Store): Promise<{ id: number; name: string; secondsLeft: number }[]> {
  const { rows } = await store.pool.query<{ id: number; name: string; left: number }>(
    `select id, name, $1 - extract(epoch from now() - removed)::float as left from shot
     where removed > now() - make_interval(secs => $1) order by removed desc`,
    [UNDO_SECONDS],
  )
  return rows.map(({ id, name, left }) => ({ id, name, secondsLeft: left }))
}

/** Puts a removed shot back on the list, under another name where its own was taken meanwhile. Throws LanternError 'no-shot' where it is gone for good. */
export async function restoreShot(store: Store, id: number): Promise<string> {
  const row = await store.db
    .selectFrom('shot')
    .select('name')
    .where('id', '=', id)
    .where('removed', 'is not', null)
    .executeTakeFirst()
  if (!row)
    throw new LanternError('no-shot', 'That shot is gone for good.', 'Take its plate in again.', { field: 'shot' })
  return underFreeName(row.name, async (name) => {
    await named(name, () => store.db.updateTable('shot').set({ removed: null, name }).where('id', '=', id).execute())
    await notify(store.db, { what: 'shots' })
    return name
  })
}

/** Deletes shots whose minute is over, with the plates that no other shot uses. What was kept for them goes by the usual rule. Returns how many went. */
export async function purgeRemoved(store: Store, seconds = UNDO_SECONDS): Promise<number> {
  const { rows } = await store.pool.query<{ asset: string | null }>(
    `with gone as (delete from shot where removed < now() - make_interval(secs => $1) returning id)
     select distinct document->'plate'->>'asset' as asset from shot_revision where shot_id in (select id from gone)`,
    [seconds],
  )
  for (const { asset } of rows) if (asset) await removePlate(store, asset)
  return rows.length
}
