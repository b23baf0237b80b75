import { canonicalJson, textKey } from '../base/index.ts'
import {
  type AssetMaterial,
  type Camera,
  type FloatImage,
  type Material,
  type MeshAsset,
  type PictureUse,
  PLAIN,
  type SurfaceMesh,
  type Texture,
} from '../data/index.ts'
import type { LayerDrawables, ScenePiece, Thing } from '../picture/index.ts'
import {
  type AssetMoment,
  animationMoment,
  type CarryingItem,
  carriedAt,
  meshKeyOf,
  meshOf as pieceMesh,
  poseOfCarrying,
  surfaceOf,
  type ThingItem,
  thingPose,
  thingsAt,
} from '../set/index.ts'
import type { ItemDocument, SignalInputs } from '../settings/index.ts'
import { layerIdOf } from '../shot/index.ts'

// Things as a picture draws them: taken-in meshes in their poses, with their surfaces.

/** A mesh that was read, with its pictures unpacked: r g b a bytes each; undefined where one could not be. */
export interface LoadedMesh {
  asset: MeshAsset
  pictures: readonly ({ width: number; height: number; data: Uint8Array } | undefined)[]
}
export type MeshSource = (blob: string) => LoadedMesh | undefined

/** The frames at which the shutter opens and closes; equal where nothing is drawn out. */
export interface ShutterFrames {
  opening: number
  closing: number
}

/** The blob that a quality draws of a thing: a look the lighter one. */
export const meshBlob = ({ mesh }: Pick<ThingItem, 'mesh'>, quality: 'look' | 'final'): string =>
  quality === 'look' ? mesh.standIn : mesh.blob

/** One thing while the shutter is open. */
interface OpenThing {
  id: string
  opening: ThingItem
  closing: ThingItem
  moment?: AssetMoment
}

function openThings(document: ItemDocument, frames: ShutterFrames, inputs: SignalInputs = {}): OpenThing[] {
  const closing = new Map(thingsAt(document, frames.closing, inputs))
  const { first, rate } = document.plate
  return thingsAt(document, frames.opening, inputs).map(([id, item]) => ({
    id,
    opening: item,
    closing: closing.get(id) ?? item,
    moment: animationMoment(item, frames, first, rate[0] / rate[1]),
  }))
}

/** The blobs of meshes that a frame is drawn from. */
export const meshBlobs = (document: ItemDocument, frame: number, quality: 'look' | 'final'): string[] => [
  ...new Set(thingsAt(document, frame).map(([, item]) => meshBlob(item, quality))),
]

/** A thing as a picture's recipe names it. */
export const thingKeys = (
  document: ItemDocument,
  frames: ShutterFrames,
  quality: 'look' | 'final',
  inputs?: SignalInputs,
): unknown[] =>
  openThings(document, frames, inputs)
    .filter(({ opening }) => opening.carries === 'nothing')
    .map(({ id, opening, closing, moment }) => ({
      layer: layerIdOf(id, opening),
      mesh: meshBlob(opening, quality),
      opening: thingPose(opening),
      ...(frames.opening === frames.closing ? {} : { closing: thingPose(closing) }),
      way: opening.way,
      shadow: opening.shadow,
      tint: opening.tint,
      roughness: opening.roughness,
      ...(moment ? { moment } : {}),
    }))

const surfaces = new WeakMap<MeshAsset, SurfaceMesh>()
/** An asset's mesh; one that stands still is made once. */
function meshOf(asset: MeshAsset, moment: AssetMoment | undefined): SurfaceMesh {
  if (moment) return surfaceOf(asset, moment)
  const mesh = surfaces.get(asset) ?? surfaceOf(asset)
  surfaces.set(asset, mesh)
  return mesh
}

const textures = new WeakMap<object, Map<boolean, Texture>>()
/** A picture as a texture; the same one each time, so that it is laid out once. */
function textureOf({ pictures }: LoadedMesh, use: PictureUse | undefined, srgb: boolean): Texture | undefined {
  const picture = use && pictures[use.picture]
  if (!use || !picture) return undefined
  const known = textures.get(picture) ?? new Map<boolean, Texture>()
  textures.set(picture, known)
  const texture = known.get(srgb) ?? { ...picture, srgb, wrap: use.wrap }
  known.set(srgb, texture)
  return texture
}

