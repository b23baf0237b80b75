import type { Kysely } from 'kysely'

/** How far a result is that has no frames to count: share done, and what is being done. */
export async function up(db: Kysely<never>): Promise<void> {
  await db.schema
    .alterTable('result')
    .addColumn('share', 'double precision', (c) => c.notNull().defaultTo(0))
    .addColumn('doing', 'text')
    .execute()
}
