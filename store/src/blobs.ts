import { createHash, randomUUID } from 'node:crypto'
import { constants, createReadStream, type ReadStream } from 'node:fs'
import { access, mkdir, open, readFile, rename, rm, stat, statfs } from 'node:fs/promises'
import { join } from 'node:path'
import { LanternError } from '@lantern/core/base'
import { z } from 'zod'
import { notify } from './events.ts'
import type { Store } from './open.ts'

const placeOf = (store: Store, sha256: string): string => join(store.data, 'blobs', sha256.slice(0, 2), sha256)

const exists = (path: string): Promise<boolean> =>
  access(path, constants.R_OK).then(
    () => true,
    () => false,
  )

/** A write that failed because the disk is full, as an error that a person can mend. */
export function diskError(error: unknown): unknown {
  const code = error instanceof Error && 'code' in error ? error.code : undefined
  if (code === 'ENOSPC' || code === 'EDQUOT')
    return new LanternError(
      'disk-full',
      'The data folder’s disk is full; what was kept before is whole.',
      'Free some space, then go on.',
    )
  if (code === 'EROFS' || code === 'EACCES' || code === 'EPERM')
    return new LanternError(
      'disk-refused',
      'The data folder can’t be written to; what was kept before is whole.',
      'Let this program write there, then go on.',
    )
  return error
}

/** Bytes that stay free on the data folder's disk, so that the database beside it can always write. */
const KEPT_FREE =
  1e9 *
  z.coerce
    .number()
    .min(0)
    .catch(2)
    .parse(process.env.LANTERN_FREE_GB ?? 2)
const LOOK_MS = 1000
const looked = new WeakMap<Store, { at: number; free: number }>()

/** Throws LanternError 'disk-full' where a file would leave less free than is kept free. */
export async function refuseFull(store: Store, bytes: number, least = KEPT_FREE): Promise<void> {
  let known = looked.get(store)
  if (!known || performance.now() - known.at > LOOK_MS) {
    const { bavail, bsize } = await statfs(store.data)
    known = { at: performance.now(), free: bavail * bsize }
    looked.set(store, known)
  }
  known.free -= bytes
  if (known.free < least)
    throw new LanternError(
      'disk-full',
      `The data folder’s disk has less than ${(least / 1e9).toFixed(1)} GB left, which are kept free for the database; what was kept before is whole.`,
      'Free some space, then go on; LANTERN_FREE_GB says how much stays free.',
    )
}

/** Writes bytes by content: temporary name, synced, renamed. Returns their SHA-256. */
export async function putBlob(store: Store, bytes: Uint8Array, mediaType: string): Promise<string> {
  const sha256 = createHash('sha256').update(bytes).digest('hex')
  const place = placeOf(store, sha256)
  if (!(await exists(place))) {
    const temporary = join(store.data, 'tmp', randomUUID())
    await refuseFull(store, bytes.byteLength)
    try {
      await mkdir(join(store.data, 'tmp'), { recursive: true })
      await mkdir(join(store.data, 'blobs', sha256.slice(0, 2)), { recursive: true })
      const file = await open(temporary, 'wx')
      try {
        await file.writeFile(bytes)
        await file.sync()
      } finally {
        await file.close()
      }
      await rename(temporary, place)
    } catch (error) {
      await rm(temporary, { force: true })
      throw diskError(error)
    }
  }
  await store.db
    .insertInto('blob')
    .values({ sha256, bytes: bytes.byteLength, media_type: mediaType })
    .onConflict((c) => c.doNothing())
    .execute()
  return sha256
}

