import type { Camera } from '../data/index.ts'
import { decodeBase64 } from '../formats/index.ts'
import { conjugate, rotate, subtract, type Vec3 } from '../math/index.ts'
import type { Lens } from '../picture/index.ts'
import type { SignalInputs } from '../settings/index.ts'
import { itemAt, type ShotDocument } from '../shot/index.ts'

// The lens of a shot's camera at a frame.

/** Metres along the view to a place; 0 behind the camera. */
const depthOf = (camera: Camera, at: Vec3): number =>
  Math.max(0, -rotate(conjugate(camera.rotation), subtract(at, camera.position))[2])

/** The lens by the camera's notes: none where they don't say how far things are out of focus. Its focal length is the seen one, in picture widths, times the sensor's. */
export function lensOf(
  document: Pick<ShotDocument, 'items' | 'plate' | 'signals' | 'camera'>,
  { camera, frame, inputs }: { camera: Camera; frame: number; inputs?: SignalInputs },
): Lens | undefined {
  const { fNumber, sensor, blades, squeeze, focusOn, disc } = document.camera
  const on = document.items[focusOn]
  const focus = (on && depthOf(camera, itemAt(document, on, frame, inputs).position)) || document.camera.focus
  if (fNumber <= 0 || focus <= 0 || sensor <= 0) return undefined
  const focal = ((camera.focalPx / camera.width) * sensor) / 1000
  const shape = disc && decodeBase64(disc.values)
  return {
    radius: focal / (2 * fNumber),
    focus,
    blades: Math.round(blades),
    squeeze,
    ...(shape ? { disc: shape } : {}),
  }
}
