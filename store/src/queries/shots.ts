import { LanternError } from '@lantern/core/base'
import { applyPatch, diffPatch, parseShot, type ShotDocument, upgradeShot } from '@lantern/core/shot'
import { type Kysely, sql } from 'kysely'
import { notify } from '../events.ts'
import type { Store } from '../open.ts'
import type { Database } from '../schema.ts'

export interface Shot {
  id: number
  name: string
  /** Number of the revision shown. */
  head: number
  document: ShotDocument
  canUndo: boolean
  canRedo: boolean
}

const missing = (name: string): LanternError =>
  new LanternError('no-shot', `There is no shot called “${name.slice(0, 80)}”.`, 'Choose one from the list of shots.', {
    field: 'shot',
  })

async function load(db: Kysely<Database>, where: { name?: string; id?: number }): Promise<Shot | undefined> {
  const row = await db
    .selectFrom('shot')
    .innerJoin('shot_revision', (join) =>
      join.onRef('shot_revision.shot_id', '=', 'shot.id').onRef('shot_revision.number', '=', 'shot.head'),
    )
    .select(['shot.id', 'shot.name', 'shot.head', 'shot_revision.document', 'shot_revision.parent'])
    .where('shot.removed', 'is', null)
    .$if(where.name !== undefined, (q) => q.where('shot.name', '=', where.name ?? ''))
    .$if(where.id !== undefined, (q) => q.where('shot.id', '=', where.id ?? 0))
    .executeTakeFirst()
  if (!row) return undefined
  const child = await db
    .selectFrom('shot_revision')
    .select('number')
    .where('shot_id', '=', row.id)
    .where('parent', '=', row.head)
    .limit(1)
    .executeTakeFirst()
  return {
    id: row.id,
    name: row.name,
    head: row.head,
    document: { ...parseShot(row.document), name: row.name },
    canUndo: row.parent !== null,
    canRedo: child !== undefined,
  }
}

/** Throws LanternError 'no-shot'. */
export async function getShot(store: Store, name: string): Promise<Shot> {
  const shot = await load(store.db, { name })
  if (!shot) throw missing(name)
  return shot
}

/** Number of the revision that a shot shows. Throws LanternError 'no-shot'. */
export async function headOf(store: Store, name: string): Promise<number> {
  const row = await store.db
    .selectFrom('shot')
    .select('head')
    .where('name', '=', name)
    .where('removed', 'is', null)
    .executeTakeFirst()
  if (!row) throw missing(name)
  return row.head
}

export const findShotById = (store: Store, id: number): Promise<Shot | undefined> => load(store.db, { id })

export async function listShots(
  store: Store,
): Promise<{ id: number; name: string; head: number; touched: Date; document: ShotDocument }[]> {
  const rows = await store.db
    .selectFrom('shot')
    .innerJoin('shot_revision', (join) =>
      join.onRef('shot_revision.shot_id', '=', 'shot.id').onRef('shot_revision.number', '=', 'shot.head'),
    )
    .select(['shot.id', 'shot.name', 'shot.head', 'shot.touched', 'shot_revision.document'])
    .where('shot.removed', 'is', null)
    .orderBy('shot.touched', 'desc')
    .execute()
  return rows.map((row) => ({ ...row, document: { ...parseShot(row.document), name: row.name } }))
}

const MOST_OF_A_NAME = 200

/** Does something with a shot's name, counted on where it is taken: name, name 2 and on. from: the first number. Throws LanternError 'shot-name' where all of them are. */
export async function underFreeName<T>(name: string, work: (free: string) => Promise<T>, from = 1): Promise<T> {
  for (let n = from; ; n++)
    try {
      return await work(n === 1 ? name : `${name.slice(0, 74)} ${n}`)
    } catch (error) {
      if (!(error instanceof LanternError) || error.code !== 'shot-name' || n > MOST_OF_A_NAME) throw error
    }
}

/** arrived: the dropped plate that becomes this shot; a second one is not made of it. Throws LanternError 'shot-name' where the name is taken. */
export async function createShot(store: Store, document: ShotDocument, arrived?: string): Promise<Shot> {
  const checked = parseShot(document)
  return store.db.transaction().execute(async (db) => {
    const project = (
      await db
        .insertInto('project')
        .values({ name: 'Default' })
        .onConflict((c) => c.column('name').doUpdateSet({ name: 'Default' }))
        .returning('id')
        .executeTakeFirstOrThrow()
    ).id
    const made = await db
      .insertInto('shot')
      .values({ project_id: project, name: checked.name, head: 1 })
      .onConflict((c) => c.column('name').where('removed', 'is', null).doNothing())
      .returning('id')
      .executeTakeFirst()
    if (!made)
      throw new LanternError('shot-name', `There is a shot called “${checked.name}” already.`, 'Choose another name.', {
        field: 'name',
      })
    await db
      .insertInto('shot_revision')
      .values({ shot_id: made.id, number: 1, parent: null, document: JSON.stringify(checked), label: null })
      .execute()
    if (arrived !== undefined) await db.updateTable('asset').set({ makes: null }).where('id', '=', arrived).execute()
    await notify(db, { what: 'shots' })
    const shot = await load(db, { id: made.id })
    if (!shot) throw missing(checked.name)
    return shot
  })
}

