import { sql } from 'kysely'
import { notify } from '../events.ts'
import type { Store } from '../open.ts'
import type { PreRollFrame } from '../schema.ts'

export type ResultState = 'waiting' | 'running' | 'stopped' | 'done' | 'failed'

export interface ResultRow {
  key: string
  kind: string
  state: ResultState
  item: string | null
  shot: number | null
  first: number
  last: number
  seconds: number
  kept: number
  error: { message: string; remedy: string } | null
  machine: string | null
  /** Of what has no frames to count. */
  share: number
  doing: string | null
  /** Of each frame of its pre-roll the seconds that it took and its work, cells times steps. */
  preRoll: PreRollFrame[]
  /** Work of each frame, pre-roll counted, as a rough run told it; none while it is not known. */
  ahead: number[]
  /** Seconds for which it has had its turn at a machine, or waited for one. */
  since: number
}

const SINCE = sql<number>`extract(epoch from now() - result.since)::float8`

export interface Asking {
  asked?: Date | null
  until?: number
}

export async function ensureResult(
  store: Store,
  row: {
    key: string
    kind: string
    settings: object
    shot: number
    item: string | null
    first: number
    last: number
  },
  /** asked: when a person did, none where nobody does; until: the last frame that is wanted, all without. */
  { asked = new Date(), until }: Asking = {},
): Promise<void> {
  await store.db
    .insertInto('result')
    .values({
      key: row.key,
      kind: row.kind,
      settings: JSON.stringify(row.settings),
      shot_id: row.shot,
      item: row.item,
      state: 'waiting',
      first: row.first,
      last: row.last,
      machine: null,
      lease_until: null,
      error: null,
      asked,
      until: until ?? null,
    })
    .onConflict((c) =>
      c.column('key').doUpdateSet({
        used: sql`now()`,
        shot_id: row.shot,
        item: row.item,
        asked: sql`greatest(result.asked, excluded.asked)`,
        // What is on its way for a longer range stays so.
        until: sql`case when result.state in ('waiting', 'running') and (result.until is null or result.until > excluded.until)
          then result.until else excluded.until end`,
      }),
    )
    .execute()
}

export async function resultRows(store: Store, keys: readonly string[]): Promise<Map<string, ResultRow>> {
  if (keys.length === 0) return new Map()
  const rows = await store.db
    .selectFrom('result')
    .leftJoin('result_frame', 'result_frame.key', 'result.key')
    .where(sql<boolean>`result.key = any(${keys})`)
    .select([
      'result.key',
      'result.kind',
      'result.state',
      'result.item',
      'result.shot_id',
      'result.first',
      'result.last',
      'result.seconds',
      'result.error',
      'result.machine',
      'result.share',
      'result.doing',
      'result.run_up',
      'result.ahead',
      SINCE.as('for'),
    ])
    .select((e) => e.fn.count('result_frame.frame').as('kept'))
    .groupBy('result.key')
    .execute()
  return new Map(
    rows.map((row) => [
      row.key,
      {
        key: row.key,
        kind: row.kind,
        state: row.state,
        item: row.item,
        shot: row.shot_id,
        first: row.first,
        last: row.last,
        seconds: row.seconds,
        kept: Number(row.kept),
        error: row.error as ResultRow['error'],
        machine: row.machine,
        share: row.share,
        doing: row.doing,
        preRoll: row.run_up,
        ahead: row.ahead,
        since: row.for,
      },
    ]),
  )
}

/** Keys of the runs of these outputs that are under way or wait, in the order in which machines take them: the newest ask first. */
export async function runsInLine(store: Store, outputs: readonly string[]): Promise<string[]> {
  const rows = await store.db
    .selectFrom('result')
    .select('key')
    .where('kind', 'in', [...outputs])
    .where('state', 'in', ['running', 'waiting'])
    .orderBy(sql`asked desc nulls last`)
    .orderBy('since')
    .execute()
  return rows.map(({ key }) => key)
}

const PACE_FRAMES = 200

/** Seconds that frames took, and their work. */
export interface LateWork {
  output: string
  seconds: number
  work: number
}

