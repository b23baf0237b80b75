import { type Crew, LanternError, type Progress } from '../base/index.ts'
import { type Camera, type GasFrame, scaleCamera, straighten } from '../data/index.ts'
import { blueGlow, GLOW_FROM, GLOW_STEP, gatherEmitters, glowTable } from '../light/index.ts'
import { cos, radians, sin } from '../math/index.ts'
import {
  FINAL,
  LOOK,
  layScene,
  type Passes,
  type PictureGas,
  type PictureQuality,
  type PlateLight,
  renderPasses,
  type Shutter,
} from '../picture/index.ts'
import { type PlateLightSettings, SETTINGS, settledAt, type ShotDocument, type SignalInputs } from '../shot/index.ts'
import { type Recipe, VERSIONS } from './recipe.ts'
import { type SetDocument, scenePieces } from './set.ts'
import { cameraBetween, type Showing, showingsAt } from './showings.ts'

export type PictureQualityName = 'look' | 'final'
/** A look is made at half the plate's size. */
export const LOOK_SCALE = 0.5
const EMITTERS = { look: 24, final: 64 } as const

export const pictureScale = (quality: PictureQualityName): number => (quality === 'look' ? LOOK_SCALE : 1)

export function plateLight(settings: PlateLightSettings): PlateLight {
  const from = radians(settings.sunFrom)
  const height = radians(settings.sunHeight)
  return {
    sunDirection: [sin(from) * cos(height), sin(height), -cos(from) * cos(height)],
    sunShare: settings.sunShare,
    sunColour: settings.sunColour,
    skyColour: settings.skyColour,
  }
}

/** What a picture frame is made from besides the document. */
export interface PictureFrame {
  /** As numbered in the plate. */
  frame: number
  camera: Camera
  /** The cameras of the frames before and after it, where there are any: for the open shutter. */
  before?: Camera
  after?: Camera
  showings: readonly Showing[]
  inputs?: SignalInputs
}

/** What shows at a frame: its gases, where they stand, its cameras. cameras: of any frame; undefined without one. Throws LanternError 'no-camera'. */
export function pictureFrame(
  document: SetDocument,
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
    showings: showingsAt(document, frame, inputs),
    inputs,
  }
}

type PictureDocument = SetDocument & Pick<ShotDocument, 'light' | 'camera'>
const lightAt = (document: PictureDocument, { frame, inputs = {} }: PictureFrame): PlateLightSettings =>
  settledAt(document, document.light, document.light.follows, SETTINGS.plateLight, frame, inputs)

/**
 * The recipe of one picture frame. keyOf: the key of a gas's run up to one of its frames (gasFrameKeys'). Cameras and set go in by value, so a frame stays kept when only other frames change.
 */
export function pictureRecipe(
  document: PictureDocument,
  at: PictureFrame,
  quality: PictureQualityName,
  keyOf: (gas: string, frame: number) => string,
): Recipe {
  const { camera, before, after, frame, showings, inputs } = at
  const { follows: _, ...light } = lightAt(document, at)
  const shown = showings.map(({ frames, place, look }) => ({
    frames: frames.map(({ weight, ahead }) => ({ weight, ahead })),
    place,
    look,
  }))
  const blurs = quality === 'final' && document.camera.shutter > 0
  return {
    kind: 'picture',
    version: VERSIONS.picture,
    settings: {
      camera,
      ...(blurs ? { before, after, shutter: document.camera.shutter } : {}),
      quality,
      shown,
      light,
      pieces: scenePieces(document, frame, inputs).map((piece) => ({
        ...piece,
        mesh: { positions: [...piece.mesh.positions], indices: [...piece.mesh.indices] },
      })),
    },
    inputs: showings.flatMap(({ gas, frames }) => frames.map((one) => keyOf(gas, one.frame))),
  }
}

/** The open shutter round a frame: the camera goes straight to and from its neighbours, half of the way on either side at 360 degrees. */
function shutterOf(
  document: PictureDocument,
  { camera, before, after }: PictureFrame,
  size: number,
): Shutter | undefined {
  const share = document.camera.shutter / 360
  if (share <= 0) return undefined
  const [over, under] = document.plate.rate
  return {
    seconds: (share * under) / over,
    camera: (moment) => {
      const way = (moment - 0.5) * share
      const other = way < 0 ? before : after
      return scaleCamera(other ? cameraBetween(camera, other, Math.abs(way)) : camera, size)
    },
  }
}

/** Gases with the frames that they are blended from, and how they look. frameOf: a kept frame of a gas's run; a showing whose frames are not there is left out. */
function picturedGases(
  showings: readonly Showing[],
  frameOf: (gas: string, frame: number) => GasFrame | undefined,
  illuminance: number,
  most: number,
): PictureGas[] {
  const glow = { from: GLOW_FROM, step: GLOW_STEP, table: glowTable(illuminance, 1) }
  const blue = blueGlow(illuminance)
  return showings.flatMap(({ gas, frames, place, look }): PictureGas[] => {
    const found = frames.flatMap((one) => {
      const frame = frameOf(gas, one.frame)
      return frame ? [{ frame, weight: one.weight, ahead: one.ahead }] : []
    })
    if (found.length === 0 || found.length < frames.length) return []
    const emitters = found.flatMap(({ frame, weight }) =>
      gatherEmitters(frame, glow.table, look.albedo, Math.ceil(most / found.length), look.extinction).map(
        (emitter) => ({
          ...emitter,
          intensity: emitter.intensity.map((part) => part * weight) as [number, number, number],
        }),
      ),
    )
    return [
      {
        frames: found,
        place,
        emitters,
        glow,
        albedo: look.albedo,
        forward: look.forward,
        extinctionPerSoot: look.extinction,
        blue: blue.map((part) => part * look.blue) as [number, number, number],
      },
    ]
  })
}

/**
 * Renders one frame's passes at a quality, `changed` where something of that is wanted otherwise. Throws LanternError, Cancelled.
 */
export function renderPicture(
  crew: Crew,
  document: PictureDocument,
  at: PictureFrame,
  frameOf: (gas: string, frame: number) => GasFrame | undefined,
  quality: PictureQualityName,
  progress?: Progress,
  changed: Partial<PictureQuality> = {},
): Passes {
  const mark = crew.heap.mark()
  try {
    const light = lightAt(document, at)
    const gases = picturedGases(at.showings, frameOf, light.illuminance, EMITTERS[quality])
    const size = pictureScale(quality)
    const seen = scaleCamera(at.camera, size)
    const scene = layScene(crew, scenePieces(document, at.frame, at.inputs))
    const straightenPixel = (x: number, y: number): [number, number] =>
      straighten(seen, (x - seen.centre[0]) / seen.focalPx, (y - seen.centre[1]) / seen.focalPx)
    return renderPasses(
      crew,
      scene,
      seen,
      straightenPixel,
      gases,
      plateLight(light),
      { ...(quality === 'look' ? LOOK : FINAL), ...changed },
      progress,
      shutterOf(document, at, size),
    )
  } finally {
    crew.heap.release(mark)
  }
}
