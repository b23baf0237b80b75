import type { Crew, Progress, Recipe } from '../base/index.ts'
import { type FloatImage, type Picture, scaleCamera } from '../data/index.ts'
import type { DrawContext, EffectInstance } from '../effects/index.ts'
import { cos, radians, sin, type Vec3 } from '../math/index.ts'
import {
  type Drawable,
  estimatePicture,
  FINAL,
  type FrameScene,
  type LayerDrawables,
  LOOK,
  type PictureQuality,
  type PlateLight,
  prefiltered,
  renderPicture as renderFrame,
  type Shutter,
  type TreeStore,
} from '../picture/index.ts'
import { itemsInOrder, settledAt } from '../settings/index.ts'
import {
  effectOf,
  isDrawn,
  itemAt,
  layerIdOf,
  type PlateLightSettings,
  SETTINGS,
  type ShotDocument,
} from '../shot/index.ts'
import { addedAt, usesPlate } from './added.ts'
import { cameraBetween } from './camera.ts'
import { itemDepths } from './itemDepths.ts'
import { drawLamps } from './lamps.ts'
import { lensOf } from './lens.ts'
import { drawMatteOf, drawMattes, matteKeyOf, matteKeys, matteStands } from './mattes.ts'
import type { MeshSource } from './meshSource.ts'
import { setChanges } from './openings.ts'
import { cameraOf, matteMoment, mattesDrawnWith, momentOf, type PictureFrame } from './pictureFrame.ts'
import { drawReliefs, reliefKeys } from './relight.ts'
import { cleanRims } from './rims.ts'
import { type PieceKey, pieceKeys, scenePieces } from './set.ts'
import {
  carriedKeys,
  clipFrame,
  drawCarried,
  drawThings,
  type PlateSource,
  shutterFrames,
  takenMesh,
  thingKeys,
  wornMaterials,
} from './things.ts'
import { VERSIONS } from './versions.ts'

export type PictureQualityName = 'look' | 'final'
/** A look is made at half the plate's size. */
export const LOOK_SCALE = 0.5
const EMITTERS = { look: 24, final: 64 } as const

export const pictureScale = (quality: PictureQualityName): number => (quality === 'look' ? LOOK_SCALE : 1)

/** Unit direction to the plate's sun. */
export function sunToward({ sunFrom, sunHeight }: Pick<PlateLightSettings, 'sunFrom' | 'sunHeight'>): Vec3 {
  const [from, height] = [radians(sunFrom), radians(sunHeight)]
  return [sin(from) * cos(height), sin(height), -cos(from) * cos(height)]
}

/** The plate's light as the picture has it. surroundings: the picture that it names. */
export function plateLight(settings: PlateLightSettings, surroundings?: FloatImage): PlateLight {
  return {
    sunDirection: sunToward(settings),
    sunShare: settings.sunShare,
    sunColour: settings.sunColour,
    skyColour: settings.skyColour,
    // Without its picture the sky is the model's.
    sky:
      settings.sky !== 'picture'
        ? settings.sky
        : surroundings
          ? { picture: surroundings, turn: settings.skyTurn }
          : 'model',
  }
}

type PictureDocument = Pick<ShotDocument, 'items' | 'plate' | 'signals' | 'light' | 'camera' | 'sit'>
const lightAt = (document: PictureDocument, { frame, inputs = {} }: PictureFrame): PlateLightSettings =>
  settledAt(document, document.light, document.light.follows, SETTINGS.plateLight, frame, inputs)

/**
 * The recipe of one picture frame. keyOf: the key of all that decides a frame of an item's run. Cameras go in by value, set pieces by the keys of their meshes, so a frame stays kept when only other frames change.
 */
