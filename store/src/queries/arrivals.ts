import { randomUUID } from 'node:crypto'
import { readdir, rm, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { LanternError } from '@lantern/core/base'
import { makeShot, type PlateInfo } from '@lantern/core/shot'
import { sql } from 'kysely'
import { dropBlob } from '../blobs.ts'
import { notify } from '../events.ts'
import type { Store } from '../open.ts'
import { queueJob } from '../queue.ts'
import type { SentFile } from '../schema.ts'
import { type Asset, getAsset } from './assets.ts'
import { createShot, underFreeName } from './shots.ts'

// A plate on its way in: files that a page sends, then frames that the farm reads. The shot is made with the first frame, whether a page is open or not.

const NUMBERED = /^(.*?)(\d+)(\.(?:png|jpe?g|tiff?|exr))$/i
const PICTURE = /\.(?:png|jpe?g|tiff?|exr)$/i
/** What a file is called until all of it is there. */
const PART = '.part'

export const arrivalFolder = (store: Store, id: string): string => join(store.data, 'uploads', id)
export const partOf = (path: string): string => `${path}${PART}`

/** What some files are together: one movie, one still, or a run of numbered stills. Throws LanternError 'stills' naming the file that does not belong. */
export function plateOfFiles(names: readonly string[]): { kind: 'movie' | 'stills'; label: string } {
  const sorted = [...names].sort()
  const start = sorted[0]
  if (!start) throw new LanternError('upload', 'No file was chosen.', 'Drop a movie or numbered stills.')
  if (sorted.length === 1) return { kind: PICTURE.test(start) ? 'stills' : 'movie', label: start }
  const parts = NUMBERED.exec(start)
  const stranger = sorted.find((name) => {
    const own = NUMBERED.exec(name)
    return !own || !parts || own[1] !== parts[1] || own[3] !== parts[3]
  })
  if (!parts || stranger)
    throw new LanternError(
      'stills',
      `${stranger ?? start} does not belong to the run of ${start}.`,
      'Drop one movie, or stills of one name numbered like name.0001.png.',
      { file: stranger ?? start },
    )
  return { kind: 'stills', label: `${parts[1]}####${parts[3]}` }
}

export interface Arrival extends Asset {
  id: string
  /** Name of the shot that it becomes; none for a matte. */
  makes: string | null
  /** Bytes that are here, and all that were announced. */
  received: number
  bytes: number
  touched: Date
}

/** How much of each announced file is here, by name. */
export async function receivedFiles(
  store: Store,
  id: string,
  files: readonly SentFile[],
): Promise<Record<string, number>> {
  const folder = arrivalFolder(store, id)
  const size = async (path: string): Promise<number | undefined> =>
    stat(path).then(
      (found) => found.size,
      () => undefined,
    )
  return Object.fromEntries(
    await Promise.all(
      files.map(async ({ name }) => {
        const path = join(folder, name)
        return [name, (await size(path)) ?? (await size(partOf(path))) ?? 0] as const
      }),
    ),
  )
}

/** Announces files that a page will send: the same ones that were cut off before go on where they were. Returns the plate's id and what of it is here. */
export async function announceFiles(
  store: Store,
  wanted: { files: readonly SentFile[]; rate?: [number, number]; makes?: string },
): Promise<{ asset: string; received: Record<string, number> }> {
  const { label } = plateOfFiles(wanted.files.map(({ name }) => name))
  const files = JSON.stringify([...wanted.files].sort((a, b) => (a.name < b.name ? -1 : 1)))
  const before = await store.db
    .updateTable('asset')
    .set({ touched: sql`now()` })
    .where('state', '=', 'arriving')
    .where(sql<boolean>`files = ${files}::jsonb`)
    .where('makes', wanted.makes === undefined ? 'is' : 'is not', null)
    .returning('id')
    .executeTakeFirst()
  const asset = before?.id ?? randomUUID()
  if (!before)
    await store.db
      .insertInto('asset')
      .values({
        id: asset,
        kind: 'plate',
        file: label,
        state: 'arriving',
        info: '{}',
        error: null,
        files,
        rate: wanted.rate ? JSON.stringify(wanted.rate) : null,
        makes: wanted.makes ?? null,
      })
      .execute()
  await notify(store.db, { what: 'shots' })
  return { asset, received: await receivedFiles(store, asset, wanted.files) }
}

const rowOf = async (store: Store, id: string) => {
  const row = await store.db.selectFrom('asset').selectAll().where('id', '=', id).executeTakeFirst()
  if (!row) throw new LanternError('no-asset', 'That plate is not in the store.', 'Take it in again.')
  return row
}

/** The files announced for a plate. Throws LanternError 'no-asset'. */
export async function announcedFiles(store: Store, id: string): Promise<{ state: string; files: SentFile[] }> {
  const { state, files } = await rowOf(store, id)
  return { state, files }
}

/** Queues the reading of a plate whose files are all here, or of one that was stopped or failed. Does nothing while files are missing, or where it is on its way. Returns whether it is. */
export async function readArrived(store: Store, id: string, again = false): Promise<boolean> {
  const { files, rate, state } = await rowOf(store, id)
  const received = await receivedFiles(store, id, files)
  if (files.length === 0 || files.some(({ name, bytes }) => received[name] !== bytes)) return false
  const { kind, label } = plateOfFiles(files.map(({ name }) => name))
  const taken = await store.db
    .updateTable('asset')
    .set({ state: 'waiting', error: null })
    .where('id', '=', id)
    .where('state', 'in', again ? ['arriving', 'stopped', 'failed'] : ['arriving'])
    .returning('id')
    .executeTakeFirst()
  if (!taken) return state !== 'arriving'
  await queueJob(
    store,
    'plate',
    { asset: id, path: join(arrivalFolder(store, id), label), kind, ...(rate ? { rate } : {}) },
    { jobKey: `plate:${id}`, priority: -1 },
  )
  await notify(store.db, { what: 'asset', asset: id, state: 'waiting' })
  return true
}

/** Plates on their way that are no shot yet, newest first. */
export async function listArrivals(store: Store): Promise<Arrival[]> {
  const rows = await store.db
    .selectFrom('asset')
    .selectAll()
    .where('makes', 'is not', null)
    .orderBy('created', 'desc')
    .execute()
  return Promise.all(
    rows.map(async (row) => {
      const received = row.state === 'arriving' ? await receivedFiles(store, row.id, row.files) : {}
      return {
        ...(await getAsset(store, row.id)),
        id: row.id,
        makes: row.makes,
        touched: row.touched,
        received: Object.values(received).reduce((sum, bytes) => sum + bytes, 0),
        bytes: row.files.reduce((sum, { bytes }) => sum + bytes, 0),
      }
    }),
  )
}

/** Asks the farm to put a reading down; what was read stays. Returns false where it is not on its way. */
export async function stopReading(store: Store, id: string): Promise<boolean> {
  const stopped = await store.db
    .updateTable('asset')
    .set({ state: 'stopped' })
    .where('id', '=', id)
    .where('state', 'in', ['waiting', 'reading'])
    .returning('id')
    .executeTakeFirst()
  if (stopped) await notify(store.db, { what: 'asset', asset: id, state: 'stopped' })
  return stopped !== undefined
}

/** Makes the shot that a plate was dropped for, once something of it can be seen. Its name is counted on where it is taken. Does nothing the second time. */
export async function makeArrivedShot(store: Store, id: string): Promise<void> {
  const { makes, file } = await rowOf(store, id)
  const { info } = await getAsset(store, id)
  if (makes === null || !info.width || !info.height || info.first === undefined || !info.rate) return
  const plate: PlateInfo = {
    asset: id,
    file,
    width: info.width,
    height: info.height,
    first: info.first,
    last: info.last ?? info.first,
    rate: info.rate,
    encoding: info.bits === 32 ? 'linear' : 'srgb',
  }
  await underFreeName(makes, (name) => createShot(store, makeShot(name, plate), id))
}

/** Sets a plate's facts in the shots made of it, in all their revisions: how long it is may be known only at its end. */
export async function settlePlate(store: Store, id: string): Promise<void> {
  const { info } = await getAsset(store, id)
  if (info.first === undefined || info.last === undefined) return
  const { rows } = await store.pool.query<{ shot_id: number }>(
    `update shot_revision set document = jsonb_set(jsonb_set(document, '{plate,first}', to_jsonb($2::int)), '{plate,last}', to_jsonb($3::int))
     where document->'plate'->>'asset' = $1
     and (document->'plate'->'first' <> to_jsonb($2::int) or document->'plate'->'last' <> to_jsonb($3::int))
     returning shot_id`,
    [id, info.first, info.last],
  )
  for (const shot of new Set(rows.map(({ shot_id }) => shot_id)))
    await notify(store.db, { what: 'shot', shot, head: -1 })
}

/** Removes a plate that no shot names: its files, its frames, and the blobs that nothing else holds. Does nothing where one does. */
export async function removePlate(store: Store, id: string): Promise<boolean> {
  const { rows } = await store.pool.query<{ used: boolean }>(
    'select exists(select 1 from shot_revision where position($1 in document::text) > 0) as used',
    [id],
  )
  if (rows[0]?.used) return false
  const frames = await store.db.selectFrom('asset_frame').select('blob').where('asset_id', '=', id).execute()
  await store.db.deleteFrom('asset').where('id', '=', id).execute()
  await rm(arrivalFolder(store, id), { recursive: true, force: true })
  for (const { blob } of frames) await dropBlob(store, blob)
  await notify(store.db, { what: 'shots' })
  return true
}

/** So long an upload may lie without another byte, days. */
const ABANDONED_DAYS = 7

/** Removes uploads that were cut off and left, and folders that no plate knows. Returns how many went. */
export async function clearAbandoned(store: Store, days = ABANDONED_DAYS): Promise<number> {
  const old = await store.db
    .selectFrom('asset')
    .select('id')
    .where('state', '=', 'arriving')
    .where(sql<boolean>`touched < now() - make_interval(days => ${days})`)
    .execute()
  for (const { id } of old) await removePlate(store, id)
  const folders = await readdir(join(store.data, 'uploads')).catch(() => [])
  let gone = old.length
  for (const id of folders) {
    const known = await store.db.selectFrom('asset').select('id').where('id', '=', id).executeTakeFirst()
    const { mtimeMs } = await stat(arrivalFolder(store, id))
    if (known || Date.now() - mtimeMs < days * 86_400_000) continue
    await rm(arrivalFolder(store, id), { recursive: true, force: true })
    gone++
  }
  return gone
}
