import { type Kysely, sql } from 'kysely'

// When a result was asked for by a person (never, for what the demo seeds), and the last frame that is wanted of it (all, where none is named).
export async function up(db: Kysely<never>): Promise<void> {
  await sql`alter table result add column asked timestamptz default now(), add column until integer`.execute(db)
}
