import type { ResolvedItem, Run } from '@lantern/core/effects'
import { effectOf } from '@lantern/core/shot'
import type { Store } from '../open.ts'
import { type Asset, getAsset } from '../queries/assets.ts'
import { liveMachines } from '../queries/machines.ts'
import { type KeptFrame, keptFrames, type ResultRow, resultRows, staleFrames } from '../queries/results.ts'
import type { Shot } from '../queries/shots.ts'
import { handOffKey } from './handOff.ts'
import { type MatchStatus, matchStatus } from './match.ts'
import { type PlateStatus, plateStatus } from './readings.ts'
import { resultItem } from './request.ts'
import { type ResolvedShot, resolveShot } from './resolve.ts'
import { type RoughRuns, secondsLeft } from './runStatus.ts'

type State = ResultRow['state'] | 'missing'

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
  machines: { id: string; doing: string | null }[]
  match: MatchStatus
  readings: PlateStatus
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

async function pictureStatus(
  store: Store,
  shot: Shot,
  quality: 'look' | 'final',
  keys: ReadonlyMap<number, string>,
): Promise<PictureStatus> {
  const rows = await resultRows(store, [...keys.values()])
  const kept = [...keys].filter(([, key]) => (rows.get(key)?.kept ?? 0) > 0).map(([frame]) => frame)
  const all = [...rows.values()]
  const busy = all.filter((row) => row.state === 'running' || row.state === 'waiting')
  const done = all.filter((row) => row.kept > 0)
  const seconds = done.reduce((sum, row) => sum + row.seconds, 0)
  return {
    state: pictureState(all, kept.length === keys.size && keys.size > 0),
    kept,
    stale: await staleFrames(store, shot.id, `picture-${quality}`, [...keys.values()], kept),
    error: all.find((row) => row.state === 'failed')?.error ?? null,
    secondsLeft: busy.length > 0 && done.length > 1 ? (seconds / done.length) * busy.length : null,
    keys: Object.fromEntries(keys),
  }
}

async function handOffStatus(store: Store, resolved: ResolvedShot): Promise<ShotStatus['handOffs']> {
  const wanted = (['look', 'final'] as const).flatMap((quality) =>
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

/** Rows and frames of all runs of a shot, read at once. */
interface Kept {
  rows: ReadonlyMap<string, ResultRow>
  frames: ReadonlyMap<string, readonly KeptFrame[]>
}

async function keptOf(store: Store, items: readonly ResolvedItem[]): Promise<Kept> {
  const keys = items.flatMap(({ runs }) => runs.map(({ key }) => key))
  const frames = new Map<string, KeptFrame[]>(keys.map((key) => [key, []]))
  for (const frame of await keptFrames(store, keys)) frames.get(frame.key)?.push(frame)
  return { rows: await resultRows(store, keys), frames }
}

async function runStatus(
  store: Store,
  shot: Shot,
  run: Run,
  first: boolean,
  all: Kept,
  rough: RoughRuns,
): Promise<RunStatus> {
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
    stale: await staleFrames(store, shot.id, resultItem(run, first), [key], kept),
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
      stale: await staleFrames(store, shot.id, item, [], []),
      error: error?.toJSON() ?? null,
      secondsLeft: null,
      doing: null,
      figures: [],
      derived: [],
    }
  const names = effectOf(shot.document.items[item])?.frameFigures ?? []
  const derived: RunStatus[] = []
  for (const run of others) derived.push(await runStatus(store, shot, run, false, all, rough))
  return {
    ...(await runStatus(store, shot, own, true, all, rough)),
    figures: shownFigures(all.frames.get(own.key) ?? [], names),
    derived,
  }
}

/** Everything the line, the roster and the strip show of a shot's results. */
export async function shotStatus(store: Store, shot: Shot): Promise<ShotStatus> {
  const { document } = shot
  const resolved = await resolveShot(store, shot)
  const all = await keptOf(store, resolved.items)
  const rough: RoughRuns = new Map(resolved.items.flatMap(({ runs }) => runs.map((run) => [run.key, run])))
  const items: Record<string, ItemStatus> = {}
  for (const one of resolved.items) items[one.item] = await itemStatus(store, shot, one, all, rough)
  return {
    head: shot.head,
    asset: await getAsset(store, document.plate.asset),
    items,
    look: await pictureStatus(store, shot, 'look', resolved.pictureKeys('look')),
    final: await pictureStatus(store, shot, 'final', resolved.pictureKeys('final')),
    machines: await liveMachines(store),
    match: await matchStatus(store, document),
    readings: await plateStatus(store, document),
    handOffs: await handOffStatus(store, resolved),
  }
}