function materialOf(loaded: LoadedMesh, material: AssetMaterial, { tint, roughness }: ThingItem): Material {
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

/** What a frame draws of its things: those that are shaded by layer, and those that count as the set. A thing whose mesh is not there is left out. */
export function drawThings(
  document: ItemDocument,
  frames: ShutterFrames,
  quality: 'look' | 'final',
  source: MeshSource,
  inputs?: SignalInputs,
): { layers: LayerDrawables[]; pieces: ScenePiece[] } {
  const layers: LayerDrawables[] = []
  const pieces: ScenePiece[] = []
  for (const { id, opening, closing, moment } of openThings(document, frames, inputs)) {
    const blob = meshBlob(opening, quality)
    const loaded = source(blob)
    if (!loaded) continue
    const mesh = meshOf(loaded.asset, moment)
    const key = moment ? textKey(canonicalJson({ blob, moment })) : blob
    const own = { key, mesh, opening: thingPose(opening), closing: thingPose(closing) }
    if (opening.carries !== 'nothing') continue
    if (opening.way === 'set') {
      pieces.push({ ...own, holdsOut: true, receives: true })
      continue
    }
    const grey = { ...PLAIN, base: [0.5 * opening.tint[0], 0.5 * opening.tint[1], 0.5 * opening.tint[2], 1] as const }
    const materials = [...loaded.asset.materials.map((one) => materialOf(loaded, one, opening)), grey]
    const thing: Thing = { kind: 'thing', ...own, materials, throwsShadow: opening.shadow }
    layers.push({ id: layerIdOf(id, opening), drawables: [thing] })
  }
  return { layers, pieces }
}

/** A frame of the plate as light, 3 channels of any of its sizes. */
export type PlateSource = (frame: number) => FloatImage | undefined

/** The frames of the plate that a frame's items have on them. */
export const plateFrames = (document: ItemDocument, frame: number): number[] => [
  ...new Set(
    carriedAt(document, frame, { opening: frame, closing: frame }).flatMap(({ opening, frame: own }) =>
      opening.carries === 'surface' ? [] : [own],
    ),
  ),
]

const formKeyOf = (item: CarryingItem, quality: 'look' | 'final'): unknown =>
  item.kind === 'thing' ? meshBlob(item, quality) : meshKeyOf(item)

/** What an item has on it: a frame of the plate, seen through its camera, with the item as it stood then. */
export interface PlateOn {
  frame: number
  camera: Camera
  pose: ReturnType<typeof poseOfCarrying>
}

/** What items have on them when a frame is shown, by item; none of those whose frame has no camera. */
export const platesOn = (
  document: ItemDocument,
  cameras: (frame: number) => Camera | undefined,
  frame: number,
  inputs?: SignalInputs,
): Record<string, PlateOn> =>
  Object.fromEntries(
    carriedAt(document, frame, { opening: frame, closing: frame }, inputs).flatMap(({ id, frame: own, pose }) => {
      const camera = cameras(own)
      return camera ? [[id, { frame: own, camera, pose }]] : []
    }),
  )

const surfaceOfPiece = (item: Exclude<CarryingItem, ThingItem>): Partial<Material> => ({
  base: [...item.surfaceColour, 1],
  roughness: item.roughness,
  metal: item.metal,
})

/** What is drawn with the plate or a surface on it, as a picture's recipe names it. */
export const carriedKeys = (
  document: ItemDocument,
  frame: number,
  open: ShutterFrames,
  quality: 'look' | 'final',
  on: Readonly<Record<string, PlateOn>>,
  inputs?: SignalInputs,
): unknown[] =>
  carriedAt(document, frame, open, inputs).map(({ id, opening, closing }) => ({
    layer: layerIdOf(id, opening),
    mesh: formKeyOf(opening, quality),
    opening: poseOfCarrying(opening),
    ...(open.opening === open.closing ? {} : { closing: poseOfCarrying(closing) }),
    ...(opening.carries === 'surface' ? { surface: surfaceOfPiece(opening) } : { on: on[id] }),
  }))

/** The same as the picture draws it. One whose mesh, camera or plate is not there is left out. */
export const drawCarried = (
  document: ItemDocument,
  frame: number,
  open: ShutterFrames,
  quality: 'look' | 'final',
  sources: { meshes: MeshSource; plates: PlateSource; on: Readonly<Record<string, PlateOn>> },
  inputs?: SignalInputs,
): LayerDrawables[] =>
  carriedAt(document, frame, open, inputs).flatMap(({ id, opening, closing }) => {
    const on = sources.on[id]
    const image = on && sources.plates(on.frame)
    const loaded = opening.kind === 'thing' ? sources.meshes(meshBlob(opening, quality)) : undefined
    const mesh = opening.kind === 'thing' ? loaded && meshOf(loaded.asset, undefined) : pieceMesh(opening)
    const bare = opening.carries === 'surface'
    if (!mesh || (!bare && !(on && image))) return []
    const key = textKey(canonicalJson(formKeyOf(opening, quality)))
    const { parts: _, ...form } = mesh as SurfaceMesh
    const material: Material = {
      ...PLAIN,
      ...(bare ? surfaceOfPiece(opening) : {}),
      ...(on && image && !bare ? { plate: { image, camera: on.camera, pose: on.pose } } : {}),
    }
    const thing: Thing = {
      kind: 'thing',
      key: `${key}-plate`,
      mesh: form,
      materials: [material],
      opening: poseOfCarrying(opening),
      closing: poseOfCarrying(closing),
    }
    return [{ id: layerIdOf(id, opening), drawables: [thing] }]
  })
