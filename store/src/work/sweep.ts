import { sql } from 'kysely'
import { dropBlob } from '../blobs.ts'
import type { Store } from '../open.ts'
import { listShots } from '../queries/shots.ts'
import { handOffKey } from './handOff.ts'
import { manualTrackKey, matchKeys, movingObjectKeys } from './match.ts'
import { strokeKeys } from './mattes.ts'
import { plateKeys } from './readings.ts'
import { resolveShot } from './resolve.ts'

/** One of the store's machines sweeps at a time. */
const SWEEP_LOCK = 7719
const QUALITIES = ['look', 'final'] as const

/** Keys of everything that some shot's present document names. */
async function namedKeys(store: Store): Promise<Set<string>> {
  const keys = new Set<string>()
  for (const shot of await listShots(store)) {
    const { document } = shot
    const resolved = await resolveShot(store, shot)
    for (const { runs } of resolved.items) for (const { key } of runs) keys.add(key)
    for (const key of Object.values(matchKeys(document))) keys.add(key)
    for (const id of Object.keys(document.match.hands)) keys.add(manualTrackKey(document, id) ?? '')
    for (const id of Object.keys(document.match.things))
      for (const key of Object.values(movingObjectKeys(document, id))) keys.add(key)
    for (const key of await plateKeys(store, document)) keys.add(key)
    for (const frames of strokeKeys(document).values()) for (const key of frames.values()) keys.add(key)
    if (document.camera.solve) keys.add(document.camera.solve.key).add(document.camera.solve.tracks)
    for (const quality of QUALITIES) {
      for (const key of resolved.pictureKeys(quality).values()) keys.add(key)
      for (const form of ['movie', 'exr'] as const) keys.add(handOffKey(resolved, quality, form))
    }
  }
  return keys
}

async function dropResult(store: Store, key: string): Promise<void> {
  const frames = await store.db.selectFrom('result_frame').select('blob').where('key', '=', key).execute()
  const restarts = await store.db.selectFrom('restart').select('blob').where('key', '=', key).execute()
  const gone = await store.db
    .deleteFrom('result')
    .where('key', '=', key)
    .where('state', 'not in', ['running', 'waiting'])
    .returning('key')
    .executeTakeFirst()
  if (!gone) return
  for (const blob of new Set([...frames, ...restarts].map((one) => one.blob))) await dropBlob(store, blob)
}

/** Bytes of everything kept that could be computed again. */
export async function keptBytes(store: Store): Promise<number> {
  const { rows } = await store.pool.query<{ bytes: number }>(
    'select coalesce(sum(bytes), 0)::bigint as bytes from blob where sha256 in (select blob from result_frame union select blob from restart)',
  )
  return rows[0]?.bytes ?? 0
}

/**
 * Drops kept results, oldest use first, until at most `most` bytes are kept; what a shot's present document names, or what is being computed, stays whatever its size.
 * Returns how many results went.
 */
export async function sweep(store: Store, most: number): Promise<number> {
  if ((await keptBytes(store)) <= most) return 0
  return store.db.connection().execute(async (connection) => {
    const lock = await sql<{ got: boolean }>`select pg_try_advisory_lock(${SWEEP_LOCK}) as got`.execute(connection)
    if (!lock.rows[0]?.got) return 0
    try {
      return await dropOldest(store, most)
    } finally {
      await sql`select pg_advisory_unlock(${SWEEP_LOCK})`.execute(connection)
    }
  })
}

async function dropOldest(store: Store, most: number): Promise<number> {
  const named = await namedKeys(store)
  const rows = await store.db
    .selectFrom('result')
    .select('key')
    .where('state', 'not in', ['running', 'waiting'])
    .orderBy('used')
    .execute()
  let dropped = 0
  for (const { key } of rows) {
    if (named.has(key)) continue
    await dropResult(store, key)
    dropped++
    if ((await keptBytes(store)) <= most) break
  }
  return dropped
}
