import {
  type Camera,
  type FloatImage,
  makeImage,
  pixelRay,
  pointAlong,
  projectPoint,
  rayToSolid,
} from '../data/index.ts'
import { conjugate, rotate, scale, subtract, type Vec3 } from '../math/index.ts'
import type { MatteItem, PaintStroke } from '../mattes/index.ts'
import {
  isForm,
  isPiece,
  meetPiece,
  meshOf,
  type PieceItem,
  piecesAt,
  type ThingItem,
  thingBounds,
  thingsAt,
  turnOf,
} from '../set/index.ts'
import { type ItemDocument, poseOfPlaced, type SignalInputs, type WorldPose } from '../settings/index.ts'
import { meshDepths } from './depthRaster.ts'

// Brush strokes on surfaces: each is the way of a ball in its item's own space, and covers what of the surface lies in it.

/** Something that can be painted, as it stands at a frame. */
interface Surface {
  id: string
  /** Whether it is a thing, met by its bounds. */
  thing: boolean
  pose: WorldPose
  /** Parameter of a pixel's ray where it is met. pixel: its number in the picture that the surfaces are for. */
  meet(ray: ReturnType<typeof pixelRay>, pixel?: number): number | undefined
}

const lengthOf = (v: Vec3): number => Math.sqrt(v[0] ** 2 + v[1] ** 2 + v[2] ** 2)

/** A piece of many triangles is met by a raster of how far it is, made when it is asked for first. */
function rasterMeet(item: PieceItem, pose: WorldPose, camera: Camera | undefined): Surface['meet'] {
  let depths: Float32Array | undefined
  return (ray, pixel) => {
    if (!camera || pixel === undefined) return meetPiece(item, ray)
    depths ??= meshDepths(meshOf(item), pose, camera)
    const depth = depths[pixel] as number
    return depth < Infinity ? depth : undefined
  }
}

function surfaceOf(id: string, item: PieceItem | ThingItem, camera?: Camera): Surface {
  if (isPiece(item)) {
    const pose = { position: item.position, rotation: turnOf(item) }
    const meet = isForm(item)
      ? rasterMeet(item, pose, camera)
      : (ray: Parameters<Surface['meet']>[0]) => meetPiece(item, ray)
    return { id, thing: false, pose, meet }
  }
  const pose = poseOfPlaced(item)
  const bounds = thingBounds(item)
  return {
    id,
    thing: true,
    pose,
    meet(ray) {
      const length = lengthOf(ray.along)
      const t = rayToSolid(bounds, ray.from, scale(ray.along, 1 / length))
      return t === undefined ? undefined : t / length
    },
  }
}

/** All that is met at a frame: pieces of the set, and things by their bounds. camera: of the picture that they are met in, where all of it is asked for. */
export const surfacesAt = (
  document: ItemDocument,
  frame: number,
  inputs: SignalInputs = {},
  camera?: Camera,
): Surface[] => [
  ...piecesAt(document, frame, inputs).map(([id, item]) => surfaceOf(id, item, camera)),
  ...thingsAt(document, frame, inputs).map(([id, item]) => surfaceOf(id, item)),
]

/** The nearest surface that a ray meets, with where along it. */
export function nearestSurface(
  surfaces: readonly Surface[],
  ray: ReturnType<typeof pixelRay>,
  pixel?: number,
): { surface: Surface; t: number } | undefined {
  let nearest: { surface: Surface; t: number } | undefined
  for (const surface of surfaces) {
    const t = surface.meet(ray, pixel)
    if (t !== undefined && t > 1e-4 && t < (nearest?.t ?? Infinity)) nearest = { surface, t }
  }
  return nearest
}

/** Where a pixel's ray meets the nearest surface, in that item's own space (m), with the item and how far along the view it is; undefined where none is met. */
export function paintedPlace(
  document: ItemDocument,
  camera: Camera,
  [x, y]: readonly [number, number],
  frame: number,
  inputs?: SignalInputs,
): { item: string; at: Vec3; distance: number } | undefined {
  const ray = pixelRay(camera, x, y)
  const met = nearestSurface(surfacesAt(document, frame, inputs), ray)
  return met && { item: met.surface.id, at: inOwn(met.surface.pose, pointAlong(ray, met.t)), distance: met.t }
}

const inOwn = ({ position, rotation }: WorldPose, at: Vec3): Vec3 => rotate(conjugate(rotation), subtract(at, position))

/** Distance of a place to a line from a to b. */
function toSegment(p: Vec3, a: Vec3, b: Vec3): number {
  const [along, own] = [subtract(b, a), subtract(p, a)]
  const square = along[0] ** 2 + along[1] ** 2 + along[2] ** 2
  const t =
    square > 0 ? Math.min(1, Math.max(0, (along[0] * own[0] + along[1] * own[1] + along[2] * own[2]) / square)) : 0
  return lengthOf([own[0] - t * along[0], own[1] - t * along[1], own[2] - t * along[2]])
}