export function pictureRecipe(
  document: PictureDocument,
  at: PictureFrame,
  quality: PictureQualityName,
  keyOf: (item: string, frame: number) => string,
  pieces: readonly PieceKey[] = pieceKeys(document, shutterFrames(document, at, quality), at.inputs),
): Recipe {
  const { camera, before, after, instances } = at
  const { follows: _, sunLines: __, sky, skyTurn, surroundings, ...light } = lightAt(document, at)
  // Only things see how the sky's light is spread.
  const round = sky === 'picture' ? { sky, skyTurn, surroundings: surroundings?.blob } : { sky }
  const shown = instances.map(({ item, frames, place, look }) => ({
    layer: layerIdOf(item, document.items[item] ?? {}),
    // Frames of a trail are in their frame's own key; how many they are, and which frame it is, decides how whirls turn.
    frames: frames.map(({ frame, weight, ahead, trail }) => ({
      weight,
      ahead,
      ...(quality === 'final' && trail ? { frame, trail: trail.length } : {}),
    })),
    place,
    look,
    ...(at.plateOn?.[item] ? { on: at.plateOn[item] } : {}),
  }))
  const frozen = instances.some(({ item }) => at.plateOn?.[item])
  const blurs = quality === 'final' && document.camera.shutter > 0
  const things = thingKeys(document, shutterFrames(document, at, quality), quality, at.inputs)
  const lamps = drawLamps(document, at.frame, light.illuminance, at.inputs)
  const open = shutterFrames(document, at, quality)
  const carried = carriedKeys(document, at.frame, open, quality, at.plateOn ?? {}, at.inputs)
  const lens = lensOf(document, at)
  const shapes = shapeKeys(document, at)
  const mattes = matteKeys(document, camera, matteMoment(at, open))
  const reliefs = reliefKeys(document, camera, matteMoment(at, open))
  const drawnWith = mattesDrawnWith(document, at.frame).map(({ matte, frame }) => ({
    frame: frame - at.frame,
    matte: matteKeyOf(document, matte, momentOf(document, at, frame, quality)) ?? null,
    stands: matteStands(document, matte, cameraOf(at, frame), momentOf(document, at, frame, quality)) ?? null,
  }))
  // What the set sends on to things is the plate's own picture, as light.
  const { asset, encoding } = document.plate
  const plate = { plate: asset, encoding, curve: document.sit.curve }
  return {
    kind: 'picture',
    version: VERSIONS.picture,
    settings: {
      camera,
      ...(blurs ? { before, after, shutter: document.camera.shutter } : {}),
      quality,
      shown,
      light,
      pieces,
      ...(things.length > 0 ? { things, round, ...(quality === 'final' ? plate : {}) } : {}),
      ...(lamps.length > 0 ? { lamps } : {}),
      ...(reliefs.length > 0 ? { reliefs } : {}),
      ...(drawnWith.length > 0 ? { drawnWith } : {}),
      ...(shapes.length > 0 ? { shapes } : {}),
      ...(usesPlate(document) ? { around: plate } : {}),
      ...(mattes.length > 0 ? { mattes, ...(quality === 'final' ? { rims: plate } : {}) } : {}),
      ...(carried.length > 0 ? { carried, round, ...plate } : {}),
      ...(frozen ? { round, ...plate } : {}),
      ...(Object.keys(at.others ?? {}).length > 0 ? { others: at.others } : {}),
      ...(quality === 'final' && lens
        ? { lens: { ...lens, ...(lens.disc ? { disc: document.camera.disc?.values } : {}) } }
        : {}),
    },
    inputs: instances.flatMap(({ of, frames }) => frames.map((one) => keyOf(of, one.frame))),
  }
}

/** The items whose shapes others have at a frame, as they stand. */
const shapeKeys = (document: PictureDocument, { frame, inputs }: PictureFrame): unknown[] =>
  Object.values(document.items)
    .filter(({ shown }) => shown)
    .flatMap((item) => effectOf(item)?.shapesOf?.(item) ?? [])
    .flatMap((id) => {
      const own = document.items[id]
      if (!own) return []
      const { name: _, order: __, shown: ___, locked: ____, ...now } = itemAt(document, own, frame, inputs)
      return [now]
    })

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

/** What the picture draws of all that is shown, by layers in the roster's order; an instance whose frames are not there is left out. finer: the crew, where a final's detail is worked out. */
function layersOf(
  document: Pick<ShotDocument, 'items'>,
  instances: readonly EffectInstance[],
  dataOf: (item: string, frame: number) => unknown,
  context: Omit<DrawContext, 'finer'>,
  finer: Crew | undefined,
  others: readonly LayerDrawables[],
  frozenOf: (item: string) => DrawContext['frozen'],
): LayerDrawables[] {
  const layers = new Map<string, Drawable[]>()
  for (const [id, item] of itemsInOrder(document)) if (isDrawn(item)) layers.set(layerIdOf(id, item), [])
  for (const instance of instances) {
    const data = instance.frames.map(({ frame }) => dataOf(instance.of, frame))
    const effect = effectOf(document.items[instance.of])
    const item = document.items[instance.item]
    if (!effect || !item || data.some((one) => one === undefined)) continue
    const frame = (number: number): unknown => dataOf(instance.of, number)
    const own = { ...context, frozen: frozenOf(instance.item) }
    const drawn = effect.draw(instance, data, { ...own, ...(finer ? { finer: { crew: finer, frame } } : {}) })
    layers.get(layerIdOf(instance.item, item))?.push(...drawn)
  }
  for (const { id, drawables } of others) layers.get(id)?.push(...drawables)
  return [...layers].flatMap(([id, drawables]) => (drawables.length > 0 ? [{ id, drawables }] : []))
}

/** What a picture is rendered with besides its shot. */
export interface PictureTools {
  progress?: Progress
  /** What of its quality is wanted otherwise. */
  changed?: Partial<PictureQuality>
  /** The plate as light: what the set sends on to things. */
  plate?: FloatImage
  /** The plate as light at its full size: for finals with mattes, whose rims are cleaned by it. */
  rims?: FloatImage
  /** The picture of the surroundings that the light names. */
  surroundings?: FloatImage
  /** Meshes of things by blob; those that are not there are left out. */
  meshes?: MeshSource
  /** Frames of the plate that are projected on items. */
  plates?: PlateSource
  /** Trees over meshes, kept from frame to frame. */
  trees?: TreeStore
  /** The picture's size against the plate's, where it is not the quality's own. */
  size?: number
  /** Only this part, in px of the picture. */
  part?: { x: number; y: number; width: number; height: number }
}

