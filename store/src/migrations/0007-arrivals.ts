import { type Kysely, sql } from 'kysely'

// A plate is known from the moment it is dropped: what files it has, and the shot that it becomes. A removed shot can be had back for a while, and its name is free.
export async function up(db: Kysely<never>): Promise<void> {
  await sql`alter table asset
    add column files jsonb not null default '[]',
    add column rate jsonb,
    add column makes text,
    add column touched timestamptz not null default now()`.execute(db)
  await sql`alter table shot add column removed timestamptz`.execute(db)
  await sql`alter table shot drop constraint if exists shot_name_key`.execute(db)
  await sql`create unique index shot_name on shot (name) where removed is null`.execute(db)
  // Gaps as ranges of frames.
  await sql`update asset set info = jsonb_set(info, '{gaps}',
      (select coalesce(jsonb_agg(jsonb_build_array(g, g)), '[]') from jsonb_array_elements(info->'gaps') g))
    where info ? 'gaps'`.execute(db)
}
