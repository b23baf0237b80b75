import {
  type Camera,
  type FloatImage,
  makeImage,
  pixelRay,
  pointAlong,
  projectPoint,
  rayToSolid,
  type Solid,
  strokesCover,
} from '../data/index.ts'
import { add, conjugate, rotate, scale, subtract, type Vec3 } from '../math/index.ts'
import { type MatteItem, type PaintStroke, strokesInOrder } from '../mattes/index.ts'
import {
  isForm,
  isPiece,
  meetPiece,
  meshOf,
  type PieceItem,
  piecesAt,
  solidOf,
  standingPose,
  type ThingItem,
  thingBounds,
  thingsAt,
} from '../set/index.ts'
import type { ItemDocument, SignalInputs, WorldPose } from '../settings/index.ts'
import { meshDepths } from './depthRaster.ts'

// Brush strokes on surfaces: each is the way of a ball in its item's own space, and covers what of the surface lies in it.

interface PixelBox {
  x0: number
  y0: number
  x1: number
  y1: number
}

/** The pixels that a body's corners span; undefined where one of them is beside or behind the camera. */
function boxOf(corners: readonly Vec3[], camera: Camera): PixelBox | undefined {
  const seen = corners.map((corner) => projectPoint(camera, corner))
  if (!seen.every((one) => one !== undefined)) return undefined
  const [xs, ys] = [seen.map(({ x }) => x), seen.map(({ y }) => y)]
  // Edges are bent by the lens.
  const more = 2 + camera.width / 100
  return {
    x0: Math.min(...xs) - more,
    y0: Math.min(...ys) - more,
    x1: Math.max(...xs) + more,
    y1: Math.max(...ys) + more,
  }
}
/** The corners of a body that is a box, or lies within one; none where it has no end. */
export function cornersOf(solid: Solid): Vec3[] {
  if (solid.kind === 'halfspace' || solid.kind === 'ball') return []
  const { centre, half, rotation } = solid
  return Array.from({ length: 8 }, (_, n) =>
    add(centre, rotate(rotation, [n & 1 ? half[0] : -half[0], n & 2 ? half[1] : -half[1], n & 4 ? half[2] : -half[2]])),
  )
}

