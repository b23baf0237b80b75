import { LanternError } from '@lantern/core/base'
import type { FloatImage, Picture, PlateReport } from '@lantern/core/data'
import { readPicture } from '@lantern/core/formats'
import {
  drawStackMattes,
  frameBeside,
  lightOfPlate,
  type MotionSources,
  matteWorld,
  motionNeeds,
  type PictureQualityName,
  plateMotion,
  stackExtras,
  stackMatteFrames,
  stackMotions,
  stackSettingsAt,
} from '@lantern/core/pipeline'
import type { GrainLaw, StackSettings } from '@lantern/core/sit'
import { assetFrame, getBlob, keptFrame, pictureKeysOf, type ResolvedShot } from '@lantern/store'
import type { JobContext } from '../jobs/context.ts'
import { drawnFrames } from '../jobs/picture.ts'
import { nodeDeflate } from './deflate.ts'
import { plateLinear } from './plateFrames.ts'

type Context = Pick<JobContext, 'store' | 'crew'>

/** A frame that is laid: its picture, and its plate as light is added to it. */
export interface LaidFrame {
  frame: number
  quality: PictureQualityName
  size: 'full' | 'half'
  picture?: Picture
  light: FloatImage
}

/** A plate's frame as light is added to it. */
export async function plateLight(
  { store, crew }: Context,
  { document: { plate, sit } }: Pick<ResolvedShot, 'document'>,
  frame: number,
  size: LaidFrame['size'],
): Promise<FloatImage> {
  const bytes = await getBlob(store, await assetFrame(store, plate.asset, frame, size))
  return lightOfPlate(crew, await plateLinear(bytes, plate.encoding), sit, plate.encoding)
}

/** What the motions of a frame are found from. A frame beside whose picture is not kept tells nothing. */
async function motionSources(context: Context, resolved: ResolvedShot, at: LaidFrame): Promise<MotionSources> {
  const { document } = resolved
  const { store, crew } = context
  const { plate } = document
  const needs = motionNeeds(document)
  const shutter = at.quality === 'final' ? document.camera.shutter / 360 : 0
  const { frame, after } = frameBeside(plate, at.frame)
  const sources: MotionSources = { shutter }
  if (frame < plate.first) return sources
  if (needs.plate)
    sources.plate = plateMotion(crew, at.light, await plateLight(context, resolved, frame, at.size), after)
  const key = needs.beside ? pictureKeysOf(resolved, at.quality, [frame]).get(frame) : undefined
  const kept = key && (await keptFrame(store, key, frame))
  if (kept) sources.beside = { picture: readPicture(await getBlob(store, kept.blob), nodeDeflate), after }
  return sources
}

/** A frame's stack with what it has from beside the document, its mattes drawn at the plate's size. Throws LanternError 'matte-waits' naming the frame. */
export async function stackOf(
  context: Context,
  resolved: ResolvedShot,
  grain: GrainLaw,
  at: LaidFrame,
  report: PlateReport | undefined,
): Promise<StackSettings> {
  const { document, camera, inputs } = resolved
  const { frame, picture } = at
  const seen = camera(frame)
  const extras = stackExtras(document, frame, seen, report, inputs)
  const data = await drawnFrames(context, resolved, stackMatteFrames(document, frame), 'look')
  if (data === 'waiting')
    throw new LanternError(
      'matte-waits',
      `A matte of frame ${frame} is still being carried.`,
      'Hand off again when it is kept.',
      { frame },
    )
  const world = matteWorld(document, frame, camera, inputs)
  const dataOf = (item: string, one: number): unknown => data.get(`${item}/${one}`)
  const mattes = seen ? drawStackMattes(document, seen, frame, document.plate.width, world, dataOf, inputs) : new Map()
  const sources = await motionSources(context, resolved, at)
  const motions = stackMotions(context.crew, document, picture, sources)
  return stackSettingsAt(document, grain, frame, inputs, { ...extras, mattes, motions })
}
