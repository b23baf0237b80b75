import { type Kysely, sql } from 'kysely'

/** Seconds that each frame of a run's run-up took: they tell how long the rest will take before any frame is kept. */
export async function up(db: Kysely<never>): Promise<void> {
  await db.schema
    .alterTable('result')
    .addColumn('run_up', 'jsonb', (c) => c.notNull().defaultTo(sql`'[]'::jsonb`))
    .execute()
}
