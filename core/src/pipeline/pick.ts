import { type Camera, normalAt, pixelRay, pointAlong, rayToSolid } from '../data/index.ts'
import { scale, type Vec3 } from '../math/index.ts'
import { meetPiece, piecesAt, solidOf, thingBounds, thingsAt } from '../set/index.ts'
import type { ItemDocument } from '../settings/index.ts'

export interface SurfacePick {
  point: Vec3
  /** Metres from the camera. */
  distance: number
  /** The piece or thing that was met; undefined on the bare ground level y = 0. */
  item?: string
}

/** The nearest shown piece, or thing by its bounds, under a pixel of the full frame, as it stands at a frame, else the level y = 0; undefined above the horizon. */
export function pickSurface(
  document: ItemDocument,
  camera: Camera,
  x: number,
  y: number,
  frame?: number,
): SurfacePick | undefined {
  const ray = pixelRay(camera, x, y)
  const length = Math.sqrt(ray.along[0] ** 2 + ray.along[1] ** 2 + ray.along[2] ** 2)
  let best: { t: number; item?: string } | undefined
  const offer = (t: number, item?: string): void => {
    if (t > 1e-4 && (!best || t < best.t)) best = { t, item }
  }
  for (const [id, item] of thingsAt(document, frame)) {
    const t = rayToSolid(thingBounds(item), ray.from, scale(ray.along, 1 / length))
    if (t !== undefined) offer(t / length, id)
  }
  let anyGround = false
  for (const [id, item] of piecesAt(document, frame)) {
    const t = meetPiece(item, ray)
    if (t !== undefined) offer(t, id)
    anyGround ||= solidOf(item).kind === 'halfspace'
  }
  if (!anyGround) offer(-ray.from[1] / ray.along[1])
  return (
    best && { point: pointAlong(ray, best.t), distance: best.t * length, ...(best.item ? { item: best.item } : {}) }
  )
}

/** The outward direction of what was picked, unit; up on the bare ground. */
export function pickNormal(document: ItemDocument, { point, item }: SurfacePick, frame?: number): Vec3 {
  const piece = piecesAt(document, frame).find(([id]) => id === item)?.[1]
  if (piece) return normalAt(solidOf(piece), point)
  const thing = thingsAt(document, frame).find(([id]) => id === item)?.[1]
  return thing ? normalAt(thingBounds(thing), point) : [0, 1, 0]
}

/** Where a pixel's ray meets the level y = height; undefined where it does not in front of the camera. */
export function pickLevel(camera: Camera, x: number, y: number, height: number): Vec3 | undefined {
  const ray = pixelRay(camera, x, y)
  const t = (height - ray.from[1]) / ray.along[1]
  return t > 0 && Number.isFinite(t) ? pointAlong(ray, t) : undefined
}