/** What a stroke covers of a place of its item's own space, 0 to 1. pixel: m that a pixel is wide there. */
function strokeCovers({ points, radius, soft }: PaintStroke, at: Vec3, pixel: number): number {
  let away = Infinity
  for (let n = 0; n < Math.max(1, points.length - 1); n++) {
    const a = points[n] as Vec3
    away = Math.min(away, toSegment(at, a, points[n + 1] ?? a))
    if (away === 0) break
  }
  // It fades inward from its radius; an edge is a pixel soft at least.
  const fade = Math.max(soft * radius, pixel)
  const t = Math.min(1, Math.max(0, (radius + (soft * radius > pixel ? 0 : pixel / 2) - away) / fade))
  return t * t * (3 - 2 * t)
}

interface PixelBox {
  x0: number
  y0: number
  x1: number
  y1: number
}
/** Pixels that a stroke may reach; all where a part of it is beside or behind the camera. */
function boxOf({ points, radius }: PaintStroke, pose: WorldPose, camera: Camera): PixelBox {
  const box = { x0: Infinity, y0: Infinity, x1: -Infinity, y1: -Infinity }
  for (const point of points) {
    const world = rotate(pose.rotation, point)
    const seen = projectPoint(camera, [
      world[0] + pose.position[0],
      world[1] + pose.position[1],
      world[2] + pose.position[2],
    ])
    if (!seen || seen.depth <= 2 * radius) return { x0: 0, y0: 0, x1: camera.width, y1: camera.height }
    const reach = (1.5 * camera.focalPx * radius) / (seen.depth - radius) + 2
    box.x0 = Math.min(box.x0, seen.x - reach)
    box.y0 = Math.min(box.y0, seen.y - reach)
    box.x1 = Math.max(box.x1, seen.x + reach)
    box.y1 = Math.max(box.y1, seen.y + reach)
  }
  return {
    x0: Math.max(0, Math.floor(box.x0)),
    y0: Math.max(0, Math.floor(box.y0)),
    x1: Math.min(camera.width, Math.ceil(box.x1)),
    y1: Math.min(camera.height, Math.ceil(box.y1)),
  }
}

/** Strokes in the order in which they were drawn. */
export const strokesInOrder = ({ painted }: Pick<MatteItem, 'painted'>): [string, PaintStroke][] =>
  Object.entries(painted).sort(([a, x], [b, y]) => x.order - y.order || (a < b ? -1 : 1))

/** What is painted as a camera sees it, with how far along the view it lies (m; 0 where nothing is painted). What something else hides is not there. */
export function drawPaint(
  document: ItemDocument,
  item: Pick<MatteItem, 'painted'>,
  camera: Camera,
  frame: number,
  inputs?: SignalInputs,
): { image: FloatImage; distances: FloatImage } {
  const { width, height } = camera
  const [image, distances] = [makeImage(width, height, 1), makeImage(width, height, 1)]
  const surfaces = surfacesAt(document, frame, inputs, camera)
  const strokes = strokesInOrder(item).flatMap(([, stroke]) => {
    const surface = surfaces.find(({ id }) => id === stroke.on)
    return surface ? [{ stroke, box: boxOf(stroke, surface.pose, camera) }] : []
  })
  const [x0, y0] = [Math.min(...strokes.map(({ box }) => box.x0)), Math.min(...strokes.map(({ box }) => box.y0))]
  const [x1, y1] = [Math.max(...strokes.map(({ box }) => box.x1)), Math.max(...strokes.map(({ box }) => box.y1))]
  for (let y = y0; y < y1; y++)
    for (let x = x0; x < x1; x++) {
      const own = strokes.filter(({ box }) => x >= box.x0 && x < box.x1 && y >= box.y0 && y < box.y1)
      if (own.length === 0) continue
      const ray = pixelRay(camera, x + 0.5, y + 0.5)
      const met = nearestSurface(surfaces, ray, y * width + x)
      if (!met || !own.some(({ stroke }) => stroke.on === met.surface.id)) continue
      const at = inOwn(met.surface.pose, pointAlong(ray, met.t))
      let covered = 0
      for (const { stroke } of own) {
        if (stroke.on !== met.surface.id) continue
        const share = strokeCovers(stroke, at, met.t / camera.focalPx)
        covered = stroke.erase ? covered * (1 - share) : covered + (1 - covered) * share
      }
      if (covered <= 0) continue
      image.data[y * width + x] = covered
      distances.data[y * width + x] = met.t
    }
  return { image, distances }
}
