import { LanternError, type Recipe, recipeKey } from '@lantern/core/base'
import type { PlateReport } from '@lantern/core/data'
import { readReport } from '@lantern/core/formats'
import { readingRecipe, reportRecipe } from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import { getBlob } from '../blobs.ts'
import type { Store } from '../open.ts'
import { ensureResult, keptFrame, resultRows, resultState, setResultState } from '../queries/results.ts'
import type { Shot } from '../queries/shots.ts'
import { type JobName, type JobPayload, queueJob } from '../queue.ts'
import { type MatchStage, matchKeys, stagesOf } from './match.ts'

/** The plate's tracks where they are kept: they tell its report how it moves. */
async function keptTracksKey(store: Store, document: ShotDocument): Promise<string | undefined> {
  const { tracks } = matchKeys(document)
  return (await resultState(store, tracks)) === 'done' ? tracks : undefined
}

const shapeOf = (
  document: ShotDocument,
  id: string | undefined,
): readonly (readonly [number, number])[] | undefined => {
  const area = id === undefined ? undefined : document.readings[id]?.area
  return area?.kind === 'shape' ? area.points : undefined
}

async function ask<N extends JobName>(
  store: Store,
  shot: Shot,
  name: N & ('reading' | 'report'),
  recipe: Recipe,
  item: string,
  payload: (key: string) => JobPayload<N>,
): Promise<string> {
  const key = recipeKey(recipe)
  const { first, last } = shot.document.plate
  await ensureResult(store, { key, kind: name, settings: recipe.settings as object, shot: shot.id, item, first, last })
  const row = (await resultRows(store, [key])).get(key)
  if (row?.state === 'done') return key
  if (row?.state !== 'running') await setResultState(store, key, 'waiting')
  await queueJob(store, name, payload(key), { jobKey: `${name}:${key}` })
  return key
}

/** Asks the farm to take a reading. Does nothing where it is kept or on its way. Throws LanternError 'no-reading'. */
export async function requestReading(store: Store, shot: Shot, id: string): Promise<string> {
  const reading = shot.document.readings[id]
  if (!reading)
    throw new LanternError(
      'no-reading',
      `“${id.slice(0, 40)}” is not a reading of this shot.`,
      'Choose one from the roster.',
      { field: 'reading' },
    )
  return ask(store, shot, 'reading', readingRecipe(shot.document, reading), `reading-${id}`, (key) => ({
    shot: shot.id,
    reading: id,
    key,
  }))
}

/** Asks the farm to measure the plate, over a reading's drawn shape where one is named. */
export async function requestReport(store: Store, shot: Shot, id?: string): Promise<string> {
  if (id !== undefined && !shapeOf(shot.document, id))
    throw new LanternError(
      'no-shape',
      'Only a drawn shape can be measured by itself.',
      'Choose a reading with a shape, or measure the whole frame.',
      { field: 'reading' },
    )
  const tracks = await keptTracksKey(store, shot.document)
  return ask(
    store,
    shot,
    'report',
    reportRecipe(shot.document, shapeOf(shot.document, id), tracks),
    'report',
    (key) => ({ shot: shot.id, key, ...(id === undefined ? {} : { reading: id }), ...(tracks ? { tracks } : {}) }),
  )
}

export interface PlateStatus {
  /** Over the whole frame. */
  report: MatchStage
  /** Over a reading's drawn shape, and the reading itself, by id. */
  areas: Record<string, { reading: MatchStage; report?: MatchStage }>
}

/** Keys of a shot's readings and reports as its document is now. */
export async function plateKeys(store: Store, document: ShotDocument): Promise<string[]> {
  const tracks = await keptTracksKey(store, document)
  const shapes = [
    undefined,
    ...Object.keys(document.readings)
      .map((id) => shapeOf(document, id))
      .filter((shape) => shape !== undefined),
  ]
  return [
    ...shapes.map((shape) => recipeKey(reportRecipe(document, shape, tracks))),
    ...Object.values(document.readings).map((reading) => recipeKey(readingRecipe(document, reading))),
  ]
}

/** Keys of a document's readings and reports, by the tracks that its reports know. */
interface AreaKeys {
  tracks: string | undefined
  report: string
  areas: readonly (readonly [id: string, keys: { reading: string; report?: string }])[]
}
const keysOf = new WeakMap<ShotDocument, AreaKeys>()
function areaKeys(document: ShotDocument, tracks: string | undefined): AreaKeys {
  const known = keysOf.get(document)
  if (known && known.tracks === tracks) return known
  const report = (shape: ReturnType<typeof shapeOf>): string => recipeKey(reportRecipe(document, shape, tracks))
  const made: AreaKeys = {
    tracks,
    report: report(undefined),
    areas: Object.entries(document.readings).map(([id, reading]) => {
      const shape = shapeOf(document, id)
      return [
        id,
        { reading: recipeKey(readingRecipe(document, reading)), ...(shape ? { report: report(shape) } : {}) },
      ] as const
    }),
  }
  keysOf.set(document, made)
  return made
}

export async function plateStatus(store: Store, document: ShotDocument): Promise<PlateStatus> {
  const { report, areas } = areaKeys(document, await keptTracksKey(store, document))
  const keys = areas.flatMap(([, one]) => [one.reading, ...(one.report ? [one.report] : [])])
  const stage = await stagesOf(store, [report, ...keys])
  return {
    report: stage(report),
    areas: Object.fromEntries(
      areas.map(([id, one]) => [
        id,
        { reading: stage(one.reading), ...(one.report ? { report: stage(one.report) } : {}) },
      ]),
    ),
  }
}

/** What a shot's plate was measured to be, over the whole frame; undefined where that is not kept. */
export async function keptReport(store: Store, document: ShotDocument): Promise<PlateReport | undefined> {
  const { report } = areaKeys(document, await keptTracksKey(store, document))
  const kept = await keptFrame(store, report, 0)
  return kept ? readReport(await getBlob(store, kept.blob)) : undefined
}
