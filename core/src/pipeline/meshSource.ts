import type { MeshAsset, PictureUse, Texture } from '../data/index.ts'
import { isSeen, isThing, type ThingItem, thingsAt } from '../set/index.ts'
import { itemsInOrder } from '../settings/index.ts'
import { effectOf, type ShotDocument } from '../shot/index.ts'

// Meshes and pictures that were taken in, as a picture is drawn from them.

/** A mesh that was read, with its pictures unpacked: r g b a bytes each; undefined where one could not be. */
export interface LoadedMesh {
  asset: MeshAsset
  pictures: readonly ({ width: number; height: number; data: Uint8Array } | undefined)[]
}
export type MeshSource = (blob: string) => LoadedMesh | undefined

/** The blob that a quality draws of a thing: a look the lighter one. */
export const meshBlob = ({ mesh }: Pick<ThingItem, 'mesh'>, quality: 'look' | 'final'): string =>
  quality === 'look' ? mesh.standIn : mesh.blob

/** The blobs of meshes and surfaces' pictures that a frame is drawn from, with the names of what has them. */
export const meshBlobs = (
  document: Pick<ShotDocument, 'items' | 'plate' | 'signals'>,
  frame: number,
  quality: 'look' | 'final',
): Map<string, string> =>
  new Map([
    ...thingsAt(document, frame).map(([, item]) => [meshBlob(item, quality), item.name] as const),
    ...itemsInOrder(document).flatMap(([, item]) =>
      (item.shown ? (effectOf(item)?.meshes?.(item) ?? []) : []).flatMap((key) => {
        const thing = document.items[key]
        return isThing(thing) ? [[meshBlob(thing, quality), thing.name] as const] : []
      }),
    ),
    ...itemsInOrder(document).flatMap(([, item]) =>
      item.shown &&
      isSeen(item) &&
      !isThing(item) &&
      item.carries === 'surface' &&
      item.pattern === 'pictures' &&
      item.surfacePictures
        ? [[item.surfacePictures.blob, item.name] as const]
        : [],
    ),
  ])

const textures = new WeakMap<object, Map<boolean, Texture>>()
/** A picture as a texture; the same one each time, so that it is laid out once. */
export function textureOf({ pictures }: LoadedMesh, use: PictureUse | undefined, srgb: boolean): Texture | undefined {
  const picture = use && pictures[use.picture]
  if (!use || !picture) return undefined
  const known = textures.get(picture) ?? new Map<boolean, Texture>()
  textures.set(picture, known)
  const texture = known.get(srgb) ?? { ...picture, srgb, wrap: use.wrap }
  known.set(srgb, texture)
  return texture
}
