import { recipeKey } from '@lantern/core/base'
import type { ReadingFrames, Solve, Track } from '@lantern/core/data'
import type { FigureTable, ResolvedItem } from '@lantern/core/effects'
import { isCard } from '@lantern/core/effects/cards'
import { type CameraPath, readPoints, readReading, readSolve, readTracks } from '@lantern/core/formats'
import { isMatte } from '@lantern/core/mattes'
import { readingRecipe } from '@lantern/core/pipeline'
import type { Item } from '@lantern/core/settings'
import type { ShotDocument } from '@lantern/core/shot'
import { getBlob } from '../blobs.ts'
import type { Store } from '../open.ts'
import { keptCounts, keptFrames } from '../queries/results.ts'
import { cameraPathOf } from './cameraPath.ts'
import { manualTrackKey, movingObjectKeys } from './match.ts'

// What a document's results need from beside it: kept results that its signals and camera read, and files that it names.

export type ReadingTables = ReadonlyMap<string, ReadingFrames>
export type PointTables = ReadonlyMap<string, ReturnType<typeof readPoints>>
export type FigureTables = ReadonlyMap<string, FigureTable>

/** The kept results that were looked at, and how many frames each had: while that is so, what was made of them holds. */
export class OutsideReads {
  readonly #counts = new Map<string, number>()

  note(key: string, kept: number): void {
    this.#counts.set(key, kept)
  }
  /** Whether every result still has as many frames as when it was read. */
  async holds(store: Store): Promise<boolean> {
    if (this.#counts.size === 0) return true
    const now = await keptCounts(store, [...this.#counts.keys()])
    return [...this.#counts].every(([key, kept]) => (now.get(key) ?? 0) === kept)
  }
}

/** The readings that signals follow and that are taken. */
export async function readingTables(store: Store, document: ShotDocument, reads: OutsideReads): Promise<ReadingTables> {
  const tables = new Map<string, ReadingFrames>()
  for (const { source } of Object.values(document.signals)) {
    if (source.kind !== 'reading' || tables.has(source.reading)) continue
    const reading = document.readings[source.reading]
    if (!reading) continue
    const key = recipeKey(readingRecipe(document, reading))
    const [kept] = await keptFrames(store, [key])
    reads.note(key, kept ? 1 : 0)
    if (kept) tables.set(source.reading, readReading(await getBlob(store, kept.blob)))
  }
  return tables
}

/** What items ride on, what mattes and their shapes go with, and what cards are stuck to: as they name it. */
const namedHolders = ({ items }: ShotDocument): string[] =>
  Object.values(items).flatMap((item: Item) => [
    ...(isCard(item) && item.stuck ? [`track.${item.stuck.track}`] : []),
    ...(isMatte(item) && item.stands === 'item' ? [item.standsWith] : []),
    ...(isMatte(item) ? Object.values(item.shapes).flatMap(({ rides }) => (rides ? [rides.on] : [])) : []),
    ...(item.rides?.map(({ on }) => on) ?? []),
  ])
const idsOf = (prefix: string, holders: readonly string[]): Set<string> =>
  new Set(holders.flatMap((on) => (on.startsWith(prefix) ? [on.slice(prefix.length)] : [])))

/** What the tracks set by hand gave that items go with, by track. */
export async function handTracks(
  store: Store,
  document: ShotDocument,
  reads: OutsideReads,
): Promise<ReadonlyMap<string, readonly Track[]>> {
  const tracks = new Map<string, readonly Track[]>()
  for (const id of idsOf('track.', namedHolders(document))) {
    const key = document.match.hands[id] && manualTrackKey(document, id)
    if (!key) continue
    const [kept] = await keptFrames(store, [key])
    reads.note(key, kept ? 1 : 0)
    if (kept) tracks.set(id, readTracks(await getBlob(store, kept.blob)))
  }
  return tracks
}

/** Solves of the matched objects that items ride on, by object. */
export async function objectSolves(
  store: Store,
  document: ShotDocument,
  reads: OutsideReads,
): Promise<ReadonlyMap<string, Solve>> {
  const solves = new Map<string, Solve>()
  const wanted = idsOf('match.', namedHolders(document))
  for (const id of wanted) {
    if (!document.match.things[id]) continue
    const { solve } = movingObjectKeys(document, id)
    const [kept] = await keptFrames(store, [solve])
    reads.note(solve, kept ? 1 : 0)
    if (kept) solves.set(id, readSolve(await getBlob(store, kept.blob)))
  }
  return solves
}

/** Tables of points that items name, by blob. */
export async function pointTables(store: Store, document: ShotDocument): Promise<PointTables> {
  const tables = new Map<string, ReturnType<typeof readPoints>>()
  for (const item of Object.values(document.items)) {
    const points = 'points' in item && item.shape === 'points' ? item.points : undefined
    if (points && !tables.has(points.blob))
      tables.set(points.blob, readPoints(await getBlob(store, points.blob), points.file))
  }
  return tables
}

/** Figures per frame of the items' runs that signals follow. */
export async function figureTables(
  store: Store,
  document: ShotDocument,
  items: readonly ResolvedItem[],
  reads: OutsideReads,
): Promise<FigureTables> {
  const wanted = new Set(
    Object.values(document.signals).flatMap(({ source }) => (source.kind === 'figure' ? [source.item] : [])),
  )
  const tables = new Map<string, FigureTable>()
  for (const { item, runs } of items) {
    const [run] = runs
    // Where a carried matte stands is told by its frames.
    if (!run || !(wanted.has(item) || isMatte(document.items[item]))) continue
    const kept = await keptFrames(store, [run.key])
    reads.note(run.key, kept.length)
    tables.set(item, new Map(kept.map(({ frame, figures }) => [frame, figures])))
  }
  return tables
}

/** The path of the document's camera; undefined where what it comes from is not there. */
export async function cameraPath(
  store: Store,
  document: ShotDocument,
  reads: OutsideReads,
): Promise<CameraPath | undefined> {
  const { solve, shake } = document.camera
  for (const key of [solve?.key, shake && manualTrackKey(document, shake.hand)])
    if (key) reads.note(key, (await keptCounts(store, [key])).get(key) ?? 0)
  return cameraPathOf(store, document).catch(() => undefined)
}
