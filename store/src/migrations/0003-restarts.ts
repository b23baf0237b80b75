import { type Kysely, sql } from 'kysely'

/** Several restart states of a run, each with the key of all that decided it, so that a run that differs later can go on from them; and that key of every kept frame. */
export async function up(db: Kysely<never>): Promise<void> {
  await db.schema
    .createTable('restart')
    .addColumn('key', 'text', (c) => c.notNull().references('result.key').onDelete('cascade'))
    .addColumn('done', 'integer', (c) => c.notNull())
    .addColumn('chain', 'text', (c) => c.notNull())
    .addColumn('state', 'jsonb', (c) => c.notNull())
    .addColumn('blob', 'text', (c) => c.notNull().references('blob.sha256'))
    .addColumn('created', 'timestamptz', (c) => c.notNull().defaultTo(sql`now()`))
    .addPrimaryKeyConstraint('restart_pk', ['key', 'done'])
    .execute()
  await db.schema.createIndex('restart_chain').on('restart').column('chain').execute()
  await db.schema.alterTable('result_frame').addColumn('chain', 'text').execute()
  await db.schema.createIndex('result_frame_chain').on('result_frame').column('chain').execute()
  await db.schema.alterTable('result').dropColumn('restart').dropColumn('restart_blob').execute()
}
