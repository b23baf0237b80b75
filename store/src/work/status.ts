import { lastFrames, roughWork, runOf, type RunSoFar, timeLeft, timeLeftByTurns } from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import type { Store } from '../open.ts'
import { getAsset, type Asset } from '../queries/assets.ts'
import { liveMachines } from '../queries/machines.ts'
import { gasesInLine, type KeptFrame, keptFrames, lateWork, type ResultRow, resultRows } from '../queries/results.ts'
import type { Shot } from '../queries/shots.ts'
import { handOffKey } from './handOff.ts'
import { matchStatus, type MatchStatus } from './match.ts'
import { type PlateStatus, plateStatus } from './readings.ts'
import { pictureKeys } from './plan.ts'
import { type GasPlan, type ShotWorld, worldOf } from './world.ts'

/** What is kept, stale and missing of one thing, for its strip row. */
export interface KeptStatus {
  state: ResultRow['state'] | 'missing'
  /** Frames kept under the present recipe, and frames that only an older recipe has. */
  kept: number[]
  stale: number[]
  error: ResultRow['error']
  secondsLeft: number | null
}
export interface GasStatus extends KeptStatus {
  key: string
  /** Frames of its run: the plate's, or those that were taken in. */
  first: number
  last: number
  /** Key of the run made finer, and what of it is kept; none where it is not wanted. */
  finer?: { key: string; kept: number[]; state: ResultRow['state'] | 'missing'; error: ResultRow['error'] }
  /** Per kept frame, in the order of `kept`. */
  heatKw: number[]
  figures: GasFigureRow[]
  /** Of a run that keeps nothing yet: how far its run-up is. */
  doing: string | null
}
/** What a kept frame tells of itself. */
export interface GasFigureRow {
  light: number
  height: number
  standing: number
  neck: number
  flame: number
  centre: readonly number[]
  seconds: number
}
export interface PictureStatus extends KeptStatus {
  /** Key per frame. */
  keys: Record<number, string>
}
export interface ShotStatus {
  head: number
  asset: Asset
  gases: Record<string, GasStatus>
  look: PictureStatus
  final: PictureStatus
  machines: { id: string; doing: string | null }[]
  match: MatchStatus
  readings: PlateStatus
  /** By form and quality: movie-final and on. */
  handOffs: Record<
    string,
    { key: string; state: ResultRow['state'] | 'missing'; error: ResultRow['error']; bytes?: number }
  >
}

async function staleFrames(
  store: Store,
  shot: number,
  item: string,
  keys: readonly string[],
  kept: readonly number[],
): Promise<number[]> {
  const rows = await store.db
    .selectFrom('result')
    .innerJoin('result_frame', 'result_frame.key', 'result.key')
    .select('result_frame.frame')
    .distinct()
    .where('result.shot_id', '=', shot)
    .where('result.item', '=', item)
    .$if(keys.length > 0, (q) => q.where('result.key', 'not in', [...keys]))
    .execute()
  const fresh = new Set(kept)
  return rows
    .map((row) => row.frame)
    .filter((frame) => !fresh.has(frame))
    .sort((a, b) => a - b)
}

async function pictureStatus(
  store: Store,
  shot: Shot,
  quality: 'look' | 'final',
  keys: Map<number, string>,
): Promise<PictureStatus> {
  const rows = await resultRows(store, [...keys.values()])
  const kept = [...keys].filter(([, key]) => (rows.get(key)?.kept ?? 0) > 0).map(([frame]) => frame)
  const states = [...rows.values()]
  const busy = states.filter((row) => row.state === 'running' || row.state === 'waiting')
  const failed = states.find((row) => row.state === 'failed')
  const done = states.filter((row) => row.kept > 0)
  const seconds = done.reduce((sum, row) => sum + row.seconds, 0)
  return {
    state:
      failed && busy.length === 0
        ? 'failed'
        : busy.length > 0
          ? 'running'
          : kept.length === keys.size && keys.size > 0
            ? 'done'
            : states.some((row) => row.state === 'stopped')
              ? 'stopped'
              : 'missing',
    kept,
    stale: await staleFrames(store, shot.id, `picture-${quality}`, [...keys.values()], kept),
    error: failed?.error ?? null,
    secondsLeft: busy.length > 0 && done.length > 1 ? (seconds / done.length) * busy.length : null,
    keys: Object.fromEntries(keys),
  }
}

