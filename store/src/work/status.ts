import type { ShotDocument } from '@lantern/core/shot'
import type { Store } from '../open.ts'
import { getAsset, type Asset } from '../queries/assets.ts'
import { liveMachines } from '../queries/machines.ts'
import { keptFrames, type ResultRow, resultRows } from '../queries/results.ts'
import type { Shot } from '../queries/shots.ts'
import { handOffKey } from './handOff.ts'
import { matchStatus, type MatchStatus } from './match.ts'
import { type PlateStatus, plateStatus } from './readings.ts'
import { cameraPathOf, gasKeys, pictureKeys } from './plan.ts'

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
  /** Per kept frame, in the order of `kept`. */
  heatKw: number[]
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
  handOffs: Record<string, { key: string; state: ResultRow['state'] | 'missing'; error: ResultRow['error']; bytes?: number }>
}

async function staleFrames(store: Store, shot: number, item: string, keys: readonly string[], kept: readonly number[]): Promise<number[]> {
  const rows = await store.db.selectFrom('result').innerJoin('result_frame', 'result_frame.key', 'result.key').select('result_frame.frame').distinct()
    .where('result.shot_id', '=', shot).where('result.item', '=', item).$if(keys.length > 0, (q) => q.where('result.key', 'not in', [...keys])).execute()
  const fresh = new Set(kept)
  return rows.map((row) => row.frame).filter((frame) => !fresh.has(frame)).sort((a, b) => a - b)
}

const left = (row: { seconds: number; kept: number }, total: number): number | null => (row.kept > 1 ? (row.seconds / row.kept) * Math.max(0, total - row.kept) : null)

async function pictureStatus(store: Store, shot: Shot, quality: 'look' | 'final', keys: Map<number, string>): Promise<PictureStatus> {
  const rows = await resultRows(store, [...keys.values()])
  const kept = [...keys].filter(([, key]) => (rows.get(key)?.kept ?? 0) > 0).map(([frame]) => frame)
  const states = [...rows.values()]
  const busy = states.filter((row) => row.state === 'running' || row.state === 'waiting')
  const failed = states.find((row) => row.state === 'failed')
  const done = states.filter((row) => row.kept > 0)
  const seconds = done.reduce((sum, row) => sum + row.seconds, 0)
  return {
    state: failed && busy.length === 0 ? 'failed' : busy.length > 0 ? 'running' : kept.length === keys.size && keys.size > 0 ? 'done' : states.some((row) => row.state === 'stopped') ? 'stopped' : 'missing',
    kept, stale: await staleFrames(store, shot.id, `picture-${quality}`, [...keys.values()], kept), error: failed?.error ?? null,
    secondsLeft: busy.length > 0 && done.length > 1 ? (seconds / done.length) * busy.length : null, keys: Object.fromEntries(keys),
  }
}

async function handOffStatus(store: Store, document: ShotDocument): Promise<ShotStatus['handOffs']> {
  const wanted = (['look', 'final'] as const).flatMap((quality) => (['movie', 'exr'] as const).map((form) => ({ id: `${form}-${quality}`, key: handOffKey(document, quality, form) })))
  const keys = wanted.map(({ key }) => key)
  const [rows, frames] = [await resultRows(store, keys), await keptFrames(store, keys)]
  return Object.fromEntries(wanted.map(({ id, key }) => {
    const bytes = frames.find((frame) => frame.key === key)?.figures.bytes
    return [id, { key, state: rows.get(key)?.state ?? 'missing', error: rows.get(key)?.error ?? null, ...(typeof bytes === 'number' ? { bytes } : {}) }]
  }))
}

/** Everything the line, the roster and the strip show of a shot's results. */
export async function shotStatus(store: Store, shot: Shot): Promise<ShotStatus> {
  const document: ShotDocument = shot.document
  const gases: Record<string, GasStatus> = {}
  const total = document.plate.last - document.plate.first + 1
  for (const { item, key } of gasKeys(document)) {
    const row = (await resultRows(store, [key])).get(key)
    const frames = await keptFrames(store, [key])
    const kept = frames.map(({ frame }) => frame)
    gases[item] = {
      key, state: row?.state ?? 'missing', kept, stale: await staleFrames(store, shot.id, item, [key], kept), error: row?.error ?? null,
      secondsLeft: row && (row.state === 'running' || row.state === 'waiting') ? left(row, total) : null,
      heatKw: frames.map(({ figures }) => (typeof figures.heatKw === 'number' ? figures.heatKw : 0)),
    }
  }
  const path = await cameraPathOf(store, document).catch(() => undefined)
  return {
    head: shot.head,
    asset: await getAsset(store, document.plate.asset),
    gases,
    look: await pictureStatus(store, shot, 'look', pictureKeys(document, path, 'look')),
    final: await pictureStatus(store, shot, 'final', pictureKeys(document, path, 'final')),
    machines: await liveMachines(store),
    match: await matchStatus(store, document),
    readings: await plateStatus(store, document),
    handOffs: await handOffStatus(store, document),
  }
}
