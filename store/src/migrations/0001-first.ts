import { type Kysely, sql } from 'kysely'

export async function up(db: Kysely<never>): Promise<void> {
  const now = sql`now()`
  const made = db.schema
  await made.createTable('project').addColumn('id', 'serial', (c) => c.primaryKey()).addColumn('name', 'text', (c) => c.notNull().unique()).addColumn('created', 'timestamptz', (c) => c.notNull().defaultTo(now)).execute()
  await made.createTable('shot').addColumn('id', 'serial', (c) => c.primaryKey()).addColumn('project_id', 'integer', (c) => c.notNull().references('project.id')).addColumn('name', 'text', (c) => c.notNull().unique())
    .addColumn('head', 'integer', (c) => c.notNull()).addColumn('created', 'timestamptz', (c) => c.notNull().defaultTo(now)).addColumn('touched', 'timestamptz', (c) => c.notNull().defaultTo(now)).execute()
  await made.createTable('shot_revision').addColumn('shot_id', 'integer', (c) => c.notNull().references('shot.id').onDelete('cascade')).addColumn('number', 'integer', (c) => c.notNull()).addColumn('parent', 'integer')
    .addColumn('document', 'jsonb', (c) => c.notNull()).addColumn('label', 'text').addColumn('created', 'timestamptz', (c) => c.notNull().defaultTo(now)).addPrimaryKeyConstraint('shot_revision_pk', ['shot_id', 'number']).execute()
  await made.createTable('blob').addColumn('sha256', 'text', (c) => c.primaryKey()).addColumn('bytes', 'bigint', (c) => c.notNull()).addColumn('media_type', 'text', (c) => c.notNull()).addColumn('created', 'timestamptz', (c) => c.notNull().defaultTo(now)).execute()
  await made.createTable('asset').addColumn('id', 'text', (c) => c.primaryKey()).addColumn('kind', 'text', (c) => c.notNull()).addColumn('file', 'text', (c) => c.notNull()).addColumn('state', 'text', (c) => c.notNull())
    .addColumn('info', 'jsonb', (c) => c.notNull()).addColumn('error', 'jsonb').addColumn('done', 'integer', (c) => c.notNull().defaultTo(0)).addColumn('total', 'integer', (c) => c.notNull().defaultTo(0)).addColumn('created', 'timestamptz', (c) => c.notNull().defaultTo(now)).execute()
  await made.createTable('asset_frame').addColumn('asset_id', 'text', (c) => c.notNull().references('asset.id').onDelete('cascade')).addColumn('frame', 'integer', (c) => c.notNull()).addColumn('variant', 'text', (c) => c.notNull())
    .addColumn('blob', 'text', (c) => c.notNull().references('blob.sha256')).addPrimaryKeyConstraint('asset_frame_pk', ['asset_id', 'frame', 'variant']).execute()
  await made.createTable('result').addColumn('key', 'text', (c) => c.primaryKey()).addColumn('kind', 'text', (c) => c.notNull()).addColumn('settings', 'jsonb', (c) => c.notNull()).addColumn('shot_id', 'integer', (c) => c.references('shot.id').onDelete('set null')).addColumn('item', 'text')
    .addColumn('state', 'text', (c) => c.notNull()).addColumn('first', 'integer', (c) => c.notNull()).addColumn('last', 'integer', (c) => c.notNull()).addColumn('restart', 'jsonb').addColumn('restart_blob', 'text').addColumn('fence', 'integer', (c) => c.notNull().defaultTo(0))
    .addColumn('machine', 'text').addColumn('lease_until', 'timestamptz').addColumn('error', 'jsonb').addColumn('seconds', 'double precision', (c) => c.notNull().defaultTo(0)).addColumn('used', 'timestamptz', (c) => c.notNull().defaultTo(now)).addColumn('created', 'timestamptz', (c) => c.notNull().defaultTo(now)).execute()
  await made.createTable('result_frame').addColumn('key', 'text', (c) => c.notNull().references('result.key').onDelete('cascade')).addColumn('frame', 'integer', (c) => c.notNull()).addColumn('blob', 'text', (c) => c.notNull().references('blob.sha256'))
    .addColumn('figures', 'jsonb', (c) => c.notNull()).addColumn('created', 'timestamptz', (c) => c.notNull().defaultTo(now)).addPrimaryKeyConstraint('result_frame_pk', ['key', 'frame']).execute()
  await made.createTable('note').addColumn('id', 'serial', (c) => c.primaryKey()).addColumn('shot_id', 'integer', (c) => c.notNull().references('shot.id').onDelete('cascade')).addColumn('frame', 'integer').addColumn('text', 'text', (c) => c.notNull()).addColumn('created', 'timestamptz', (c) => c.notNull().defaultTo(now)).execute()
  await made.createTable('machine').addColumn('id', 'text', (c) => c.primaryKey()).addColumn('host', 'text', (c) => c.notNull()).addColumn('threads', 'integer', (c) => c.notNull()).addColumn('beat', 'timestamptz', (c) => c.notNull().defaultTo(now)).addColumn('doing', 'text').execute()
  await made.createIndex('result_shot').on('result').columns(['shot_id', 'kind']).execute()
}
