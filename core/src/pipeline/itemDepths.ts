import type { Camera, Mesh, SurfaceMesh } from '../data/index.ts'
import { isPiece, isThing, meshOf, standingPose, type ThingItem, thingPose } from '../set/index.ts'
import type { ItemDocument, SignalInputs } from '../settings/index.ts'
import { itemAt, type ShotDocument } from '../shot/index.ts'
import { meshDepths } from './depthRaster.ts'

/** How far along the view a piece or thing of the set is at the middle of each pixel, m, whether it is shown or not; Infinity beside it. Undefined where it is none, or its mesh is not there. taken: a thing's mesh. */
export function itemDepths(
  document: ItemDocument,
  id: string,
  frame: number,
  camera: Camera,
  taken: (thing: ThingItem) => SurfaceMesh | undefined,
  inputs: SignalInputs = {},
): Float32Array | undefined {
  const item = document.items[id]
  const now = item && itemAt(document as ShotDocument, item as ShotDocument['items'][string], frame, inputs)
  if (!now) return undefined
  if (isPiece(now)) return meshDepths(meshOf(now), standingPose(now), camera)
  if (!isThing(now)) return undefined
  const mesh = taken(now)
  const { rotation, place, scale } = thingPose(now)
  const sized: Mesh | undefined = mesh && { ...mesh, positions: mesh.positions.map((value) => value * scale) }
  return sized && meshDepths(sized, { rotation, position: place }, camera)
}
