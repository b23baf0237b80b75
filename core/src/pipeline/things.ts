import { canonicalJson, textKey } from '../base/index.ts'
import {
  type AssetMaterial,
  type Camera,
  type FloatImage,
  type Material,
  type MeshAsset,
  PLAIN,
  type SurfaceMesh,
} from '../data/index.ts'
import { isReuse } from '../effects/again.ts'
import type { FrozenPlate, OtherFrame, WornSurface } from '../effects/index.ts'
import type { LayerDrawables, ScenePiece, Thing } from '../picture/index.ts'
import {
  type AssetMoment,
  animationMoment,
  type CarryingItem,
  carriedAt,
  hasSurface,
  meshKeyOf,
  meshOf as pieceMesh,
  poseOfCarrying,
  type StillPlate,
  surfaceOf,
  type ThingItem,
  thingPose,
  thingsAt,
  trimmedMesh,
  trimPlanes,
} from '../set/index.ts'
import { itemsInOrder, type SignalInputs } from '../settings/index.ts'
import type { ShotDocument } from '../shot/index.ts'
import { effectOf, layerIdOf } from '../shot/index.ts'
import { type LoadedMesh, type MeshSource, meshBlob, textureOf } from './meshSource.ts'
import { setChanges } from './openings.ts'
import { drawSurface, surfaceKey, unfoldingKey } from './surfaces.ts'

// Things as a picture draws them: taken-in meshes in their poses, with their surfaces.

/** The frames at which the shutter opens and closes; equal where nothing is drawn out. */
export interface ShutterFrames {
  opening: number
  closing: number
}

/** One thing while the shutter is open. */
interface OpenThing {
  id: string
  opening: ThingItem
  closing: ThingItem
  moment?: AssetMoment
}

function openThings(document: FrozenDocument, frames: ShutterFrames, inputs: SignalInputs = {}): OpenThing[] {
  const { replaced } = setChanges(document, (frames.opening + frames.closing) / 2, inputs)
  const closing = new Map(thingsAt(document, frames.closing, inputs))
  const { first, rate } = document.plate
  const shown = thingsAt(document, frames.opening, inputs).filter(([id]) => !replaced.has(id))
  return shown.map(([id, item]) => ({
    id,
    opening: item,
    closing: closing.get(id) ?? item,
    moment: animationMoment(item, frames, first, rate[0] / rate[1]),
  }))
}

/** A thing as a picture's recipe names it. */
export const thingKeys = (
  document: FrozenDocument,
  frames: ShutterFrames,
  quality: 'look' | 'final',
  inputs?: SignalInputs,
): unknown[] =>
  openThings(document, frames, inputs)
    .filter(({ opening }) => opening.carries === 'nothing')
    .map(({ id, opening, closing, moment }) => ({
      layer: layerIdOf(id, opening),
      mesh: formOf(opening, quality),
      opening: thingPose(opening),
      ...(frames.opening === frames.closing ? {} : { closing: thingPose(closing) }),
      way: opening.way,
      shadow: opening.shadow,
      tint: opening.tint,
      roughness: opening.roughness,
      ...(moment ? { moment } : {}),
    }))

const surfaces = new WeakMap<MeshAsset, Map<string, SurfaceMesh>>()
/** Trimmed forms of one mesh that are kept. */
const MOST_TRIMMED = 8
/** A thing's mesh without what is trimmed off; one that stands still is made once. */
function meshOf(asset: MeshAsset, moment: AssetMoment | undefined, item: ThingItem): SurfaceMesh {
  const planes = trimPlanes(item)
  if (moment) return trimmedMesh(surfaceOf(asset, moment), planes)
  const known = surfaces.get(asset) ?? new Map<string, SurfaceMesh>()
  surfaces.set(asset, known)
  const key = JSON.stringify(planes)
  const mesh = known.get(key) ?? trimmedMesh(surfaceOf(asset), planes)
  for (const oldest of known.keys()) if (known.size > MOST_TRIMMED) known.delete(oldest)
  known.set(key, mesh)
  return mesh
}

