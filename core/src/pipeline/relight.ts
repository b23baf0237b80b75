import { type Camera, type FloatImage, makeImage, pixelRay, pointAlong } from '../data/index.ts'
import { isRelight, RELIGHT_SETTINGS, type RelightItem } from '../effects/relight/index.ts'
import { inflate, type Relief as RoundedForm } from '../light/index.ts'
import {
  aboutAxis,
  add,
  cos,
  cross,
  dot,
  normalise,
  radians,
  rotate,
  scale,
  sin,
  subtract,
  type Vec3,
} from '../math/index.ts'
import type { LayerDrawables, Relief } from '../picture/index.ts'
import { itemsInOrder, movedAndSettledAt, type SignalInputs } from '../settings/index.ts'
import { layerIdOf, type ShotDocument } from '../shot/index.ts'
import { type DataOf, drawMatteOf, type MatteMoment, matteKeyOf, matteStands } from './mattes.ts'
import { nearestSurface, surfacesAt } from './paint.ts'

// Light on what was filmed inside a matte: its form, where it stands, and what lights it.

type Document = Pick<ShotDocument, 'items' | 'plate' | 'signals'>

const relightsAt = (document: Document, frame: number, inputs: SignalInputs = {}): [string, RelightItem][] =>
  itemsInOrder(document).flatMap(([id, item]): [string, RelightItem][] =>
    isRelight(item) && item.shown && item.matte !== ''
      ? [[id, movedAndSettledAt(document, item, RELIGHT_SETTINGS, frame, inputs)]]
      : [],
  )

const limbsOf = ({ limbA, limbB, limbC }: RelightItem): string[] => [limbA, limbB, limbC].filter((id) => id !== '')

/** How far along the view it stands where nothing tells, m. */
const SOMEWHERE = 6

/** How far along the view it stands, m: as it says itself, or its matte. */
const standsAt = (document: Document, item: RelightItem, plateCamera: Camera, at: MatteMoment): number =>
  item.distance || matteStands(document, item.matte, plateCamera, at) || SOMEWHERE

/** What is relit at a frame, as a picture's recipe names it. */
export const reliefKeys = (document: Document, plateCamera: Camera, at: MatteMoment): unknown[] =>
  relightsAt(document, at.frame, at.inputs).flatMap(([id, item]) => {
    const { name: _, order: __, follows: ___, locked: ____, ...settings } = item
    const mattes = [item.matte, ...limbsOf(item), ...(item.keep ? [item.keep] : [])]
    const keys = mattes.map((one) => matteKeyOf(document, one, at) ?? null)
    // Where its matte has nothing to say nothing is relit.
    if (keys[0] === null) return []
    const own = {
      layer: layerIdOf(id, item),
      ...settings,
      only: item.only ? layerIdOf(item.only, document.items[item.only] ?? {}) : '',
      stands: standsAt(document, item, plateCamera, at),
      mattes: keys,
    }
    return [own]
  })

/** Pixels between the points that are lit. */
const STRIDE = 2

/** The points of a relief over the part of the picture that a mask covers; undefined where it covers nothing. */
function gridOf({ width, height, data }: FloatImage) {
  let [x0, y0, x1, y1] = [width, height, -1, -1]
  for (let n = 0; n < data.length; n++) {
    if ((data[n] ?? 0) <= 0) continue
    const [x, y] = [n % width, Math.floor(n / width)]
    x0 = Math.min(x0, x)
    y0 = Math.min(y0, y)
    x1 = Math.max(x1, x)
    y1 = Math.max(y1, y)
  }
  if (x1 < 0) return undefined
  const [columns, rows] = [Math.floor((x1 - x0) / STRIDE) + 2, Math.floor((y1 - y0) / STRIDE) + 2]
  return { x: x0, y: y0, stride: STRIDE, columns, rows }
}
type Grid = NonNullable<ReturnType<typeof gridOf>>

/** How far off a form's surface other things may keep light off it, m: nearer ones are itself. */
const CLEAR = 0.02

/** Points of a rounded form (relief.ts): each about its own line of sight. */
function roundedPoints(grid: Grid, form: RoundedForm, camera: Camera, distance: number): Float32Array {
  const points = new Float32Array(grid.columns * grid.rows * 8)
  const { width, height } = form.normals
  for (let r = 0; r < grid.rows; r++)
    for (let c = 0; c < grid.columns; c++) {
      const [x, y] = [Math.min(width - 1, grid.x + c * grid.stride), Math.min(height - 1, grid.y + r * grid.stride)]
      const n = y * width + x
      const own = form.normals.data.subarray(3 * n, 3 * n + 3)
      if (own.every((part) => part === 0)) continue
      const ray = pixelRay(camera, x + 0.5, y + 0.5)
      const towards = normalise(scale(ray.along, -1))
      const right = normalise(cross(rotate(camera.rotation, [0, 1, 0]), towards))
      const up = cross(towards, right)
      const normal = normalise(add(add(scale(right, own[0] ?? 0), scale(up, own[1] ?? 0)), scale(towards, own[2] ?? 0)))
      const nearer = ((form.height.data[n] ?? 0) * distance) / camera.focalPx
      points.set([...pointAlong(ray, distance - nearer), 1, ...normal, CLEAR], 8 * (r * grid.columns + c))
    }
  return points
}

