import { resolve } from 'node:path'
import { LanternError } from '@lantern/core/base'
import { databaseUrl, migrate, openStore, type Store } from '@lantern/store'
import { z } from 'zod'

const environment = z.object({
  LANTERN_DATA: z.string().default('../.data'),
  LANTERN_DATABASE_URL: z.string().optional(),
  LANTERN_DATABASE_PORT: z.coerce.number().int().default(54329),
})

const kept: { store?: Store; ready?: Promise<void> } = ((
  globalThis as { lanternStore?: { store?: Store; ready?: Promise<void> } }
).lanternStore ??= {})

/** The one store of this server process. Throws LanternError 'database' while the database is away; the next call tries again. */
export async function store(): Promise<Store> {
  const env = environment.parse(process.env)
  kept.store ??= openStore(
    env.LANTERN_DATABASE_URL ?? databaseUrl(resolve(env.LANTERN_DATA), env.LANTERN_DATABASE_PORT),
    resolve(env.LANTERN_DATA),
  )
  const opened = kept.store
  kept.ready ??= migrate(opened)
  try {
    await kept.ready
  } catch {
    kept.ready = undefined
    throw databaseAway()
  }
  return opened
}

export const databaseAway = (): LanternError =>
  new LanternError('database', 'The database can’t be reached.', 'It is tried again by itself; nothing is lost.')
