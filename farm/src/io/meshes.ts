import { type Document, WebIO } from '@gltf-transform/core'
import { LanternError } from '@lantern/core/base'
import { type MeshAsset, type PackedPicture, triangleCount } from '@lantern/core/data'
import { readMeshAsset, takeMesh } from '@lantern/core/formats'
import type { LoadedMesh } from '@lantern/core/pipeline'
import { type MeshBody, meshBody, meshBounds, surfaceOf } from '@lantern/core/set'
import { LRUCache } from 'lru-cache'
import { MeshoptSimplifier } from 'meshoptimizer'
import sharp from 'sharp'

// Meshes on the way in (with a lighter one for the browser), and unpacked for pictures.

/** What the browser draws at most: triangles of a mesh, and a picture's longer side. */
const LIGHT_TRIANGLES = 100_000
const LIGHT_SIDE = 1024
/** A picture's longer side at most. */
const MOST_SIDE = 8192
/** How far a thinned surface may lie from the whole one, as a share of the mesh's size. */
const MOST_ERROR = 0.02

/** A mesh that was taken in, as a thing's document names it but for its blobs. */
export interface MeshTaken {
  glb: Uint8Array
  /** Left out where the whole one is light enough. */
  light?: Uint8Array
  triangles: number
  low: [number, number, number]
  high: [number, number, number]
  animations: { name: string; seconds: number }[]
  notes: string[]
  /** What gas stops at. */
  body: MeshBody
}

/** Replaces pictures that can't be read, and halves those that are too large, to `side`. Returns whether any was changed. */
async function fitPictures(document: Document, side: number, notes: string[]): Promise<boolean> {
  let changed = false
  for (const texture of document.getRoot().listTextures()) {
    const bytes = texture.getImage()
    if (!bytes) continue
    try {
      const picture = sharp(bytes, { limitInputPixels: 2 ** 28 })
      const { width, height } = await picture.metadata()
      if (Math.max(width, height) <= side) {
        // The head may be whole where the rest is not.
        await picture.clone().resize(1, 1).raw().toBuffer()
        continue
      }
      const smaller = await picture.resize(side, side, { fit: 'inside' }).png().toBuffer()
      texture.setImage(new Uint8Array(smaller)).setMimeType('image/png')
    } catch {
      const grey = { create: { width: 1, height: 1, channels: 3 as const, background: '#808080' } }
      texture.setImage(new Uint8Array(await sharp(grey).png().toBuffer())).setMimeType('image/png')
      notes.push(`${texture.getName() || texture.getURI() || 'A picture'} can’t be read: what it covers is grey.`)
    }
    changed = true
  }
  return changed
}

/** Thins all of a document's triangles to a share of them. */
async function thin(document: Document, share: number): Promise<void> {
  await MeshoptSimplifier.ready
  for (const mesh of document.getRoot().listMeshes())
    for (const primitive of mesh.listPrimitives()) {
      const [place, listed] = [primitive.getAttribute('POSITION'), primitive.getIndices()]
      if (!place) continue
      const positions = Float32Array.from(place.getArray() ?? [])
      const indices = Uint32Array.from(
        listed?.getArray() ?? { length: place.getCount() },
        listed ? undefined : (_, n) => n,
      )
      const wanted = Math.max(12, Math.floor((indices.length * share) / 3) * 3)
      const [thinned] = MeshoptSimplifier.simplify(indices, positions, 3, wanted, MOST_ERROR, [])
      // A surface in pieces can't be thinned along its edges: then its form alone counts.
      const [kept] =
        thinned.length > wanted * 1.5
          ? MeshoptSimplifier.simplifySloppy(indices, positions, 3, null, wanted, MOST_ERROR)
          : [thinned]
      primitive.setIndices(document.createAccessor().setArray(kept).setBuffer(place.getBuffer()))
    }
}

/** Takes the files of one mesh in: one file, or an archive of several. Throws LanternError 'mesh-file'. */
export async function takeMeshFile(bytes: Uint8Array, file: string): Promise<MeshTaken> {
  const taken = await takeMesh(new Map([[file, bytes]]))
  const io = new WebIO()
  const { notes } = taken
  const whole = await io.readBinary(taken.glb)
  const changed = await fitPictures(whole, MOST_SIDE, notes)
  const glb = changed ? await io.writeBinary(whole) : taken.glb
  const triangles = triangleCount(taken.asset)
  const smaller = await fitPictures(whole, LIGHT_SIDE, [])
  if (triangles > LIGHT_TRIANGLES) await thin(whole, LIGHT_TRIANGLES / triangles)
  const light = smaller || triangles > LIGHT_TRIANGLES ? await io.writeBinary(whole) : undefined
  const animations = taken.asset.animations.map(({ name, seconds }) => ({ name, seconds }))
  const surface = surfaceOf(taken.asset)
  const bounds = meshBounds(surface)
  const body = meshBody(surface, bounds)
  return { glb, ...(light ? { light } : {}), triangles, ...bounds, body, animations, notes }
}

/** A packed picture as r g b a bytes; undefined where it can't be read. */
async function unpack({ bytes }: PackedPicture): Promise<LoadedMesh['pictures'][number]> {
  try {
    const { data, info } = await sharp(bytes, { limitInputPixels: 2 ** 28 })
      .toColourspace('srgb')
      .ensureAlpha()
      .raw()
      .toBuffer({ resolveWithObject: true })
    return { width: info.width, height: info.height, data: new Uint8Array(data) }
  } catch {
    return undefined
  }
}

const bytesOf = ({ asset, pictures }: LoadedMesh): number =>
  pictures.reduce((sum, picture) => sum + (picture?.data.length ?? 0), assetBytes(asset))
const assetBytes = ({ parts }: MeshAsset): number =>
  parts.reduce((sum, { positions, indices }) => sum + positions.byteLength * 3 + indices.byteLength, 1)

/** Reads kept meshes, the last used ones at hand. */
export function meshReader(read: (blob: string) => Promise<Uint8Array>, mostBytes = 1e9) {
  const kept = new LRUCache<string, LoadedMesh>({ maxSize: mostBytes, sizeCalculation: bytesOf })
  return async (blob: string): Promise<LoadedMesh> => {
    const known = kept.get(blob)
    if (known) return known
    const asset = await readMeshAsset(await read(blob))
    const loaded = { asset, pictures: await Promise.all(asset.pictures.map(unpack)) }
    kept.set(blob, loaded)
    return loaded
  }
}

/** Throws LanternError 'mesh-gone' where a thing's mesh is not in the store any more. */
export const meshGone = (name: string): LanternError =>
  new LanternError('mesh-gone', `The mesh of ${name} is not there any more.`, 'Take its file in again.', {
    field: 'mesh',
  })
