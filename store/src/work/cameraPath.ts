import { type CameraPath, readCameraFile } from '@lantern/core/formats'
import { cameraAt, shakenPath, solvedPath } from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import { getBlob } from '../blobs.ts'
import type { Store } from '../open.ts'
import { keptSolveOf, keptTracks, manualTrackKey } from './match.ts'

/** The camera file that the document names, or its kept solve put on the ground, over its plate's frames; undefined where there is none. */
export async function cameraPathOf(store: Store, document: ShotDocument): Promise<CameraPath | undefined> {
  const { camera, plate } = document
  if (camera.kind === 'solved' && camera.solve) {
    const solve = await keptSolveOf(store, camera.solve.key)
    return solve && solvedPath(solve, camera.solve.by)
  }
  const still = camera.shake && cameraAt(document, undefined, plate.first)
  if (still && camera.shake && (camera.kind === 'typed' || camera.kind === 'lined')) {
    const { hand, frame, model } = camera.shake
    const followed = await keptTracks(store, manualTrackKey(document, hand) ?? '')
    return followed && shakenPath(still, plate, frame, model, followed)
  }
  if (camera.kind !== 'path' || !camera.path) return undefined
  return readCameraFile(
    await getBlob(store, camera.path.blob),
    camera.path.file,
    { ...plate, rate: plate.rate[0] / plate.rate[1] },
    camera.path,
  )
}
