import { makeWorkerUtils, type TaskSpec, type WorkerUtils } from 'graphile-worker'
import { z } from 'zod'
import type { Store } from './open.ts'

const bakeJob = z.object({ key: z.string(), shot: z.int(), item: z.string(), output: z.string() })

const pictureJob = z.object({
  shot: z.int(),
  frames: z.array(z.object({ frame: z.int(), key: z.string() })).min(1),
  quality: z.enum(['look', 'final']),
})

/** What the farm can be asked for. Every payload is checked again by the one who takes it. */
export const jobSchemas = {
  plate: z.object({
    asset: z.string(),
    path: z.string(),
    kind: z.enum(['movie', 'stills']),
    rate: z.tuple([z.int(), z.int()]).optional(),
    shot: z.string().optional(),
  }),
  /** Makes the frames of one of an item's runs. */
  bake: bakeJob,
  /** Tells ahead how much work a run will be. */
  estimate: bakeJob,
  picture: pictureJob,
  /** The same for a frame that a person looks at. */
  shown: pictureJob,
  /** Follows the plate and, where a solve's key is given, solves its camera. */
  match: z.object({ shot: z.int(), tracks: z.string(), solve: z.string().optional() }),
  /** Follows a thing that moves by itself, and solves where it is. */
  thing: z.object({ shot: z.int(), thing: z.string(), tracks: z.string(), solve: z.string() }),
  /** Takes a reading of the plate. */
  reading: z.object({ shot: z.int(), reading: z.string(), key: z.string() }),
  /** Measures the plate, over a reading's drawn shape or over the frame. */
  report: z.object({ shot: z.int(), reading: z.string().optional(), tracks: z.string().optional(), key: z.string() }),
  /** Follows one track set by hand. */
  hand: z.object({ shot: z.int(), hand: z.string(), key: z.string() }),
  /** Cuts one stroked frame of a matte. */
  stroke: z.object({ shot: z.int(), item: z.string(), frame: z.int(), key: z.string() }),
  handOff: z.object({ key: z.string(), shot: z.int() }),
  /** Checks how a shot's layers sit. */
  check: z.object({ key: z.string(), shot: z.int() }),
} as const
export type JobName = keyof typeof jobSchemas
export type JobPayload<N extends JobName> = z.infer<(typeof jobSchemas)[N]>

/** What a person waits for in front of the screen. It has a machine of its own, and the others let it have the cores meanwhile. */
export const NOW: readonly JobName[] = [
  'plate',
  'shown',
  'match',
  'thing',
  'hand',
  'stroke',
  'reading',
  'report',
  'check',
]
/** What nobody took for so long is no reason to wait: there may be no machine for it, s. */
const TAKEN_WITHIN = 10

/** Whether on this host something is computed that a person waits for, or will be at once. */
export async function nowIsBusy(store: Store, host: string): Promise<boolean> {
  const { rows } = await store.pool.query(
    `select 1 from graphile_worker.jobs left join machine on machine.id = locked_by
     where task_identifier = any($1) and attempts < max_attempts
     and case when locked_by is null then run_at <= now() and created_at > now() - make_interval(secs => $2) else host = $3 end
     limit 1`,
    [NOW, TAKEN_WITHIN, host],
  )
  return rows.length > 0
}

/** What nobody asked for, as the demo's runs: after whatever somebody did. */
const BACKGROUND = 1000
/** What is made of one ask, in this order: how long its runs will take, the runs, pictures, hand-offs. */
const ORDER: Partial<Record<JobName, number>> = { estimate: 0, bake: 1, shown: 2, picture: 3, handOff: 4 }
const LONG_AGO = Date.UTC(2000, 0, 1)
const FAR_AHEAD = Date.UTC(2100, 0, 1)
/** Asks that are so much apart, ms, stand one after another. */
const APART = 50

/** Where a job stands in line: the newest ask first, which the queue, taking the earliest time first, is told by times long ago; what nobody asked for last. */
export function placeInLine(name: JobName, asked: Date | null): Required<Pick<TaskSpec, 'priority' | 'runAt'>> {
  const order = ORDER[name] ?? 0
  if (asked === null) return { priority: BACKGROUND + order, runAt: new Date() }
  return { priority: 0, runAt: new Date(LONG_AGO + (FAR_AHEAD - asked.getTime()) / APART + 8 * order) }
}

/** A machine that goes down with a job uses one up; what breaks without that says so on its result and is not tried again. */
const MOST_ATTEMPTS = 25

const utils = new WeakMap<Store, Promise<WorkerUtils>>()

async function worker(store: Store): Promise<WorkerUtils> {
  let made = utils.get(store)
  if (!made) {
    made = makeWorkerUtils({ pgPool: store.pool })
    utils.set(store, made)
    made.catch(() => utils.delete(store))
  }
  return made
}

/** Queues a job. A jobKey that is queued already and not running is replaced, not doubled. */
export async function queueJob<N extends JobName>(
  store: Store,
  name: N,
  payload: JobPayload<N>,
  spec: Pick<TaskSpec, 'jobKey' | 'priority' | 'runAt'> = {},
): Promise<void> {
  await (await worker(store)).addJob<string>(name, jobSchemas[name].parse(payload), {
    maxAttempts: MOST_ATTEMPTS,
    ...spec,
  })
}

/** Gives back the jobs of workers that are gone. */
export async function unlockWorkers(store: Store, ids: readonly string[]): Promise<void> {
  if (ids.length > 0) await (await worker(store)).forceUnlockWorkers([...ids])
}

const ORPHAN_SECONDS = 60

/** Who holds jobs without being a machine that beats, for a minute or more: left over from a crash. */
export async function orphanedLocks(store: Store): Promise<string[]> {
  const { rows } = await store.pool.query<{ id: string }>(
    'select distinct locked_by as id from graphile_worker.jobs where locked_by is not null and locked_at < now() - make_interval(secs => $1) and locked_by not in (select id from machine)',
    [ORPHAN_SECONDS],
  )
  return rows.map(({ id }) => id)
}

/** Takes waiting (not running) jobs of a key prefix off the queue. */
export async function cancelJobs(store: Store, jobKeyPrefix: string): Promise<void> {
  const { rows } = await store.pool.query<{ id: string }>(
    "select id::text from graphile_worker.jobs where key like $1 || '%' and locked_at is null",
    [jobKeyPrefix],
  )
  if (rows.length > 0) await (await worker(store)).completeJobs(rows.map(({ id }) => id))
}
