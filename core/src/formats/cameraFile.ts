import { LanternError } from '../base/index.ts'
import { type Axes, type Camera, placeIn, turnIn } from '../data/index.ts'
import { scale } from '../math/index.ts'
import { readCameraCsv } from './csv/camera.ts'
import { type CameraPath, readCameraGltf } from './gltf/cameraReader.ts'
import { readCameraUsd } from './usd/camera.ts'

/** The plate that a camera is taken in for; rate in frames a second. */
export interface PlateFrame {
  width: number
  height: number
  first: number
  last: number
  rate: number
}

/** A camera as its file numbers its frames. */
export interface ReadCamera {
  frames: { frame: number; camera: Camera }[]
  /** Frames a second, as the file says. */
  rate: number
}

/** What a person says of a file beyond what it says itself. */
export interface TakeIn {
  /** Times the file's own size. */
  scale?: number
  /** Added to the file's frame numbers. */
  offset?: number
  /** In place of the axis that the file calls up. */
  up?: Axes['up']
}

/** The path over the plate's frames; before and after the file's own frames the camera stays. Frames as numbered in the file where those overlap the plate's, else begun with the plate. */
function overPlate(
  { frames }: ReadCamera,
  plate: PlateFrame,
  { scale: size = 1, offset = 0, up }: TakeIn,
): { path: CameraPath; begun: boolean } {
  const [start, end] = [frames[0]?.frame ?? 0, frames[frames.length - 1]?.frame ?? 0]
  const overlaps = start + offset <= plate.last && end + offset >= plate.first
  const shift = offset + (overlaps ? 0 : plate.first - start - offset)
  const turned: Axes = { up: up ?? 'y', metres: 1 }
  let at = 0
  return {
    begun: !overlaps,
    path: {
      frames: Array.from({ length: plate.last - plate.first + 1 }, (_, n) => {
        while (at + 1 < frames.length && (frames[at + 1]?.frame ?? 0) + shift <= plate.first + n) at++
        const camera = frames[at]?.camera as Camera
        return {
          frame: plate.first + n,
          camera: {
            ...camera,
            position: placeIn(turned, scale(camera.position, size)),
            rotation: turnIn(turned, camera.rotation),
          },
        }
      }),
    },
  }
}

/** Refuses a camera that is nowhere, or whose lens is none. Throws LanternError 'camera-file' naming the frame. */
function refuseUnsound(path: CameraPath, file: string): void {
  const bad = path.frames.find(({ camera: { position, rotation, focalPx, centre, k1, k2 } }) => {
    const numbers = [...position, ...rotation, focalPx, ...centre, k1, k2]
    return !numbers.every((one) => Number.isFinite(one) && Math.abs(one) < MOST_NUMBER) || !(focalPx > 0)
  })
  if (bad)
    throw new LanternError(
      'camera-file',
      `${file} has no sound camera at frame ${bad.frame}: a place, a turn or a lens is not a finite number.`,
      'Write the camera again.',
      { file, frame: bad.frame },
    )
}
const MOST_NUMBER = 1e12

export const CAMERA_FILES = ['.gltf', '.glb', '.usda', '.usd', '.csv'] as const

/**
 * A camera from glTF 2.0, USD ASCII or a table as CSV, told apart by the name's ending, over a plate's frames.
 * notes: what was taken otherwise than it stands in the file, for a person to know.
 * Throws LanternError: 'camera-file' for another ending or a camera that is not finite, else as the format's own reader does.
 */
export function readCameraFile(
  bytes: Uint8Array,
  file: string,
  plate: PlateFrame,
  how: TakeIn = {},
): CameraPath & { notes: string[] } {
  const read = readAnyCamera(bytes, file, plate, how)
  refuseUnsound(read, file)
  return read
}

function readAnyCamera(
  bytes: Uint8Array,
  file: string,
  plate: PlateFrame,
  how: TakeIn,
): CameraPath & { notes: string[] } {
  const ending = /\.\w+$/.exec(file.toLowerCase())?.[0] ?? ''
  const rated = (rate: number): string[] =>
    Math.abs(rate - plate.rate) > 1e-3 * plate.rate
      ? [
          `${file} runs at ${rate} frames a second, the plate at ${Number(plate.rate.toFixed(3))}: its frames are taken one for one.`,
        ]
      : []
  const outside = (start: number | undefined): string =>
    `${file} is numbered from ${start}, outside the plate’s frames: its first was put on frame ${plate.first}.`
  if (ending === '.gltf' || ending === '.glb' || ending === '') {
    // glTF counts in seconds, and is Y up and in metres by its standard.
    const span = plate.last - plate.first
    const own = readCameraGltf(bytes, file, plate)
    const start = own.first ?? plate.first
    const elsewhere = start > plate.last || start + span < plate.first
    const { frames, rate } = elsewhere
      ? readCameraGltf(bytes, file, { ...plate, first: start, last: start + span })
      : own
    const { path, begun } = overPlate({ frames, rate: plate.rate }, plate, how)
    return { ...path, notes: [...(rate === undefined ? [] : rated(rate)), ...(begun ? [outside(start)] : [])] }
  }
  const read =
    ending === '.csv'
      ? readCameraCsv(bytes, file, plate)
      : ending === '.usda' || ending === '.usd'
        ? readCameraUsd(bytes, file, plate)
        : undefined
  if (!read)
    throw new LanternError(
      'camera-file',
      `${file} is none of the kinds of file that a camera is read from.`,
      `Write it as ${CAMERA_FILES.join(', ')}.`,
      { file },
    )
  if (read.frames.length === 0)
    throw new LanternError('camera-file', `${file} holds no frame.`, 'Write the camera over its frames.', { file })
  const { path, begun } = overPlate(read, plate, how)
  return { ...path, notes: [...rated(read.rate), ...(begun ? [outside(read.frames[0]?.frame)] : [])] }
}