/** What decides a thing's mesh while it stands still. */
const formOf = (item: ThingItem, quality: 'look' | 'final'): unknown => {
  const [blob, planes] = [meshBlob(item, quality), trimPlanes(item)]
  return planes.length > 0 ? { blob, planes } : blob
}

function materialOf(
  loaded: LoadedMesh,
  material: AssetMaterial,
  { tint, roughness }: Pick<ThingItem, 'tint' | 'roughness'>,
): Material {
  const [r, g, b, a] = material.base
  return {
    ...material,
    base: [r * tint[0], g * tint[1], b * tint[2], a],
    roughness: Math.min(1, material.roughness * roughness),
    baseMap: textureOf(loaded, material.baseMap, true),
    normalMap: textureOf(loaded, material.normalMap, false),
    surfaceMap: textureOf(loaded, material.surfaceMap, false),
    emissionMap: textureOf(loaded, material.emissionMap, true),
  }
}

/** A mesh's materials as a thing has them; the last is for triangles that have none. */
function materialsOf(loaded: LoadedMesh, worn: Pick<ThingItem, 'tint' | 'roughness'>): Material[] {
  const [r, g, b] = worn.tint
  const grey: Material = { ...PLAIN, base: [0.5 * r, 0.5 * g, 0.5 * b, 1] }
  return [...loaded.asset.materials.map((one) => materialOf(loaded, one, worn)), grey]
}
/** The materials of a taken-in mesh, for what is made of it. */
export const wornMaterials =
  (source: MeshSource, quality: 'look' | 'final') =>
  ({ blob, standIn, tint, roughness }: WornSurface): Material[] | undefined => {
    const loaded = source(quality === 'look' ? standIn : blob)
    return loaded && materialsOf(loaded, { tint: [...tint], roughness })
  }

/** A taken-in mesh as a thing of it is trimmed, as its file has it. */
export const takenMesh =
  (source: MeshSource, quality: 'look' | 'final') =>
  (thing: ThingItem): SurfaceMesh | undefined => {
    const loaded = source(meshBlob(thing, quality))
    return loaded && meshOf(loaded.asset, undefined, thing)
  }

/** What a frame draws of its things: those that are shaded by layer, and those that count as the set. A thing whose mesh is not there is left out. */
export function drawThings(
  document: FrozenDocument,
  frames: ShutterFrames,
  quality: 'look' | 'final',
  source: MeshSource,
  inputs?: SignalInputs,
): { layers: LayerDrawables[]; pieces: ScenePiece[] } {
  const layers: LayerDrawables[] = []
  const pieces: ScenePiece[] = []
  for (const { id, opening, closing, moment } of openThings(document, frames, inputs)) {
    const form = formOf(opening, quality)
    const loaded = source(meshBlob(opening, quality))
    if (!loaded) continue
    const mesh = meshOf(loaded.asset, moment, opening)
    const key =
      typeof form === 'string' && !moment ? form : textKey(canonicalJson({ form, ...(moment ? { moment } : {}) }))
    const own = { key, mesh, opening: thingPose(opening), closing: thingPose(closing) }
    if (opening.carries !== 'nothing') continue
    if (opening.way === 'set') {
      pieces.push({ ...own, holdsOut: true, receives: true })
      continue
    }
    const materials = materialsOf(loaded, opening)
    const thing: Thing = { kind: 'thing', ...own, materials, throwsShadow: opening.shadow }
    layers.push({ id: layerIdOf(id, opening), drawables: [thing] })
  }
  return { layers, pieces }
}

