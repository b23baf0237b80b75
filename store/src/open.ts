import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { runMigrations } from 'graphile-worker'
import { Kysely, Migrator, PostgresDialect } from 'kysely'
import pg from 'pg'
import { z } from 'zod'
import * as first from './migrations/0001-first.ts'
import * as progress from './migrations/0002-progress.ts'
import * as restarts from './migrations/0003-restarts.ts'
import * as runUp from './migrations/0004-run-up.ts'
import * as ahead from './migrations/0005-ahead.ts'
import * as figureNames from './migrations/0006-figure-names.ts'
import * as arrivals from './migrations/0007-arrivals.ts'
import * as asked from './migrations/0008-asked.ts'
import type { Database } from './schema.ts'

pg.types.setTypeParser(pg.types.builtins.INT8, Number)

export interface Store {
  db: Kysely<Database>
  pool: pg.Pool
  /** Folder of the blobs. */
  data: string
  close(): Promise<void>
}

const AWAY = new Set(['ECONNREFUSED', 'ECONNRESET', '57P01', '57P03', 'ETIMEDOUT', '08006', '08003'])

/** Whether an error says that the database can't be reached now, so that the same call may go through later. */
export const isDatabaseAway = (error: unknown): boolean =>
  error instanceof Error &&
  (('code' in error && typeof error.code === 'string' && AWAY.has(error.code)) ||
    /Connection terminated|timeout exceeded when trying to connect|ECONNREFUSED|not queryable/.test(error.message))

/** Where the project's own database is, with the password that its first start made for a data folder. */
export function databaseUrl(data: string, port: number): string {
  const path = join(data, 'database.passwords')
  const password = existsSync(path) ? passwordsSchema.parse(JSON.parse(readFileSync(path, 'utf8'))).lantern : undefined
  return `postgres://lantern${password === undefined ? '' : `:${password}`}@127.0.0.1:${port}/lantern`
}
const passwordsSchema = z.object({ lantern: z.string() })

/** Opens the database at `url` with blobs under `data`. Connects on first use; a lost connection is made again by the pool. */
export function openStore(url: string, data: string): Store {
  const pool = new pg.Pool({ connectionString: url, max: 10, connectionTimeoutMillis: 5000 })
  // An idle connection that drops (the database was stopped) is the pool's to replace, not a crash.
  pool.on('error', () => undefined)
  pool.on('connect', (client) => client.on('error', () => undefined))
  const db = new Kysely<Database>({ dialect: new PostgresDialect({ pool }) })
  return { db, pool, data, close: () => db.destroy() }
}

/** Brings the database's tables and the queue's to the newest form. */
export async function migrate(store: Store): Promise<void> {
  const migrator = new Migrator({
    db: store.db,
    provider: {
      getMigrations: async () => ({
        '0001-first': first,
        '0002-progress': progress,
        '0003-restarts': restarts,
        '0004-run-up': runUp,
        '0005-ahead': ahead,
        '0006-figure-names': figureNames,
        '0007-arrivals': arrivals,
        '0008-asked': asked,
      }),
    },
  })
  const { error } = await migrator.migrateToLatest()
  if (error) throw error
  await runMigrations({ pgPool: store.pool })
}
