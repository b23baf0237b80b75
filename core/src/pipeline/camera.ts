import type { Camera } from '../data/index.ts'
import type { CameraPath } from '../formats/index.ts'
import { panTiltRoll, radians } from '../math/index.ts'
import type { ShotDocument } from '../shot/index.ts'

/** The shot's camera at a frame, over the full plate; undefined where it has none. path: what the document's camera file holds, or its kept solve gives. */
export function cameraAt(document: Pick<ShotDocument, 'camera' | 'plate'>, path: CameraPath | undefined, frame: number): Camera | undefined {
  const { camera, plate } = document
  if (camera.kind === 'none') return undefined
  if (camera.kind === 'path' || camera.kind === 'solved') {
    const frames = path?.frames
    const first = frames?.[0]?.frame ?? 0
    return frames?.[Math.min(frames.length - 1, Math.max(0, frame - first))]?.camera
  }
  return {
    position: [0, camera.height, 0],
    rotation: panTiltRoll(0, radians(camera.tilt), radians(camera.roll)),
    focalPx: camera.focal * plate.width,
    centre: [plate.width / 2, plate.height / 2],
    k1: camera.k1, k2: camera.k2, width: plate.width, height: plate.height,
  }
}