/** A frame of this shot's plate, or of another one's. */
export interface CarriedFrame {
  frame: number
  other?: Pick<StillPlate, 'asset' | 'encoding' | 'curve'>
  /** Whether it is wanted at its full size; else at half. */
  whole?: boolean
  /** How its colours stand to its alpha, where that is wanted as a fourth channel. */
  alpha?: OtherFrame['alpha']
  /** The channels of its file that are wanted as they are. */
  passes?: OtherFrame['passes']
}
export const carriedFrameKey = ({ frame, other, whole, alpha, passes }: CarriedFrame): string =>
  other
    ? [
        other.asset,
        frame,
        other.encoding,
        other.curve,
        ...(whole ? ['whole'] : []),
        ...(alpha ? [alpha] : []),
        ...(passes ?? []),
      ].join('/')
    : String(frame)
/** A frame of a plate as light, 3 channels of any of its sizes, with straight alpha where that was asked for. */
export type PlateSource = (of: CarriedFrame) => FloatImage | undefined

const otherOf = ({ carries, still }: CarryingItem): Pick<CarriedFrame, 'other'> =>
  carries === 'still' && still ? { other: { asset: still.asset, encoding: still.encoding, curve: still.curve } } : {}

type FrozenDocument = Pick<ShotDocument, 'items' | 'plate' | 'signals'>
/** The frames of the plate that effects have on what they draw, by item. */
const frozenAt = (document: FrozenDocument, frame: number, inputs?: SignalInputs): [string, FrozenPlate][] =>
  itemsInOrder(document).flatMap(([id, item]): [string, FrozenPlate][] => {
    const of = isReuse(item) ? item.of : id
    const frozen = item.shown ? effectOf(document.items[of])?.frozen?.(document, of, frame, inputs) : undefined
    return frozen ? [[id, frozen]] : []
  })

/** Frames of clips that effects show. */
const clipsAt = (document: FrozenDocument, frame: number): CarriedFrame[] =>
  itemsInOrder(document).flatMap(([id, item]) =>
    item.shown ? (effectOf(item)?.clips?.(document, id, frame) ?? []).map(clipFrame) : [],
  )
/** A clip's frame as plates are asked for. */
export const clipFrame = ({ frame, whole, alpha, passes, ...other }: OtherFrame): CarriedFrame => ({
  frame,
  other,
  ...(whole ? { whole } : {}),
  ...(alpha ? { alpha } : {}),
  ...(passes ? { passes } : {}),
})

/** The frames of plates that a frame's items have on them, each once, by their keys. */
export const carriedFrames = (document: FrozenDocument, frame: number): Map<string, CarriedFrame> =>
  new Map([
    ...carriedAt(document, frame).flatMap(({ opening, frame: own }): [string, CarriedFrame][] => {
      const one = { frame: own, ...otherOf(opening) }
      return opening.carries === 'surface' ? [] : [[carriedFrameKey(one), one]]
    }),
    ...frozenAt(document, frame).map(([, { frame: own }]): [string, CarriedFrame] => [String(own), { frame: own }]),
    ...clipsAt(document, frame).map((one): [string, CarriedFrame] => [carriedFrameKey(one), one]),
  ])

/** What is drawn with the plate or a surface on it, but what an effect draws in its place. */
const carriedNow = (
  document: FrozenDocument,
  frame: number,
  open: ShutterFrames,
  inputs?: SignalInputs,
): ReturnType<typeof carriedAt> => {
  const { replaced } = setChanges(document, frame, inputs)
  return carriedAt(document, frame, open, inputs).filter(({ id }) => !replaced.has(id))
}

const formKeyOf = (item: CarryingItem, quality: 'look' | 'final'): unknown =>
  item.kind === 'thing' ? formOf(item, quality) : meshKeyOf(item)

/** What an item has on it: a frame of the plate, seen through its camera, with the item as it stood then. */
export interface PlateOn extends CarriedFrame {
  camera: Camera
  pose: ReturnType<typeof poseOfCarrying>
}

