import type { Camera } from '@lantern/core/data'
import { conjugate, rotate, subtract, type Vec3 } from '@lantern/core/math'
import { isFlat, isPiece, isThing } from '@lantern/core/set'
import { itemsInOrder } from '@lantern/core/settings'
import { itemAt, type ShotDocument, type ShotItem } from '@lantern/core/shot'
import { viewOf } from '../items/index.ts'
import { hasNoPlace } from '../items/place.ts'
import { thingCorners } from '../items/things.tsx'
import { cornersOf } from '../picture/lines.ts'

// Where things lie on the depth rail: metres from the camera on a logarithmic scale.

const NEAR = 0.7
const FAR = 90
/** Pixels at the rail's ends that the scale leaves free: at the bottom, and in all. */
const FOOT = 26
const ENDS = 48
/** Bars beside one another before they begin anew. */
const COLUMNS = 4

export interface DepthBar {
  id: string
  item: ShotItem
  near: number
  far: number
  /** px from the rail's left edge. */
  x: number
}

/** Distance of a place along the view, m. */
export const depthOf = (camera: Camera, at: Vec3): number =>
  -rotate(conjugate(camera.rotation), subtract(at, camera.position))[2]

/** px from the rail's top for a depth, on a rail so high. */
export const heightOf = (metres: number, height: number): number =>
  height - FOOT - ((height - ENDS) * Math.log(Math.min(FAR, Math.max(NEAR, metres)) / NEAR)) / Math.log(FAR / NEAR)

/** The depth that a bar has when it is dragged up by so many px. */
export const draggedDepth = (depth: number, up: number, height: number): number =>
  depth * (FAR / NEAR) ** (up / (height - ENDS))

/** A place moved along the level of the view by so many metres, to the millimetre. */
export function movedInDepth(camera: Camera, position: Vec3, by: number): number[] {
  const forward = rotate(camera.rotation, [0, 0, -1])
  const flat = Math.hypot(forward[0], forward[2]) || 1
  return [position[0] + (forward[0] / flat) * by, position[1], position[2] + (forward[2] / flat) * by].map(
    (v) => Math.round(v * 1000) / 1000,
  )
}

/** How far from the camera each shown thing begins and ends at a frame. */
export const depthBars = (document: ShotDocument, camera: Camera, frame: number): DepthBar[] =>
  itemsInOrder(document)
    .filter(([, item]) => item.shown && !hasNoPlace(item) && !(isPiece(item) && isFlat(item)))
    .map(([id, still], n) => {
      const item = itemAt(document, still, frame)
      const radius = viewOf(item).radius(item)
      const middle = depthOf(camera, item.position)
      const depths = isPiece(item)
        ? cornersOf(item).map((corner) => depthOf(camera, corner))
        : isThing(item)
          ? thingCorners(item).map((corner) => depthOf(camera, corner))
          : [middle - radius, middle + radius]
      return { id, item, near: Math.min(...depths), far: Math.max(...depths), x: 23 + (n % COLUMNS) * 4 }
    })