/** Of the frames of these outputs that were kept last, by run: the seconds that they took and their work. Older frames tell their work as cells times steps. */
export async function lateWork(store: Store, outputs: readonly string[]): Promise<Map<string, LateWork>> {
  const late = store.db
    .selectFrom('result_frame')
    .innerJoin('result', 'result.key', 'result_frame.key')
    .select(['result_frame.key', 'result.kind', 'result_frame.figures'])
    .where('result.kind', 'in', [...outputs])
    .where(sql<boolean>`result_frame.figures ?| array['work', 'steps']`)
    .orderBy('result_frame.created', 'desc')
    .limit(PACE_FRAMES)
  const rows = await store.db
    .selectFrom(late.as('late'))
    .select([
      'key',
      'kind',
      sql<number>`sum((figures->>'seconds')::float8)`.as('seconds'),
      sql<number>`sum(coalesce((figures->>'work')::float8, (figures->>'cells')::float8 * (figures->>'steps')::float8))`.as(
        'work',
      ),
    ])
    .groupBy(['key', 'kind'])
    .execute()
  return new Map(rows.map(({ key, kind, seconds, work }) => [key, { output: kind, seconds, work }]))
}

/** Frames that are kept under each of these keys; a key without any is left out. */
export async function keptCounts(store: Store, keys: readonly string[]): Promise<Map<string, number>> {
  if (keys.length === 0) return new Map()
  const rows = await store.db
    .selectFrom('result_frame')
    .select((e) => ['key', e.fn.countAll<number>().as('kept')])
    .where(sql<boolean>`key = any(${keys})`)
    .groupBy('key')
    .execute()
  return new Map(rows.map(({ key, kept }) => [key, Number(kept)]))
}

/** Frames that a shot's older results have, by what they are of: those of results that are none of `keys`. */
export async function olderFrames(
  store: Store,
  shot: number,
  keys: readonly string[],
): Promise<ReadonlyMap<string, readonly number[]>> {
  const rows = await store.db
    .selectFrom('result')
    .innerJoin('result_frame', 'result_frame.key', 'result.key')
    .select(['result.item', 'result_frame.frame'])
    .distinct()
    .where('result.shot_id', '=', shot)
    .where(sql<boolean>`not (result.key = any(${keys}))`)
    .orderBy('result_frame.frame')
    .execute()
  const frames = new Map<string, number[]>()
  for (const { item, frame } of rows) {
    if (item === null) continue
    const of = frames.get(item) ?? []
    frames.set(item, of)
    of.push(frame)
  }
  return frames
}

/** Keeps what a rough run told of a run's work, frame by frame, pre-roll counted. */
export async function tellAhead(store: Store, key: string, ahead: readonly number[]): Promise<void> {
  await store.db
    .updateTable('result')
    .set({ ahead: JSON.stringify(ahead) })
    .where('key', '=', key)
    .execute()
  await notify(store.db, { what: 'result', key, state: 'waiting' })
}

export async function setResultState(
  store: Store,
  key: string,
  state: ResultState,
  error: object | null = null,
): Promise<void> {
  await store.db
    .updateTable('result')
    .set({ state, error: error && JSON.stringify(error), ...(state === 'waiting' ? { since: sql`now()` } : {}) })
    .where('key', '=', key)
    .execute()
  await notify(store.db, { what: 'result', key, state })
}

/** Adds to the seconds of a result: what it took, or is told to take. */
export async function addSeconds(store: Store, key: string, seconds: number): Promise<void> {
  await store.db
    .updateTable('result')
    .set((e) => ({ seconds: e('seconds', '+', seconds) }))
    .where('key', '=', key)
    .execute()
  await notify(store.db, { what: 'result', key, state: 'running' })
}

/** Says that a result is being made; false, and nothing is said, where it was stopped meanwhile. */
export async function startResult(store: Store, key: string): Promise<boolean> {
  const row = await store.db
    .updateTable('result')
    .set({ state: 'running', error: null })
    .where('key', '=', key)
    .where('state', '<>', 'stopped')
    .returning('key')
    .executeTakeFirst()
  if (row) await notify(store.db, { what: 'result', key, state: 'running' })
  return row !== undefined
}

export async function resultState(store: Store, key: string): Promise<ResultState | undefined> {
  return (await store.db.selectFrom('result').select('state').where('key', '=', key).executeTakeFirst())?.state
}

/** When a result was asked for. */
export async function askedAt(store: Store, key: string): Promise<Date | null> {
  return (await store.db.selectFrom('result').select('asked').where('key', '=', key).executeTakeFirst())?.asked ?? null
}

