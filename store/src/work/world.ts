import { LanternError } from '@lantern/core/base'
import { type CameraPath, readPoints, readReading } from '@lantern/core/formats'
import { pulseAt } from '@lantern/core/gas'
import {
  cameraAt,
  cameraSpeed,
  type FigureTable,
  finerRecipe,
  gasesShown,
  gasFigure,
  gasFrameKeys,
  gasRecipe,
  type GasWorld,
  readingRecipe,
  readingValues,
  type Recipe,
  recipeKey,
  runOf,
} from '@lantern/core/pipeline'
import type { ShotDocument, SignalInputs } from '@lantern/core/shot'
import { getBlob } from '../blobs.ts'
import type { Store } from '../open.ts'
import { keptFrames } from '../queries/results.ts'
import { cameraPathOf } from './cameraPath.ts'

/** A gas's run as the document has it now. */
export interface GasPlan {
  item: string
  name: string
  /** None where the gas lacks something; then `error` says what. */
  recipe?: Recipe
  key?: string
  /** The run made finer, where that is wanted. */
  finerRecipe?: Recipe
  finer?: string
  /** The key of all that decides each frame: of the run, and of what is shown of it. */
  run: ReadonlyMap<number, string>
  frames: ReadonlyMap<number, string>
  error?: LanternError
}

/** A document with all that its results need from beside it: its camera's path, what its signals read, its gases' recipes. */
export interface ShotWorld extends GasWorld {
  document: ShotDocument
  path?: CameraPath
  inputs: SignalInputs
  gases: readonly GasPlan[]
}

/** Values of the readings that signals follow and that are taken, by reading and frame. */
async function readingTables(store: Store, document: ShotDocument): Promise<Map<string, ReadonlyMap<number, number>>> {
  const tables = new Map<string, ReadonlyMap<number, number>>()
  for (const { source } of Object.values(document.signals)) {
    if (source.kind !== 'reading' || tables.has(source.reading)) continue
    const reading = document.readings[source.reading]
    if (!reading) continue
    const [kept] = await keptFrames(store, [recipeKey(readingRecipe(document, reading))])
    if (kept) tables.set(source.reading, readingValues(readReading(await getBlob(store, kept.blob)), reading))
  }
  return tables
}

/** Tables of points that sources come from, by blob. */
async function pointTables(store: Store, document: ShotDocument): Promise<Map<string, ReturnType<typeof readPoints>>> {
  const tables = new Map<string, ReturnType<typeof readPoints>>()
  for (const item of Object.values(document.items)) {
    if ((item.kind !== 'gas' && item.kind !== 'source') || item.shape !== 'points' || !item.points) continue
    const { blob, file } = item.points
    if (!tables.has(blob)) tables.set(blob, readPoints(await getBlob(store, blob), file))
  }
  return tables
}

function planOf(document: ShotDocument, item: string, name: string, world: GasWorld): GasPlan {
  try {
    const recipe = gasRecipe(document, item, 'full', world)
    const gas = document.items[item]
    if (gas?.kind !== 'gas') return { item, name, run: new Map(), frames: new Map() }
    const { first, last } = runOf(document, gas)
    const frames = gasFrameKeys(recipe, first, last)
    const key = recipeKey(recipe)
    if (gas.detail <= 1) return { item, name, recipe, key, run: frames, frames }
    const finer = finerRecipe(gas, key)
    return {
      item,
      name,
      recipe,
      key,
      finerRecipe: finer,
      finer: recipeKey(finer),
      run: frames,
      frames: new Map(
        [...frames].map(([frame, chain]) => [frame, `${chain}:${gas.detail}:${gas.detailAmount}:${gas.seed}`]),
      ),
    }
  } catch (error) {
    if (!(error instanceof LanternError)) throw error
    return { item, name, run: new Map(), frames: new Map(), error }
  }
}

/** Figures per frame of the gases that signals follow. */
async function figureTables(
  store: Store,
  document: ShotDocument,
  gases: readonly GasPlan[],
): Promise<Map<string, FigureTable>> {
  const wanted = new Set(
    Object.values(document.signals).flatMap(({ source }) => (source.kind === 'figure' ? [source.item] : [])),
  )
  const tables = new Map<string, FigureTable>()
  for (const { item, key } of gases)
    if (key && wanted.has(item))
      tables.set(item, new Map((await keptFrames(store, [key])).map(({ frame, figures }) => [frame, figures])))
  return tables
}

/** All that the document's results need. What is missing beside it is missing here too, and said by what needs it. */
export async function worldOf(store: Store, document: ShotDocument): Promise<ShotWorld> {
  const path = await cameraPathOf(store, document).catch(() => undefined)
  const readings = await readingTables(store, document)
  const points = await pointTables(store, document)
  const camera = (frame: number) => cameraAt(document, path, frame)
  const rate = document.plate.rate[0] / document.plate.rate[1]
  // A gas is decided before it burns: what follows a gas's figures are the layers and lights alone.
  const before: SignalInputs = {
    reading: (id, frame) => readings.get(id)?.get(frame),
    cameraSpeed: (frame) => cameraSpeed(camera, frame, document.plate),
  }
  const beside: GasWorld = { inputs: before, camera, points: (blob, frame) => points.get(blob)?.at(frame) }
  const gases = gasesShown(document).map(([item, { name }]) => planOf(document, item, name, beside))
  const figures = await figureTables(store, document, gases)
  const inputs: SignalInputs = {
    ...before,
    figure: (item, name, frame) => gasFigure(figures.get(item), name, frame, (values) => pulseAt(values, frame, rate)),
  }
  return { ...beside, document, ...(path ? { path } : {}), inputs, gases }
}

/** What a gas's world is for its own run: without what is known only once gases are kept. */
export const gasWorld = ({ camera, points, inputs }: ShotWorld): GasWorld => ({
  camera,
  points,
  inputs: { reading: inputs.reading, cameraSpeed: inputs.cameraSpeed },
})