const fieldsOf = (patch: Record<string, unknown>, path = ''): string[] =>
  Object.entries(patch).flatMap(([key, value]) =>
    typeof value === 'object' && value !== null && !Array.isArray(value)
      ? fieldsOf(value as Record<string, unknown>, `${path}${key}.`)
      : [`${path}${key}`],
  )

/** What was read of a plate stands: only how its codes become light is a person's to say. Throws LanternError 'document' naming the fact. */
function refusePlateFacts({ plate: before }: ShotDocument, { plate: after }: ShotDocument): void {
  const changed = Object.keys(diffPatch({ ...before, encoding: '' }, { ...after, encoding: '' }))[0]
  if (changed !== undefined)
    throw new LanternError(
      'document',
      `plate.${changed}: A plate keeps what was read of it.`,
      'Take another plate in as a new shot.',
      { field: `plate.${changed}` },
    )
}

/**
 * Applies a merge patch made against revision `base`. Throws LanternError 'clash', naming what changed since, when the shot has moved on, and 'document' on a bad patch.
 */
export async function editShot(store: Store, name: string, base: number | undefined, patch: unknown): Promise<Shot> {
  return store.db.transaction().execute(async (db) => {
    await sql`select 1 from shot where name = ${name} and removed is null for update`.execute(db)
    const shot = await load(db, { name })
    if (!shot) throw missing(name)
    if (base !== undefined && base !== shot.head) {
      const then = await db
        .selectFrom('shot_revision')
        .select('document')
        .where('shot_id', '=', shot.id)
        .where('number', '=', base)
        .executeTakeFirst()
      const changed = then ? fieldsOf(diffPatch(upgradeShot(then.document), shot.document)) : []
      throw new LanternError(
        'clash',
        `The shot was changed elsewhere meanwhile${changed.length ? `: ${changed.slice(0, 4).join(', ')}${changed.length > 4 ? ' …' : ''}` : ''}.`,
        'What is there now is shown; make your change again.',
        { field: changed[0] },
      )
    }
    const document = applyPatch(shot.document, patch)
    if (document.name !== shot.name)
      throw new LanternError(
        'document',
        'name: A shot keeps the name it was made with.',
        'Leave the name out of the change.',
        { field: 'name' },
      )
    refusePlateFacts(shot.document, document)
    if (Object.keys(diffPatch(shot.document, document)).length === 0) return shot
    const top = await db
      .selectFrom('shot_revision')
      .select((e) => e.fn.max('number').as('top'))
      .where('shot_id', '=', shot.id)
      .executeTakeFirstOrThrow()
    const number = Number(top.top) + 1
    await db
      .insertInto('shot_revision')
      .values({ shot_id: shot.id, number, parent: shot.head, document: JSON.stringify(document), label: null })
      .execute()
    return moveHead(db, shot, number)
  })
}

async function moveHead(db: Kysely<Database>, shot: Shot, number: number): Promise<Shot> {
  await db.updateTable('shot').set({ head: number, touched: sql`now()` }).where('id', '=', shot.id).execute()
  await notify(db, { what: 'shot', shot: shot.id, head: number })
  const next = await load(db, { id: shot.id })
  if (!next) throw missing(shot.name)
  return next
}

/** Steps back to the revision this one was made from, or forward to the newest made from it. Where there is none, nothing changes. */
export async function stepHistory(store: Store, name: string, way: 'undo' | 'redo'): Promise<Shot> {
  return store.db.transaction().execute(async (db) => {
    await sql`select 1 from shot where name = ${name} and removed is null for update`.execute(db)
    const shot = await load(db, { name })
    if (!shot) throw missing(name)
    const revisions = db.selectFrom('shot_revision').where('shot_id', '=', shot.id)
    const to =
      way === 'undo'
        ? (await revisions.select('parent as number').where('number', '=', shot.head).executeTakeFirst())?.number
        : (
            await revisions
              .select('number')
              .where('parent', '=', shot.head)
              .orderBy('number', 'desc')
              .executeTakeFirst()
          )?.number
    return to === null || to === undefined ? shot : moveHead(db, shot, to)
  })
}
