import { type Camera, pixelRay, pointAlong } from '../data/index.ts'
import { conjugate, rotate, type Vec3 } from '../math/index.ts'
import { middleOf, piecesAt, type SetDocument, turnOf } from './set.ts'

export interface SurfacePick {
  point: Vec3
  /** Metres from the camera. */
  distance: number
  /** The piece that was met; undefined on the bare ground level y = 0. */
  item?: string
}

/** The nearest shown piece under a pixel of the full frame, as it stands at a frame, else the level y = 0; undefined above the horizon. */
export function pickSurface(
  document: SetDocument,
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
  let anyGround = false
  for (const [id, item] of piecesAt(document, frame)) {
    if (item.kind === 'ground') {
      anyGround = true
      const t = (item.position[1] - ray.from[1]) / ray.along[1]
      const at = pointAlong(ray, t)
      if (Math.max(Math.abs(at[0] - item.position[0]), Math.abs(at[2] - item.position[2])) <= item.size) offer(t, id)
      continue
    }
    const turn = conjugate(turnOf(item))
    const middle = middleOf(item)
    const half = [item.width / 2, item.height / 2, item.depth / 2]
    const o = rotate(turn, [ray.from[0] - middle[0], ray.from[1] - middle[1], ray.from[2] - middle[2]])
    const d = rotate(turn, ray.along)
    let [near, far] = [-Infinity, Infinity]
    for (let a = 0; a < 3; a++) {
      const inverse = 1 / (d[a] === 0 ? 1e-12 : (d[a] ?? 0))
      const [t0, t1] = [(-(half[a] ?? 0) - (o[a] ?? 0)) * inverse, ((half[a] ?? 0) - (o[a] ?? 0)) * inverse]
      near = Math.max(near, Math.min(t0, t1))
      far = Math.min(far, Math.max(t0, t1))
    }
    if (near < far) offer(near, id)
  }
  if (!anyGround) offer(-ray.from[1] / ray.along[1])
  return (
    best && { point: pointAlong(ray, best.t), distance: best.t * length, ...(best.item ? { item: best.item } : {}) }
  )
}

/** Where a pixel's ray meets the level y = height; undefined where it does not in front of the camera. */
export function pickLevel(camera: Camera, x: number, y: number, height: number): Vec3 | undefined {
  const ray = pixelRay(camera, x, y)
  const t = (height - ray.from[1]) / ray.along[1]
  return t > 0 && Number.isFinite(t) ? pointAlong(ray, t) : undefined
}
