import { LanternError } from '../base/index.ts'
import type { Camera } from '../data/index.ts'
import type { EffectInstance } from '../effects/index.ts'
import type { SignalInputs } from '../settings/index.ts'
import { effectOf, type ShotDocument } from '../shot/index.ts'
import { instancesAt } from './instances.ts'
import type { MatteMoment } from './mattes.ts'
import { type MatteWorld, matteWorld, NO_WORLD } from './matteWorld.ts'
import type { PictureQualityName } from './picture.ts'
import { type PlateOn, platesOn, type ShutterFrames, shutterFrames } from './things.ts'

// What a picture is made from besides its document.

/** What a picture frame is made from besides the document. */
export interface PictureFrame {
  /** As numbered in the plate. */
  frame: number
  camera: Camera
  /** The cameras of the frames before and after it, where there are any: for the open shutter. */
  before?: Camera
  after?: Camera
  instances: readonly EffectInstance[]
  /** What of the plate items have on them, by item. */
  plateOn?: Readonly<Record<string, PlateOn>>
  /** What its mattes have from beside the document. */
  mattes?: MatteWorld
  /** Cameras of other frames that items are seen through too, by frame. */
  others?: Readonly<Record<string, Camera>>
  /** What the mattes of other frames have from beside the document, by frame: of those that items are drawn with. */
  otherMattes?: Readonly<Record<string, MatteWorld>>
  inputs?: SignalInputs
}

/** What shows at a frame: its gases, where they stand, its cameras. cameras: of any frame; undefined without one. Throws LanternError 'no-camera'. */
export function pictureFrame(
  document: Pick<ShotDocument, 'items' | 'plate' | 'signals'>,
  cameras: (frame: number) => Camera | undefined,
  frame: number,
  inputs: SignalInputs = {},
): PictureFrame {
  const camera = cameras(frame)
  if (!camera)
    throw new LanternError(
      'no-camera',
      'The shot has no camera yet, so nothing can be seen through it.',
      'Take in a camera or type one at the Match station.',
      { field: 'camera' },
    )
  const { first, last } = document.plate
  return {
    frame,
    camera,
    before: frame > first ? cameras(frame - 1) : undefined,
    after: frame < last ? cameras(frame + 1) : undefined,
    instances: instancesAt(document, frame, inputs),
    plateOn: platesOn(document, cameras, frame, inputs),
    mattes: matteWorld(document, frame, cameras, inputs),
    others: otherCameras(document, cameras, frame),
    otherMattes: Object.fromEntries(
      mattesDrawnWith(document, frame)
        .filter((one) => one.frame !== frame)
        .map((one) => [String(one.frame), matteWorld(document, one.frame, cameras, inputs)]),
    ),
    inputs,
  }
}

/** The cameras of other frames that what is shown is seen through too. */
const otherCameras = (
  document: Pick<ShotDocument, 'items' | 'plate' | 'signals'>,
  cameras: (frame: number) => Camera | undefined,
  at: number,
): Record<string, Camera> =>
  Object.fromEntries(
    Object.entries(document.items)
      .filter(([, { shown }]) => shown)
      .flatMap(([id, item]) => effectOf(item)?.camerasOf?.(document, id, at) ?? [])
      .filter((frame) => frame !== at)
      .flatMap((frame): [string, Camera][] => {
        const camera = cameras(frame)
        return camera ? [[String(frame), camera]] : []
      }),
  )

/** The mattes that items are drawn with at a frame, each once. */
export function mattesDrawnWith(
  document: Pick<ShotDocument, 'items' | 'plate' | 'signals'>,
  frame: number,
): { matte: string; frame: number }[] {
  const all = Object.entries(document.items).flatMap(([id, item]) =>
    item.shown ? (effectOf(item)?.mattesOf?.(document, id, frame) ?? []) : [],
  )
  return [...new Map(all.map((one) => [`${one.matte}/${one.frame}`, one])).values()]
}

export const matteMoment = ({ frame, mattes = NO_WORLD, inputs }: PictureFrame, open: ShutterFrames): MatteMoment => ({
  frame,
  open,
  world: mattes,
  ...(inputs ? { inputs } : {}),
})

/** The camera of a frame that items are seen through, and the moment of the mattes that they are drawn with. */
export const cameraOf = ({ frame: own, camera, others }: PictureFrame, frame: number): Camera =>
  frame === own ? camera : (others?.[frame] ?? camera)
export const momentOf = (
  document: Pick<ShotDocument, 'items' | 'plate' | 'signals' | 'camera'>,
  at: PictureFrame,
  frame: number,
  quality: PictureQualityName,
): MatteMoment =>
  matteMoment(
    frame === at.frame ? at : { ...at, frame, mattes: at.otherMattes?.[frame] },
    frame === at.frame ? shutterFrames(document, at, quality) : { opening: frame, closing: frame },
  )
