import type { ResolvedItem, Run } from '@lantern/core/effects'
import { effectOf } from '@lantern/core/shot'
import type { Store } from '../open.ts'
import { type Asset, getAsset } from '../queries/assets.ts'
import { liveMachines } from '../queries/machines.ts'
import { type KeptFrame, keptFrames, olderFrames, type ResultRow, resultRows } from '../queries/results.ts'
import type { Shot } from '../queries/shots.ts'
import { checkPlanOf } from './check.ts'
import { handOffKey } from './handOff.ts'
import { type MatchStage, type MatchStatus, matchStatus, stagesOf } from './match.ts'
import { matteStatus } from './mattes.ts'
import { type PlateStatus, plateStatus } from './readings.ts'
import { resultItem } from './request.ts'
import { type ResolvedShot, resolveShot } from './resolve.ts'
import { type RoughRuns, secondsLeft } from './runStatus.ts'

type State = ResultRow['state'] | 'missing'
const QUALITIES = ['look', 'final'] as const
type Quality = (typeof QUALITIES)[number]

/** What is kept, stale and missing of one thing, for its strip row. */
export interface KeptStatus {
  state: State
  /** Frames kept under the present recipe, and frames that only an older recipe has. */
  kept: number[]
  stale: number[]
  error: ResultRow['error']
  secondsLeft: number | null
}
/** One run of an item. */
export interface RunStatus extends KeptStatus {
  key: string
  output: string
  first: number
  last: number
  /** Of a run that keeps nothing yet: how far its pre-roll is. */
  doing: string | null
}
/** What a kept frame tells of itself: those of its figures that the interface shows. */
export type FrameFigures = Readonly<Record<string, number | readonly number[]>>
/** An item's own run, and those that are made from it: what is shown is the last. */
export interface ItemStatus extends RunStatus {
  /** Per kept frame, in the order of `kept`. */
  figures: FrameFigures[]
  derived: RunStatus[]
}
export interface PictureStatus extends KeptStatus {
  /** Key per frame. */
  keys: Record<number, string>
}
export interface ShotStatus {
  head: number
  asset: Asset
  /** By item. */
  items: Record<string, ItemStatus>
  look: PictureStatus
  final: PictureStatus
  machines: { id: string; host: string; doing: string | null }[]
  match: MatchStatus
  readings: PlateStatus
  /** Of mattes with strokes that are not carried yet: the cut of each stroked frame. */
  mattes: Record<string, Record<number, MatchStage>>
  /** The sit check of the shot as it is now. */
  check: MatchStage
  /** By form and quality: movie-final and on. */
  handOffs: Record<string, { key: string; state: State; error: ResultRow['error']; bytes?: number }>
}

function pictureState(rows: readonly ResultRow[], whole: boolean): State {
  const busy = rows.some((row) => row.state === 'running' || row.state === 'waiting')
  if (busy) return 'running'
  if (rows.some((row) => row.state === 'failed')) return 'failed'
  if (whole) return 'done'
  return rows.some((row) => row.state === 'stopped') ? 'stopped' : 'missing'
}

function pictureStatus(all: Kept, quality: Quality, keys: ReadonlyMap<number, string>): PictureStatus {
  const rows = [...keys.values()].flatMap((key) => all.rows.get(key) ?? [])
  const kept = [...keys].filter(([, key]) => (all.rows.get(key)?.kept ?? 0) > 0).map(([frame]) => frame)
  const busy = rows.filter((row) => row.state === 'running' || row.state === 'waiting')
  const done = rows.filter((row) => row.kept > 0)
  // Frames that are kept tell how long the others take; before there are any, what was told of the first one.
  const timed = done.length > 0 ? done : rows.filter((row) => row.seconds > 0)
  const seconds = timed.reduce((sum, row) => sum + row.seconds, 0)
  return {
    state: pictureState(rows, kept.length === keys.size && keys.size > 0),
    kept,
    stale: staleOf(all, `picture-${quality}`, kept),
    error: rows.find((row) => row.state === 'failed')?.error ?? null,
    secondsLeft: busy.length > 0 && timed.length > 0 ? (seconds / timed.length) * busy.length : null,
    keys: Object.fromEntries(keys),
  }
}

async function handOffStatus(store: Store, resolved: ResolvedShot): Promise<ShotStatus['handOffs']> {
  const wanted = QUALITIES.flatMap((quality) =>
    (['movie', 'exr'] as const).map((form) => ({ id: `${form}-${quality}`, key: handOffKey(resolved, quality, form) })),
  )
  const keys = wanted.map(({ key }) => key)
  const [rows, frames] = [await resultRows(store, keys), await keptFrames(store, keys)]
  return Object.fromEntries(
    wanted.map(({ id, key }) => {
      const bytes = frames.find((frame) => frame.key === key)?.figures.bytes
      const row = rows.get(key)
      return [
        id,
        {
          key,
          state: row?.state ?? 'missing',
          error: row?.error ?? null,
          ...(typeof bytes === 'number' ? { bytes } : {}),
        },
      ]
    }),
  )
}

