import { readMeshAsset } from '@lantern/core/formats'
import { type LoadedMesh, meshBlobs } from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import { fetchedMesh, few, pixelsOf } from './fetched.ts'

// Meshes of things, kept at hand.

const meshesKept = few<LoadedMesh>(12)

/** The lighter meshes of a frame's things, unpacked. */
export async function meshesOf(
  document: ShotDocument,
  frame: number,
  quality: 'look' | 'final',
): Promise<Map<string, LoadedMesh>> {
  const found = new Map<string, LoadedMesh>()
  for (const blob of meshBlobs(document, frame, quality).keys()) {
    const there = meshesKept.get(blob)
    found.set(blob, there ?? meshesKept.put(blob, await loadMesh(await fetchedMesh(document.name, blob))))
  }
  return found
}

async function loadMesh(bytes: Uint8Array): Promise<LoadedMesh> {
  const asset = await readMeshAsset(bytes)
  const pictures = await Promise.all(
    asset.pictures.map(async (picture) => {
      try {
        const { width, height, data } = await pixelsOf(picture.bytes, picture.mediaType)
        return { width, height, data: new Uint8Array(data.buffer) }
      } catch {
        return undefined
      }
    }),
  )
  return { asset, pictures }
}