/** What items have on them when a frame is shown, by item; none of those whose frame has no camera. */
export const platesOn = (
  document: FrozenDocument,
  cameras: (frame: number) => Camera | undefined,
  frame: number,
  inputs?: SignalInputs,
): Record<string, PlateOn> =>
  Object.fromEntries([
    ...carriedAt(document, frame, { opening: frame, closing: frame }, inputs).flatMap(
      ({ id, opening, frame: own, pose }): [string, PlateOn][] => {
        const other = otherOf(opening)
        const camera = other.other ? opening.still?.camera : cameras(own)
        return camera ? [[id, { frame: own, ...other, camera, pose }]] : []
      },
    ),
    ...frozenAt(document, frame, inputs).flatMap(([id, { frame: own, pose }]): [string, PlateOn][] => {
      const camera = cameras(own)
      return camera ? [[id, { frame: own, camera, pose }]] : []
    }),
  ])

/** What is drawn with the plate or a surface on it, as a picture's recipe names it. */
export const carriedKeys = (
  document: FrozenDocument,
  frame: number,
  open: ShutterFrames,
  quality: 'look' | 'final',
  on: Readonly<Record<string, PlateOn>>,
  inputs?: SignalInputs,
): unknown[] =>
  carriedNow(document, frame, open, inputs).map(({ id, opening, closing }) => ({
    layer: layerIdOf(id, opening),
    mesh: formKeyOf(opening, quality),
    opening: poseOfCarrying(opening),
    ...(open.opening === open.closing ? {} : { closing: poseOfCarrying(closing) }),
    ...(hasSurface(opening) ? { surface: surfaceKey(opening) } : { on: on[id] }),
  }))

interface CarriedSources {
  meshes: MeshSource
  plates: PlateSource
  on: Readonly<Record<string, PlateOn>>
}

/** The mesh and material of one that is drawn so; undefined where its mesh, camera or plate is not there. */
function drawnBody(
  id: string,
  item: CarryingItem,
  quality: 'look' | 'final',
  { meshes, plates, on: all }: CarriedSources,
): Pick<Thing, 'key' | 'mesh' | 'materials'> | undefined {
  const form = formKeyOf(item, quality)
  if (hasSurface(item)) {
    const { mesh, material } = drawSurface(item, meshes)
    const laid = unfoldingKey(item)
    return { key: `${textKey(canonicalJson(laid ? { form, laid } : form))}-plate`, mesh, materials: [material] }
  }
  const on = all[id]
  const image = on && plates(on)
  const loaded = item.kind === 'thing' ? meshes(meshBlob(item, quality)) : undefined
  const mesh = item.kind === 'thing' ? loaded && meshOf(loaded.asset, undefined, item) : pieceMesh(item)
  if (!mesh || !on || !image) return undefined
  const { parts: _, ...body } = mesh as SurfaceMesh
  const material: Material = { ...PLAIN, plate: { image, camera: on.camera, pose: on.pose } }
  return { key: `${textKey(canonicalJson(form))}-plate`, mesh: body, materials: [material] }
}

/** The same as the picture draws it. One whose mesh, camera or plate is not there is left out. */
export const drawCarried = (
  document: FrozenDocument,
  frame: number,
  open: ShutterFrames,
  quality: 'look' | 'final',
  sources: CarriedSources,
  inputs?: SignalInputs,
): LayerDrawables[] =>
  carriedNow(document, frame, open, inputs).flatMap(({ id, opening, closing }) => {
    const own = drawnBody(id, opening, quality, sources)
    if (!own) return []
    const thing: Thing = {
      kind: 'thing',
      ...own,
      opening: poseOfCarrying(opening),
      closing: poseOfCarrying(closing),
    }
    return [{ id: layerIdOf(id, opening), drawables: [thing] }]
  })

/** The frames between which the shutter is open at a quality: a look sees the frame's own moment. */
export function shutterFrames(
  document: Pick<ShotDocument, 'camera'>,
  { frame }: { frame: number },
  quality: 'look' | 'final',
): ShutterFrames {
  const half = quality === 'final' ? document.camera.shutter / 720 : 0
  return { opening: frame - half, closing: frame + half }
}