async function handOffStatus(store: Store, world: ShotWorld): Promise<ShotStatus['handOffs']> {
  const wanted = (['look', 'final'] as const).flatMap((quality) =>
    (['movie', 'exr'] as const).map((form) => ({ id: `${form}-${quality}`, key: handOffKey(world, quality, form) })),
  )
  const keys = wanted.map(({ key }) => key)
  const [rows, frames] = [await resultRows(store, keys), await keptFrames(store, keys)]
  return Object.fromEntries(
    wanted.map(({ id, key }) => {
      const bytes = frames.find((frame) => frame.key === key)?.figures.bytes
      return [
        id,
        {
          key,
          state: rows.get(key)?.state ?? 'missing',
          error: rows.get(key)?.error ?? null,
          ...(typeof bytes === 'number' ? { bytes } : {}),
        },
      ]
    }),
  )
}

const number = (value: unknown): number => (typeof value === 'number' ? value : 0)

interface GasWork {
  work: number
  runUp: number
}

/** Of each gas of the shot by key: how much work a frame of it is, roughly, and the frames that it burns before it is kept. */
function worksOf({ document }: Shot, world: ShotWorld): Map<string, GasWork> {
  const [over, under] = document.plate.rate
  return new Map(
    world.gases.flatMap(({ item, key }): [string, GasWork][] => {
      const gas = document.items[item]
      return key && gas?.kind === 'gas' ? [[key, { work: roughWork(gas, over / under), runUp: gas.runUp }]] : []
    }),
  )
}

const total = (values: readonly number[]): number => values.reduce((sum, one) => sum + one, 0)

const runSoFar = (row: ResultRow, kept: readonly KeptFrame[], works: ReadonlyMap<string, GasWork>): RunSoFar => {
  const count = row.last - row.first + 1
  // Of another shot's gas that was told ahead; else all that is known of its run-up.
  const runUp = works.get(row.key)?.runUp ?? (row.ahead.length > 0 ? row.ahead.length - count : row.runUp.length)
  return {
    done: [
      ...row.runUp.map(([seconds, work], at) => ({ at, seconds, work })),
      ...kept.map(({ frame, figures }) => ({
        at: runUp + frame - row.first,
        seconds: number(figures.seconds),
        work: number(figures.cells) * number(figures.steps),
      })),
    ],
    total: runUp + count,
    ahead: row.ahead,
  }
}

/** Seconds that a gas still takes beside the others that are under way or wait; null while that is not known. */
async function gasTimeLeft(store: Store, key: string, works: ReadonlyMap<string, GasWork>): Promise<number | null> {
  const line = await gasesInLine(store)
  const [rows, frames, late] = [await resultRows(store, line), await keptFrames(store, line), await lateWork(store)]
  const runs = line.flatMap((one) => {
    const row = rows.get(one)
    return row
      ? [
          {
            row,
            run: runSoFar(
              row,
              frames.filter((frame) => frame.key === one),
              works,
            ),
          },
        ]
      : []
  })
  const own = runs.findIndex(({ row }) => row.key === key)
  for (const { row, run } of runs) {
    // Frames that were taken in were no work here.
    const last = lastFrames(run.done).filter(({ work }) => work > 0)
    if (last.length > 0)
      late.set(row.key, {
        seconds: total(last.map(({ seconds }) => seconds)),
        work: total(last.map(({ work }) => work)),
      })
  }
  const elsewhere = (without: string): { seconds: number; work: number } => {
    const others = [...late].flatMap(([other, one]) => (other === without ? [] : [one]))
    return { seconds: total(others.map(({ seconds }) => seconds)), work: total(others.map(({ work }) => work)) }
  }
  const left = runs.map(({ row, run }) => timeLeft(run, elsewhere(row.key)))
  const [mine, needs] = [runs[own]?.run, left[own] ?? null]
  if (!mine || needs === null) return null
  // One of which nothing is known yet is taken to need as long a frame as this one, by the work that it roughly is.
  const each = needs / Math.max(1, mine.total - 1 - (mine.done.at(-1)?.at ?? -1))
  const guess = ({ row, run }: (typeof runs)[number]): number => {
    const work = (works.get(row.key)?.work ?? Number.NaN) / (works.get(key)?.work ?? Number.NaN)
    return each * (Number.isFinite(work) ? work : 1) * (run.total - run.done.length)
  }
  const inLine = runs.map((one, n) => ({
    need: left[n] ?? guess(one),
    ...(one.row.machine === null ? {} : { turn: one.row.since }),
  }))
  return timeLeftByTurns(inLine, own, new Set(runs.flatMap(({ row }) => row.machine ?? [])).size)
}