/** Puts a run down where no more than its frames up to this one are wanted. False where more are, also where that was asked a moment ago. */
export async function isEnough(store: Store, key: string, frame: number): Promise<boolean> {
  const row = await store.db
    .updateTable('result')
    .set({ state: 'stopped' })
    .where('key', '=', key)
    .where('until', '<=', frame)
    .returning('key')
    .executeTakeFirst()
  if (row) await notify(store.db, { what: 'result', key, state: 'stopped' })
  return row !== undefined
}

export interface KeptFrame {
  key: string
  frame: number
  blob: string
  figures: Record<string, unknown>
  /** Of a run that goes from frame to frame: the key of all that decided it up to here. */
  chain?: string | null
}

export async function keptFrames(store: Store, keys: readonly string[]): Promise<KeptFrame[]> {
  if (keys.length === 0) return []
  const rows = await store.db
    .selectFrom('result_frame')
    .select(['key', 'frame', 'blob', 'figures'])
    .where(sql<boolean>`key = any(${keys})`)
    .orderBy('frame')
    .execute()
  return rows.map((row) => ({ ...row, figures: row.figures as Record<string, unknown> }))
}

export async function keptFrame(store: Store, key: string, frame: number): Promise<KeptFrame | undefined> {
  const row = await store.db
    .selectFrom('result_frame')
    .select(['key', 'frame', 'blob', 'figures'])
    .where('key', '=', key)
    .where('frame', '=', frame)
    .executeTakeFirst()
  return row && { ...row, figures: row.figures as Record<string, unknown> }
}

/** Keeps a frame once; a holder whose lease was taken over keeps nothing. Returns whether the fence still stood. */
export async function insertFrame(
  store: Store,
  frame: KeptFrame,
  fence: number | undefined,
  seconds: number,
): Promise<boolean> {
  return store.db.transaction().execute(async (db) => {
    const held = await db
      .updateTable('result')
      .set((e) => ({ seconds: e('seconds', '+', seconds), used: sql`now()` }))
      .where('key', '=', frame.key)
      .$if(fence !== undefined, (q) => q.where('fence', '=', fence ?? 0))
      .returning('key')
      .executeTakeFirst()
    if (!held) return false
    await db
      .insertInto('result_frame')
      .values({
        key: frame.key,
        frame: frame.frame,
        blob: frame.blob,
        figures: JSON.stringify(frame.figures),
        chain: frame.chain ?? null,
      })
      .onConflict((c) => c.doNothing())
      .execute()
    await notify(db, { what: 'frame', key: frame.key, frame: frame.frame })
    return true
  })
}

/** Takes over frames that other runs have kept and that the same decided. chains: key by frame. Returns how many. */
export async function takeOverFrames(store: Store, key: string, chains: ReadonlyMap<number, string>): Promise<number> {
  if (chains.size === 0) return 0
  const frames = new Map([...chains].map(([frame, chain]) => [chain, frame]))
  const rows = await store.db
    .selectFrom('result_frame')
    .select(['frame', 'blob', 'figures', 'chain'])
    .where('chain', 'in', [...chains.values()])
    .where('key', '!=', key)
    .execute()
  const found = new Map(
    rows.flatMap((row) => (row.chain && frames.get(row.chain) === row.frame ? [[row.frame, row] as const] : [])),
  )
  if (found.size === 0) return 0
  const made = await store.db
    .insertInto('result_frame')
    .values(
      [...found.values()].map((row) => ({
        key,
        frame: row.frame,
        blob: row.blob,
        figures: JSON.stringify(row.figures),
        chain: row.chain,
      })),
    )
    .onConflict((c) => c.doNothing())
    .returning('frame')
    .execute()
  if (made.length > 0) await notify(store.db, { what: 'result', key, state: 'waiting' })
  return made.length
}

/** The file of a kept frame, of whatever run, by the key of all that decided it. */
export const frameOfChain = async (store: Store, chain: string): Promise<string | undefined> =>
  (await store.db.selectFrom('result_frame').select('blob').where('chain', '=', chain).limit(1).executeTakeFirst())
    ?.blob

export async function resultSettings(
  store: Store,
  key: string,
): Promise<{ settings: unknown; shot: number | null; item: string | null; first: number; last: number } | undefined> {
  const row = await store.db
    .selectFrom('result')
    .select(['settings', 'shot_id', 'item', 'first', 'last'])
    .where('key', '=', key)
    .executeTakeFirst()
  return row && { settings: row.settings, shot: row.shot_id, item: row.item, first: row.first, last: row.last }
}