type DataOf = (item: string, frame: number) => unknown

/** What of a shot a frame is drawn from, laid on the heap as far as effects are worked out. */
function sceneOf(
  crew: Crew,
  document: PictureDocument,
  at: PictureFrame,
  dataOf: DataOf,
  quality: PictureQualityName,
  {
    changed = {},
    meshes = () => undefined,
    plates = () => undefined,
    surroundings,
    size = pictureScale(quality),
    progress: _,
    rims: __,
    plate,
    ...tools
  }: PictureTools,
): FrameScene {
  const light = lightAt(document, at)
  const sky = plateLight(light, surroundings)
  const seen = scaleCamera(at.camera, size)
  const [over, under] = document.plate.rate
  const open = shutterFrames(document, at, quality)
  const things = drawThings(document, open, quality, meshes, at.inputs)
  const lamps = drawLamps(document, at.frame, light.illuminance, at.inputs)
  const reliefs = drawReliefs(document, seen, at.camera, matteMoment(at, open), dataOf)
  const sources = { meshes, plates, on: at.plateOn ?? {} }
  const carried = drawCarried(document, at.frame, open, quality, sources, at.inputs)
  const layers = layersOf(
    document,
    at.instances,
    dataOf,
    {
      illuminance: light.illuminance,
      emitters: EMITTERS[quality],
      camera: seen,
      seconds: under / over,
      shutter: shutterOf(document, at, size),
      lens: quality === 'final' ? lensOf(document, at) : undefined,
      sun: { direction: sky.sunDirection, share: sky.sunShare },
      worn: wornMaterials(meshes, quality),
      taken: takenMesh(meshes, quality),
      shapes: (item) => effectOf(document.items[item])?.shapes?.(document, item) ?? [],
      clip: (of) => plates(clipFrame(of)),
      cameraAt: (frame) => {
        const other = at.others?.[frame]
        return other && scaleCamera(other, size)
      },
      matte: (id, frame, width) => {
        const [by, moment] = [cameraOf(at, frame), momentOf(document, at, frame, quality)]
        const drawn = drawMatteOf(document, id, scaleCamera(by, width / by.width), by.width, moment, dataOf)
        const stands = matteStands(document, id, by, moment)
        return drawn && { image: drawn.image, ...(stands === undefined ? {} : { stands }) }
      },
      crew,
      shape: (id) => itemDepths(document, id, at.frame, seen, takenMesh(meshes, quality), at.inputs),
      replaced: setChanges(document, at.frame, at.inputs).replaced,
      plate,
      added: addedAt(document, at, dataOf),
    },
    quality === 'final' ? crew : undefined,
    [...things.layers, ...carried, ...lamps, ...reliefs],
    (item) => {
      const on = at.plateOn?.[item]
      const image = on && plates(on)
      return image && { image: prefiltered(image), camera: on.camera, pose: on.pose }
    },
  )
  return {
    pieces: [...scenePieces(document, open, at.inputs), ...things.pieces],
    layers,
    camera: seen,
    light: sky,
    quality: { ...(quality === 'look' ? LOOK : FINAL), ...changed },
    shutter: shutterOf(document, at, size),
    mattes: drawMattes(document, seen, at.camera, matteMoment(at, open), dataOf),
    ...(quality === 'final' ? { lens: lensOf(document, at), plate } : {}),
    ...tools,
  }
}

/**
 * Renders one frame at a quality.
 * dataOf: a kept frame of an item's run, as its effect decodes it. Throws LanternError, Cancelled.
 */
export function renderPicture(
  crew: Crew,
  document: PictureDocument,
  at: PictureFrame,
  dataOf: DataOf,
  quality: PictureQualityName,
  tools: PictureTools = {},
): Picture {
  const mark = crew.heap.mark()
  const { rims } = tools
  try {
    const scene = sceneOf(crew, document, at, dataOf, quality, tools)
    const picture = renderFrame(crew, scene, tools.progress)
    const { mattes = [] } = scene
    const fits = rims?.width === picture.width && rims.height === picture.height
    return rims && fits && mattes.length > 0 ? cleanRims(picture, mattes, rims) : picture
  } finally {
    crew.heap.release(mark)
  }
}

/** Seconds that such a frame will take, by one tile in sixteen. now: a clock, s. Throws as renderPicture. */
export function pictureSeconds(
  crew: Crew,
  document: PictureDocument,
  at: PictureFrame,
  dataOf: DataOf,
  quality: PictureQualityName,
  now: () => number,
  tools: PictureTools = {},
): number {
  const mark = crew.heap.mark()
  const begun = now()
  try {
    const scene = sceneOf(crew, document, at, dataOf, quality, tools)
    return now() - begun + estimatePicture(crew, scene, now, tools.progress)
  } finally {
    crew.heap.release(mark)
  }
}