/** Rows and frames of all runs and pictures of a shot, and what only its older results have, read at once. */
interface Kept {
  rows: ReadonlyMap<string, ResultRow>
  frames: ReadonlyMap<string, readonly KeptFrame[]>
  older: ReadonlyMap<string, readonly number[]>
}

/** Frames of a thing's older results that its present ones lack. */
function staleOf({ older }: Kept, item: string, kept: readonly number[]): number[] {
  const fresh = new Set(kept)
  return (older.get(item) ?? []).filter((frame) => !fresh.has(frame))
}

async function keptOf(store: Store, shot: Shot, resolved: ResolvedShot): Promise<Kept> {
  const runs = resolved.items.flatMap(({ runs: all }) => all.map(({ key }) => key))
  const pictures = QUALITIES.flatMap((quality) => [...resolved.pictureKeys(quality).values()])
  const keys = [...runs, ...pictures]
  const [rows, kept, older] = await Promise.all([
    resultRows(store, keys),
    keptFrames(store, runs),
    olderFrames(store, shot.id, keys),
  ])
  const frames = new Map<string, KeptFrame[]>(runs.map((key) => [key, []]))
  for (const frame of kept) frames.get(frame.key)?.push(frame)
  return { rows, frames, older }
}

async function runStatus(store: Store, run: Run, first: boolean, all: Kept, rough: RoughRuns): Promise<RunStatus> {
  const { key, output } = run
  const row = all.rows.get(key)
  const kept = all.frames.get(key)?.map(({ frame }) => frame) ?? []
  const busy = row?.state === 'running' || row?.state === 'waiting'
  return {
    key,
    output,
    first: run.first,
    last: run.last,
    state: row?.state ?? 'missing',
    kept,
    stale: staleOf(all, resultItem(run, first), kept),
    error: row?.error ?? null,
    secondsLeft: busy && run.bake.way === 'steps' ? await secondsLeft(store, key, rough) : null,
    doing: row?.state === 'running' && kept.length === 0 ? row.doing : null,
  }
}

const isFigure = (value: unknown): value is number | number[] =>
  typeof value === 'number' || (Array.isArray(value) && value.every((one) => typeof one === 'number'))

/** The figures of kept frames that the interface shows. */
const shownFigures = (frames: readonly KeptFrame[], names: readonly string[]): FrameFigures[] =>
  frames.map(({ figures }) =>
    Object.fromEntries(
      names.flatMap((name) => {
        const value = figures[name]
        return isFigure(value) ? [[name, value]] : []
      }),
    ),
  )

async function itemStatus(
  store: Store,
  shot: Shot,
  { item, runs, error }: ResolvedItem,
  all: Kept,
  rough: RoughRuns,
): Promise<ItemStatus> {
  const { first, last } = shot.document.plate
  const [own, ...others] = runs
  if (!own)
    return {
      key: '',
      output: '',
      first,
      last,
      state: 'missing',
      kept: [],
      stale: staleOf(all, item, []),
      error: error?.toJSON() ?? null,
      secondsLeft: null,
      doing: null,
      figures: [],
      derived: [],
    }
  const names = effectOf(shot.document.items[item])?.frameFigures ?? []
  const derived: RunStatus[] = []
  for (const run of others) derived.push(await runStatus(store, run, false, all, rough))
  return {
    ...(await runStatus(store, own, true, all, rough)),
    figures: shownFigures(all.frames.get(own.key) ?? [], names),
    derived,
  }
}

/** Everything the line, the roster and the strip show of a shot's results. */
export async function shotStatus(store: Store, shot: Shot): Promise<ShotStatus> {
  const resolved = await resolveShot(store, shot)
  // The same object while nothing is edited, so that what is made of it is remembered with it.
  const { document } = resolved
  const all = await keptOf(store, shot, resolved)
  const rough: RoughRuns = new Map(resolved.items.flatMap(({ runs }) => runs.map((run) => [run.key, run])))
  const [items, asset, machines, match, readings, mattes, handOffs] = await Promise.all([
    Promise.all(resolved.items.map(async (one) => [one.item, await itemStatus(store, shot, one, all, rough)] as const)),
    getAsset(store, document.plate.asset),
    liveMachines(store),
    matchStatus(store, document),
    plateStatus(store, document),
    matteStatus(store, document),
    handOffStatus(store, resolved),
  ])
  const look = pictureStatus(all, 'look', resolved.pictureKeys('look'))
  const final = pictureStatus(all, 'final', resolved.pictureKeys('final'))
  const check = checkPlanOf(resolved, { look: look.kept, final: final.kept }).key
  return {
    head: shot.head,
    asset,
    items: Object.fromEntries(items),
    look,
    final,
    check: (await stagesOf(store, [check]))(check),
    machines,
    match,
    readings,
    mattes,
    handOffs,
  }
}
