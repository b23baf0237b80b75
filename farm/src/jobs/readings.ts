import { LanternError, type Progress, recipeKey } from '@lantern/core/base'
import type { PlateReport, ReadingFrames } from '@lantern/core/data'
import { isCard } from '@lantern/core/effects/cards'
import { writeReading, writeReport } from '@lantern/core/formats'
import {
  cameraAt,
  codeWidth,
  layerAlone,
  pictureFrame,
  readingRecipe,
  renderPicture,
  reportPlate,
  reportRecipe,
  takeClipReading,
  takeLayerReading,
  takeReading,
} from '@lantern/core/pipeline'
import type { SignalInputs } from '@lantern/core/settings'
import { type Reading, type ShotDocument, shotLayers } from '@lantern/core/shot'
import {
  cameraPathOf,
  findShotById,
  getAsset,
  type JobPayload,
  keptTracks,
  queueJob,
  resolveDocument,
  resultState,
  type Store,
  setResultState,
} from '@lantern/store'
import { clipLight } from '../io/clipLight.ts'
import type { JobContext } from './context.ts'
import { plateFrames } from './match.ts'
import { drawnFrames, extras, trees } from './picture.ts'
import { plateReady, runSingleOutput } from './runSingleOutput.ts'

/** A layer is read in pictures of this size against the plate's: its light as a whole is wanted. */
const LAYER_SIZE = 0.25

/** Takes a reading of a layer, drawn alone. Throws LanternError 'no-layer', and where frames of what it is made from are not kept. */
async function readLayer(
  context: Pick<JobContext, 'store' | 'crew'>,
  document: ShotDocument,
  layer: string,
  reading: Reading,
  progress: Progress,
): Promise<ReadingFrames> {
  if (!shotLayers(document).some(({ id }) => id === layer))
    throw new LanternError('no-layer', `${reading.name}: its layer is gone.`, 'Read another layer.', { field: 'layer' })
  const alone = layerAlone(document, layer)
  // Its effects are those of the whole shot; of readings it knows none of a layer, so none can be read of itself.
  const resolved = await resolveDocument(context.store, document)
  const ofLayer = (id: string): boolean => document.readings[id]?.area.kind === 'layer'
  const inputs: SignalInputs = {
    ...resolved.inputs,
    reading: (id, frame) => (ofLayer(id) ? undefined : resolved.inputs.reading?.(id, frame)),
    readingColour: (id, frame) => (ofLayer(id) ? undefined : resolved.inputs.readingColour?.(id, frame)),
  }
  return takeLayerReading(
    alone,
    layer,
    reading,
    async (frame) => {
      const at = pictureFrame(alone, resolved.camera, frame, inputs)
      const data = await drawnFrames(context, { ...resolved, document: alone }, at.instances, 'look')
      if (data === 'waiting')
        throw new LanternError(
          'layer-waits',
          `Frame ${frame} of the layer is still being computed.`,
          'Read it again when its effects are kept.',
          { frame },
        )
      const tools = { progress, trees, size: LAYER_SIZE, ...(await extras(context, alone, frame, 'look')) }
      return renderPicture(context.crew, alone, at, (item, n) => data.get(`${item}/${n}`), 'look', tools)
    },
    progress,
  )
}

/** Takes a reading of a shot's plate, of a card's clip, or of a layer. Throws LanternError 'no-clip'. */
export async function readPlate(
  { store, crew }: Pick<JobContext, 'store' | 'crew'>,
  document: ShotDocument,
  reading: Reading,
  progress: Progress,
): Promise<ReadingFrames> {
  if (reading.area.kind === 'clip') {
    const card = document.items[reading.area.card]
    if (!isCard(card) || !card.clip)
      throw new LanternError('no-clip', `${reading.name}: its card is gone, or has no clip.`, 'Give the card a clip.', {
        field: 'card',
      })
    const { clip } = card
    return takeClipReading({ ...card, clip }, reading.percentile, (of) => clipLight(store, crew, of), crew, progress)
  }
  if (reading.area.kind === 'layer') return readLayer({ store, crew }, document, reading.area.layer, reading, progress)
  const path = reading.area.kind === 'pin' ? await cameraPathOf(store, document) : undefined
  const { first } = document.plate
  return takeReading(plateFrames(store, document), first, reading, (n) => cameraAt(document, path, first + n), progress)
}

/** Measures a shot's plate; tracks: key of kept ones. */
export async function measurePlate(
  store: Store,
  document: ShotDocument,
  shape: readonly (readonly [number, number])[] | undefined,
  tracks: string | undefined,
  progress: Progress,
): Promise<PlateReport> {
  const { plate } = document
  const { info } = await getAsset(store, plate.asset)
  return reportPlate(
    plateFrames(store, document),
    plate.first,
    shape,
    tracks ? ((await keptTracks(store, tracks)) ?? []) : [],
    info.bits === 8 ? codeWidth(plate.encoding) : undefined,
    progress,
  )
}

const LATER_MS = 5000
/** Put back in the queue: the plate is still being read, or another machine has it. The command line waits by itself. */
async function later<N extends 'reading' | 'report'>(
  { store, progress }: JobContext,
  name: N,
  payload: JobPayload<N>,
): Promise<false> {
  if (!progress)
    await queueJob(store, name, payload, {
      jobKey: `${name}-later:${payload.key}`,
      runAt: new Date(Date.now() + LATER_MS),
    })
  return false
}

/** What a shot has moved on from is not made any more. */
async function letGo(store: Store, key: string): Promise<false> {
  if ((await resultState(store, key)) === 'waiting') await setResultState(store, key, 'stopped')
  return false
}

export async function readingJob(context: JobContext, payload: JobPayload<'reading'>): Promise<boolean> {
  const { store } = context
  const { shot: id, reading, key } = payload
  const shot = await findShotById(store, id)
  const wanted = shot?.document.readings[reading]
  if (!shot || !wanted || recipeKey(readingRecipe(shot.document, wanted)) !== key) return letGo(store, key)
  if (!(await plateReady(store, shot.document))) return later(context, 'reading', payload)
  const state = await runSingleOutput(context, key, async (progress) => ({
    bytes: writeReading(await readPlate(context, shot.document, wanted, progress)),
    mediaType: 'application/json',
    figures: {},
  }))
  return state === 'busy' ? later(context, 'reading', payload) : state === 'done'
}

export async function reportJob(context: JobContext, payload: JobPayload<'report'>): Promise<boolean> {
  const { store } = context
  const { shot: id, reading, tracks, key } = payload
  const shot = await findShotById(store, id)
  const area = reading === undefined ? undefined : shot?.document.readings[reading]?.area
  const shape = area?.kind === 'shape' ? area.points : undefined
  if (!shot || recipeKey(reportRecipe(shot.document, shape, tracks)) !== key) return letGo(store, key)
  if (reading !== undefined && !shape) throw new LanternError('no-shape', 'The shape is gone.', 'Draw it again.')
  if (!(await plateReady(store, shot.document))) return later(context, 'report', payload)
  const state = await runSingleOutput(context, key, async (progress) => ({
    bytes: writeReport(await measurePlate(store, shot.document, shape, tracks, progress)),
    mediaType: 'application/json',
    figures: {},
  }))
  return state === 'busy' ? later(context, 'report', payload) : state === 'done'
}