/** Takes a finished file into the blobs, by content, without reading it into memory. The file must lie under the store's own folder; it is moved. */
export async function putBlobFile(
  store: Store,
  path: string,
  mediaType: string,
): Promise<{ sha256: string; bytes: number }> {
  const hash = createHash('sha256')
  for await (const part of createReadStream(path)) hash.update(part as Buffer)
  const sha256 = hash.digest('hex')
  const { size } = await stat(path)
  try {
    await mkdir(join(store.data, 'blobs', sha256.slice(0, 2)), { recursive: true })
    const file = await open(path, 'r+')
    await file.sync().finally(() => file.close())
    await rename(path, placeOf(store, sha256))
  } catch (error) {
    throw diskError(error)
  }
  await store.db
    .insertInto('blob')
    .values({ sha256, bytes: size, media_type: mediaType })
    .onConflict((c) => c.doNothing())
    .execute()
  return { sha256, bytes: size }
}

/**
 * Treats a blob that is damaged or gone as what it is: its file is put aside, the frames and states that name it are no longer kept, and their results are made again when they are asked for.
 * What of it a document or a plate names stays named: there is nothing to make it from.
 */
async function quarantine(store: Store, sha256: string): Promise<void> {
  const aside = join(store.data, 'quarantine')
  await mkdir(aside, { recursive: true })
  await rename(placeOf(store, sha256), join(aside, `${sha256}-${Date.now()}`)).catch(() => undefined)
  await store.db.deleteFrom('restart').where('blob', '=', sha256).execute()
  const frames = await store.db.deleteFrom('result_frame').where('blob', '=', sha256).returning('key').execute()
  const keys = [...new Set(frames.map(({ key }) => key))]
  if (keys.length === 0) return
  await store.db
    .updateTable('result')
    .set({ state: 'stopped' })
    .where('key', 'in', keys)
    .where('state', '=', 'done')
    .execute()
  for (const key of keys) await notify(store.db, { what: 'result', key, state: 'stopped' })
}

/** A blob as a stream, for what is too large to hold; its length is checked, not its hash. Throws LanternError 'blob'. */
export async function streamBlob(store: Store, sha256: string): Promise<{ stream: ReadStream; bytes: number }> {
  const row = await store.db.selectFrom('blob').select('bytes').where('sha256', '=', sha256).executeTakeFirst()
  const there = await stat(placeOf(store, sha256)).catch(() => undefined)
  if (!row || there?.size !== row.bytes) {
    if (row) await quarantine(store, sha256)
    throw new LanternError(
      'blob',
      'A kept file is missing or damaged.',
      'Make it again; the rest of the shot is untouched.',
      { file: sha256.slice(0, 12) },
    )
  }
  return { stream: createReadStream(placeOf(store, sha256)), bytes: row.bytes }
}

/** Reads a blob and checks it against its name. Throws LanternError 'blob'. */
export async function getBlob(store: Store, sha256: string): Promise<Buffer<ArrayBuffer>> {
  const lost = (what: string): LanternError =>
    new LanternError('blob', `A kept file ${what}.`, 'Make it again; the rest of the shot is untouched.', {
      file: sha256.slice(0, 12),
    })
  if (!/^[0-9a-f]{64}$/.test(sha256)) throw lost('has no such name')
  let bytes: Buffer<ArrayBuffer>
  try {
    bytes = await readFile(placeOf(store, sha256))
  } catch (error) {
    if (!(error instanceof Error && 'code' in error && error.code === 'ENOENT')) throw error
    await quarantine(store, sha256)
    throw lost('is missing from the data folder')
  }
  if (createHash('sha256').update(bytes).digest('hex') !== sha256) {
    await quarantine(store, sha256)
    throw lost('is damaged')
  }
  return bytes
}

/** Removes a blob that nothing refers to any more. */
export async function dropBlob(store: Store, sha256: string): Promise<void> {
  const { rows } = await store.pool.query<{ used: boolean }>(
    'select exists(select 1 from result_frame where blob = $1) or exists(select 1 from asset_frame where blob = $1) or exists(select 1 from restart where blob = $1) or exists(select 1 from shot join shot_revision on shot_id = shot.id and number = head where position($1 in document::text) > 0) as used',
    [sha256],
  )
  if (rows[0]?.used) return
  await store.db.deleteFrom('blob').where('sha256', '=', sha256).execute()
  await rm(placeOf(store, sha256), { force: true })
}
