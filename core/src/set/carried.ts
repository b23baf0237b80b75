import { type Camera, projectPoint } from '../data/index.ts'
import { add, type Quaternion, rotate, type Vec3 } from '../math/index.ts'
import { type Item, type ItemDocument, itemsInOrder, movedAndSettledAt, type SignalInputs } from '../settings/index.ts'
import { meshOf, pieceSettings, turnOf } from './kinds.ts'
import { isPiece } from './pieces.ts'
import type { BoxItem, FormItem, ThingItem } from './schema.ts'
import { isThing, THING_SETTINGS, thingPose } from './things.ts'
import { trimmedBounds } from './trim.ts'

// Pieces and things that have the plate projected on them, which they take along, and pieces with a surface of their own.

export type CarryingItem = BoxItem | FormItem | ThingItem
/** Whether an item is drawn with the plate on it, or with a surface of its own. */
export const isSeen = (item: Item): item is CarryingItem =>
  'carries' in item && item.carries !== 'nothing' && (isPiece(item) || isThing(item))

/** A piece with a surface of its own. */
export type SurfacedItem = BoxItem | FormItem
export const hasSurface = (item: CarryingItem): item is SurfacedItem => item.carries === 'surface'

export const poseOfCarrying = (item: CarryingItem): { rotation: Quaternion; place: Vec3; scale: number } =>
  isThing(item) ? thingPose(item) : { rotation: turnOf(item), place: item.position, scale: 1 }

const at = (document: ItemDocument, item: CarryingItem, frame: number, inputs?: SignalInputs): CarryingItem =>
  movedAndSettledAt(document, item, isThing(item) ? THING_SETTINGS : pieceSettings(item), frame, inputs)

/** The frame of the plate that an item has on it when a frame is shown. */
export const plateFrameOf = (document: ItemDocument, item: CarryingItem, frame: number): number => {
  const { first, last } = document.plate
  if (item.carries === 'still' && item.still) return item.still.frame
  return item.carries === 'moving' ? frame : Math.min(last, Math.max(first, Math.round(item.frozen || first)))
}

/** One that is drawn while the shutter is open, the frame of the plate that it has on it, and where it stood then. */
export interface Carried {
  id: string
  opening: CarryingItem
  closing: CarryingItem
  frame: number
  pose: ReturnType<typeof poseOfCarrying>
}

/** All shown items that are drawn so, in the roster's order. */
export const carriedAt = (
  document: ItemDocument,
  frame: number,
  open = { opening: frame, closing: frame },
  inputs?: SignalInputs,
): Carried[] =>
  itemsInOrder(document).flatMap(([id, item]): Carried[] => {
    if (!item.shown || !isSeen(item)) return []
    const own = plateFrameOf(document, item, frame)
    return [
      {
        id,
        opening: at(document, item, open.opening, inputs),
        closing: at(document, item, open.closing, inputs),
        frame: own,
        // A frame that is kept shows it where it was fitted to the plate, before any key moved it.
        pose: poseOfCarrying(item.carries === 'moving' ? at(document, item, own, inputs) : item),
      },
    ]
  })

/** Corners of an item's bounds in the world. */
function cornersOf(item: CarryingItem): Vec3[] {
  const { rotation, place, scale } = poseOfCarrying(item)
  const low: [number, number, number] = [Infinity, Infinity, Infinity]
  const high: [number, number, number] = [-Infinity, -Infinity, -Infinity]
  const take = (p: ArrayLike<number>, n: number): void => {
    for (const c of [0, 1, 2] as const) {
      low[c] = Math.min(low[c], p[n + c] ?? 0)
      high[c] = Math.max(high[c], p[n + c] ?? 0)
    }
  }
  if (isThing(item)) Object.values(trimmedBounds(item)).forEach((corner) => take(corner, 0))
  else {
    const { positions } = meshOf(item)
    for (let n = 0; n < positions.length; n += 3) take(positions, n)
  }
  return Array.from({ length: 8 }, (_, n): Vec3 => {
    const corner: Vec3 = [n & 1 ? high[0] : low[0], n & 2 ? high[1] : low[1], n & 4 ? high[2] : low[2]]
    return add(place, rotate(rotation, [corner[0] * scale, corner[1] * scale, corner[2] * scale]))
  })
}

/** The frame that shows an item whole and largest where it was fitted to the plate; undefined where none shows all of it. */
export function bestPlateFrame(
  document: Pick<ItemDocument, 'plate'>,
  item: CarryingItem,
  camera: (frame: number) => Camera | undefined,
): number | undefined {
  const corners = cornersOf(item)
  const { first, last } = document.plate
  let [best, area]: [number | undefined, number] = [undefined, 0]
  for (let frame = first; frame <= last; frame++) {
    const seen = camera(frame)
    const places = seen ? corners.map((one) => projectPoint(seen, one)) : []
    if (!seen || places.some((p) => !p || p.x < 0 || p.y < 0 || p.x > seen.width || p.y > seen.height)) continue
    const [xs, ys] = [places.map((p) => p?.x ?? 0), places.map((p) => p?.y ?? 0)]
    const own = (Math.max(...xs) - Math.min(...xs)) * (Math.max(...ys) - Math.min(...ys))
    if (own > area * 1.001) [best, area] = [frame, own]
  }
  return best
}