async function gasStatus(
  store: Store,
  shot: Shot,
  plan: GasPlan,
  works: ReadonlyMap<string, GasWork>,
): Promise<GasStatus> {
  const item = shot.document.items[plan.item]
  const { first, last } = item?.kind === 'gas' ? runOf(shot.document, item) : shot.document.plate
  const none: GasStatus = {
    key: '',
    first,
    last,
    state: 'missing',
    kept: [],
    stale: [],
    error: plan.error?.toJSON() ?? null,
    secondsLeft: null,
    heatKw: [],
    figures: [],
    doing: null,
  }
  if (!plan.key) return { ...none, stale: await staleFrames(store, shot.id, plan.item, [], []) }
  const row = (await resultRows(store, [plan.key])).get(plan.key)
  const frames = await keptFrames(store, [plan.key])
  const kept = frames.map(({ frame }) => frame)
  const finerRow = plan.finer ? (await resultRows(store, [plan.finer])).get(plan.finer) : undefined
  const finer = plan.finer
    ? {
        finer: {
          key: plan.finer,
          kept: (await keptFrames(store, [plan.finer])).map(({ frame }) => frame),
          state: finerRow?.state ?? ('missing' as const),
          error: finerRow?.error ?? null,
        },
      }
    : {}
  return {
    ...none,
    ...finer,
    key: plan.key,
    state: row?.state ?? 'missing',
    kept,
    stale: await staleFrames(store, shot.id, plan.item, [plan.key], kept),
    error: row?.error ?? null,
    secondsLeft:
      row && (row.state === 'running' || row.state === 'waiting') ? await gasTimeLeft(store, plan.key, works) : null,
    doing: row?.state === 'running' && kept.length === 0 ? row.doing : null,
    heatKw: frames.map(({ figures }) => number(figures.heatKw)),
    figures: frames.map(({ figures }) => ({
      light: number(figures.light),
      height: number(figures.height),
      standing: number(figures.standing),
      neck: number(figures.neck),
      flame: number(figures.flame),
      centre: Array.isArray(figures.centre) ? figures.centre.map(number) : [0, 0, 0],
      seconds: number(figures.seconds),
    })),
  }
}

/** Everything the line, the roster and the strip show of a shot's results. */
export async function shotStatus(store: Store, shot: Shot): Promise<ShotStatus> {
  const document: ShotDocument = shot.document
  const gases: Record<string, GasStatus> = {}
  const world = await worldOf(store, document)
  const works = worksOf(shot, world)
  for (const plan of world.gases) gases[plan.item] = await gasStatus(store, shot, plan, works)
  return {
    head: shot.head,
    asset: await getAsset(store, document.plate.asset),
    gases,
    look: await pictureStatus(store, shot, 'look', pictureKeys(world, 'look')),
    final: await pictureStatus(store, shot, 'final', pictureKeys(world, 'final')),
    machines: await liveMachines(store),
    match: await matchStatus(store, document),
    readings: await plateStatus(store, document),
    handOffs: await handOffStatus(store, world),
  }
}