/** Something that can be painted, as it stands at a frame. */
interface Surface {
  id: string
  /** Whether it is a thing, met by its bounds. */
  thing: boolean
  pose: WorldPose
  /** The pixels that it may be seen in, where a picture is asked for. */
  box?: PixelBox
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

const boxIn = (solid: Solid, camera: Camera | undefined): Pick<Surface, 'box'> => {
  const corners = camera ? cornersOf(solid) : []
  const box = camera && corners.length > 0 ? boxOf(corners, camera) : undefined
  return box ? { box } : {}
}

function surfaceOf(id: string, item: PieceItem | ThingItem, camera?: Camera): Surface {
  if (isPiece(item)) {
    const pose = standingPose(item)
    const meet = isForm(item)
      ? rasterMeet(item, pose, camera)
      : (ray: Parameters<Surface['meet']>[0]) => meetPiece(item, ray)
    return { id, thing: false, pose, meet, ...boxIn(solidOf(item), camera) }
  }
  const pose = standingPose(item)
  const bounds = thingBounds(item)
  return {
    id,
    thing: true,
    pose,
    ...boxIn(bounds, camera),
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
  ...thingsAt(document, frame, inputs).map(([id, item]) => surfaceOf(id, item, camera)),
]

/** The nearest surface that a ray meets, with where along it. */
export function nearestSurface(
  surfaces: readonly Surface[],
  ray: ReturnType<typeof pixelRay>,
  pixel?: number,
  width = 0,
): { surface: Surface; t: number } | undefined {
  let nearest: { surface: Surface; t: number } | undefined
  const [x, y] = pixel === undefined ? [0, 0] : [pixel % width, Math.floor(pixel / width)]
  for (const surface of surfaces) {
    const { box } = surface
    if (pixel !== undefined && box && (x < box.x0 || x > box.x1 || y < box.y0 || y > box.y1)) continue
    const t = surface.meet(ray, pixel)
    if (t !== undefined && t > 1e-4 && t < (nearest?.t ?? Infinity)) nearest = { surface, t }
  }
  return nearest
}

/** The surfaces that were asked last, with what of: a brush asks for the same ones over and over. */
let asked: { of: readonly unknown[]; surfaces: Surface[] } | undefined
function surfacesNow(document: ItemDocument, camera: Camera, frame: number, inputs?: SignalInputs): Surface[] {
  const of = [document.items, document.signals, camera, frame]
  if (!asked || of.some((one, n) => one !== asked?.of[n]))
    asked = { of, surfaces: surfacesAt(document, frame, inputs, camera) }
  return asked.surfaces
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
  const inside = x >= 0 && y >= 0 && x < camera.width && y < camera.height
  const pixel = inside ? Math.floor(y) * camera.width + Math.floor(x) : undefined
  const met = nearestSurface(surfacesNow(document, camera, frame, inputs), ray, pixel, camera.width)
  return met && { item: met.surface.id, at: inOwn(met.surface.pose, pointAlong(ray, met.t)), distance: met.t }
}

const inOwn = ({ position, rotation }: WorldPose, at: Vec3): Vec3 => rotate(conjugate(rotation), subtract(at, position))

/** Numbers of the pixels that strokes may reach, each once: discs along each one's way; all pixels where a part of one is beside or behind the camera. */
function pixelsReached(strokes: readonly { stroke: PaintStroke; surface: Surface }[], camera: Camera): number[] {
  const { width, height } = camera
  const marked = new Uint8Array(width * height)
  const disc = (x: number, y: number, reach: number): void => {
    for (let row = Math.max(0, Math.floor(y - reach)); row <= Math.min(height - 1, Math.ceil(y + reach)); row++) {
      const half = Math.sqrt(Math.max(0, reach * reach - (row + 0.5 - y) ** 2)) + 1
      const [from, to] = [Math.max(0, Math.floor(x - half)), Math.min(width, Math.ceil(x + half))]
      if (from < to) marked.fill(1, row * width + from, row * width + to)
    }
  }
  for (const { stroke, surface } of strokes) {
    let before: { x: number; y: number; reach: number } | undefined
    for (const point of stroke.points) {
      const seen = projectPoint(camera, add(surface.pose.position, rotate(surface.pose.rotation, point)))
      if (!seen || seen.depth <= 2 * stroke.radius) return [...marked.keys()]
      const reach = (1.5 * camera.focalPx * stroke.radius) / (seen.depth - stroke.radius) + 2
      const from = before ?? { x: seen.x, y: seen.y, reach }
      const far = Math.sqrt((seen.x - from.x) ** 2 + (seen.y - from.y) ** 2)
      const steps = Math.min(width, Math.max(1, Math.ceil((2 * far) / Math.min(reach, from.reach))))
      for (let n = 1; n <= steps; n++)
        disc(
          from.x + ((seen.x - from.x) * n) / steps,
          from.y + ((seen.y - from.y) * n) / steps,
          Math.max(reach, from.reach),
        )
      before = { x: seen.x, y: seen.y, reach }
    }
  }
  return [...marked.keys()].filter((n) => marked[n] === 1)
}

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
    return surface ? [{ stroke, surface }] : []
  })
  for (const n of pixelsReached(strokes, camera)) {
    const ray = pixelRay(camera, (n % width) + 0.5, Math.floor(n / width) + 0.5)
    const met = nearestSurface(surfaces, ray, n, width)
    if (!met) continue
    const at = inOwn(met.surface.pose, pointAlong(ray, met.t))
    const own = strokes.flatMap(({ stroke, surface }) => (surface === met.surface ? [stroke] : []))
    const covered = strokesCover(own, at, met.t / camera.focalPx)
    if (covered <= 0) continue
    image.data[n] = covered
    distances.data[n] = met.t
  }
  return { image, distances }
}
