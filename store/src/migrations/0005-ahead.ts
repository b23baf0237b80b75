import { type Kysely, sql } from 'kysely'

/** What tells how long a run takes: the work of its frames as a rough run told it, of its run-up what each frame took and was, and since when it has its turn or waits for one. */
export async function up(db: Kysely<never>): Promise<void> {
  await db.schema
    .alterTable('result')
    .addColumn('ahead', 'jsonb', (c) => c.notNull().defaultTo(sql`'[]'::jsonb`))
    .addColumn('since', 'timestamptz', (c) => c.notNull().defaultTo(sql`now()`))
    .execute()
  // Seconds alone were kept before.
  await sql`update result set run_up = '[]'::jsonb`.execute(db)
}