/** Points of what of the set stands where it is. */
function setPoints(grid: Grid, document: Document, camera: Camera, { frame, inputs }: MatteMoment): Float32Array {
  const points = new Float32Array(grid.columns * grid.rows * 8)
  const surfaces = surfacesAt(document, frame, inputs, camera)
  const met = Array.from({ length: grid.columns * grid.rows }, (_, k) => {
    const x = Math.min(camera.width - 1, grid.x + (k % grid.columns) * grid.stride)
    const y = Math.min(camera.height - 1, grid.y + Math.floor(k / grid.columns) * grid.stride)
    const ray = pixelRay(camera, x + 0.5, y + 0.5)
    const hit = nearestSurface(surfaces, ray, y * camera.width + x, camera.width)
    return hit && { on: hit.surface.id, at: pointAlong(ray, hit.t) }
  })
  const step = (k: number, by: number): Vec3 | undefined => {
    const own = met[k]
    for (const way of [by, -by]) {
      const other = met[k + way]
      if (own && other && other.on === own.on) return scale(subtract(other.at, own.at), Math.sign(way))
    }
    return undefined
  }
  met.forEach((one, k) => {
    const [along, down] = [step(k, 1), step(k, grid.columns)]
    if (!one || !along || !down) return
    const normal = normalise(cross(down, along))
    const faces = dot(normal, subtract(camera.position, one.at)) < 0 ? scale(normal, -1) : normal
    points.set([...one.at, 1, ...faces, CLEAR], 8 * k)
  })
  return points
}

/** Towards a light that stands round a subject: azimuth from the camera, positive to its right. */
function sideDirection({ azimuth, elevation }: RelightItem, camera: Camera): Vec3 {
  const back = rotate(camera.rotation, [0, 0, 1])
  const level = normalise([back[0], 0, back[2]])
  const turned = rotate(aboutAxis([0, 1, 0], radians(azimuth)), level)
  const e = radians(elevation)
  return [turned[0] * cos(e), sin(e), turned[2] * cos(e)]
}

/** The rounded form that a mask of the picture's size shows, as the picture lights it; undefined where it covers nothing. distance: m along the view. */
export function roundedRelief(
  mask: FloatImage,
  camera: Camera,
  {
    round,
    distance,
    limbs = [],
    ...over
  }: { round: number; distance: number; limbs?: readonly FloatImage[] } & Partial<Relief>,
): Relief | undefined {
  const grid = gridOf(mask)
  return grid && plainRelief(mask, grid, roundedPoints(grid, inflate(mask, round, limbs), camera, distance), over)
}

/** A relief of which nothing is set but its points. */
function plainRelief(mask: FloatImage, grid: Grid, points: Float32Array, over: Partial<Relief>): Relief {
  const share = makeImage(mask.width, mask.height, 1)
  share.data.fill(1)
  return { kind: 'relief', mask, share, ...grid, points, wrap: 0, amount: 1, shadowed: true, ...over }
}

/** What a relit item has the picture do; undefined where its matte covers nothing. */
function reliefOf(
  document: Document,
  item: RelightItem,
  camera: Camera,
  plateCamera: Camera,
  at: MatteMoment,
  dataOf: DataOf,
): Relief | undefined {
  const draw = (id: string): FloatImage | undefined =>
    drawMatteOf(document, id, camera, plateCamera.width, at, dataOf)?.image
  const mask = draw(item.matte)
  if (!mask) return undefined
  const keep = item.keep ? draw(item.keep) : undefined
  const share = makeImage(mask.width, mask.height, 1)
  for (let n = 0; n < share.data.length; n++) share.data[n] = 1 - (keep?.data[n] ?? 0)
  const side = item.by === 'the shot' ? undefined : sideDirection(item, plateCamera)
  const own: Partial<Relief> = {
    share,
    wrap: item.wrap,
    amount: item.by === 'a side' ? 0 : item.amount,
    shadowed: item.shadowed,
    ...(item.only ? { only: layerIdOf(item.only, document.items[item.only] ?? {}) } : {}),
    ...(side ? { side: { direction: side, colour: scale([...item.tint], item.level) } } : {}),
    ...(item.shows === 'its form' ? { towards: rotate(plateCamera.rotation, [0, 0, 1]) } : {}),
  }
  if (item.directions === 'from the set') {
    const grid = gridOf(mask)
    return grid && plainRelief(mask, grid, setPoints(grid, document, camera, at), own)
  }
  const limbs = limbsOf(item).flatMap((id) => draw(id) ?? [])
  const distance = standsAt(document, item, plateCamera, at)
  return roundedRelief(mask, camera, { round: item.round, distance, limbs, ...own })
}

/** What is relit at a frame, by layers. camera: the picture's; plateCamera: the plate's. */
export const drawReliefs = (
  document: Document,
  camera: Camera,
  plateCamera: Camera,
  at: MatteMoment,
  dataOf: DataOf,
): LayerDrawables[] =>
  relightsAt(document, at.frame, at.inputs).flatMap(([id, item]) => {
    const relief = reliefOf(document, item, camera, plateCamera, at, dataOf)
    return relief ? [{ id: layerIdOf(id, item), drawables: [relief] }] : []
  })
