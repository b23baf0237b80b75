import { LanternError } from '../base/index.ts'
import type { Camera } from '../data/index.ts'
import type { CameraPath } from '../formats/index.ts'
import { lineUp } from '../match/index.ts'
import { panTiltRoll, radians } from '../math/index.ts'
import type { ShotDocument } from '../shot/index.ts'

const made = new WeakMap<object, LinedCamera>()
export interface LinedCamera {
  camera?: Camera
  /** Root mean square distance of the lines' ends from lines to their vanishing points, px. */
  rms?: number
  /** Why there is no camera, and what to do. */
  error?: LanternError
}

/** The camera that the document's drawn lines give; the lens's bend as typed beside it. */
export function linedCamera({ camera, plate }: Pick<ShotDocument, 'camera' | 'plate'>): LinedCamera {
  const drawn = camera.lineUp
  const missing = (what: string, remedy: string): LinedCamera => ({
    error: new LanternError('line-up', what, remedy, { field: 'lines' }),
  })
  if (!drawn) return missing('No line is drawn yet.', 'Draw lines along edges that are parallel in the world.')
  const kept = made.get(drawn)
  if (kept) return kept
  const { origin, length, focal, lines } = drawn
  let result: LinedCamera
  if (!origin) result = missing('The origin is not set.', 'Set it where a length is known from.')
  else if (!length) result = missing('No length is known.', 'Draw one from the origin along an edge.')
  else
    try {
      const of = (axis: 'x' | 'y' | 'z') => lines.filter((line) => line.axis === axis).map(({ ends }) => ends)
      result = lineUp({
        lines: { x: of('x'), y: of('y'), z: of('z') },
        width: plate.width,
        height: plate.height,
        origin,
        length,
        ...(focal ? { focalPx: focal * plate.width, k1: camera.k1, k2: camera.k2 } : {}),
      })
    } catch (error) {
      if (!(error instanceof LanternError)) throw error
      result = { error }
    }
  made.set(drawn, result)
  return result
}

/** Whether a camera's frames come from a file or a kept result beside the document. */
export const hasPath = ({ camera }: Pick<ShotDocument, 'camera'>): boolean =>
  camera.kind === 'path' ||
  camera.kind === 'solved' ||
  ((camera.kind === 'typed' || camera.kind === 'lined') && camera.shake !== undefined)

/** The shot's camera at a frame, over the full plate; undefined where it has none. path: what the document's camera file holds, its kept solve gives, or its shake makes of a still camera. */
export function cameraAt(
  document: Pick<ShotDocument, 'camera' | 'plate'>,
  path: CameraPath | undefined,
  frame: number,
): Camera | undefined {
  const { camera, plate } = document
  if (camera.kind === 'none') return undefined
  if (camera.kind === 'path' || camera.kind === 'solved' || (camera.shake && path)) {
    const frames = path?.frames
    const first = frames?.[0]?.frame ?? 0
    return frames?.[Math.min(frames.length - 1, Math.max(0, frame - first))]?.camera
  }
  if (camera.kind === 'lined') return linedCamera(document).camera
  return {
    position: [0, camera.height, 0],
    rotation: panTiltRoll(0, radians(camera.tilt), radians(camera.roll)),
    focalPx: camera.focal * plate.width,
    centre: [plate.width / 2, plate.height / 2],
    k1: camera.k1,
    k2: camera.k2,
    width: plate.width,
    height: plate.height,
  }
}

/** A camera between two others, for the open shutter: straight between their places, the short way between their turns. */
export function cameraBetween(a: Camera, b: Camera, t: number): Camera {
  const mix = (x: number, y: number): number => x + (y - x) * t
  const sign = a.rotation.reduce((sum, v, n) => sum + v * (b.rotation[n] ?? 0), 0) < 0 ? -1 : 1
  const q = a.rotation.map((v, n) => mix(v, sign * (b.rotation[n] ?? 0)))
  const size = Math.sqrt(q.reduce((sum, v) => sum + v * v, 0)) || 1
  return {
    ...a,
    position: [mix(a.position[0], b.position[0]), mix(a.position[1], b.position[1]), mix(a.position[2], b.position[2])],
    rotation: q.map((v) => v / size) as unknown as Camera['rotation'],
    focalPx: mix(a.focalPx, b.focalPx),
  }
}
