import { type Camera, pixelRay, projectPoint, type Solid, scaleCamera } from '../data/index.ts'
import type { EffectInstance } from '../effects/index.ts'
import { insidePolygon, type Vec3 } from '../math/index.ts'
import { isMatte, type MatteItem } from '../mattes/index.ts'
import { AT_HOME, type Placement, placeInWorld } from '../picture/index.ts'
import { isSeen, piecesAt, solidOf, thingBounds, thingsAt } from '../set/index.ts'
import { itemsInOrder } from '../settings/index.ts'
import { layerIdOf, type ShotDocument } from '../shot/index.ts'
import { exclusionMaskAt } from './match.ts'
import { type DataOf, drawMatteOf, type MatteMoment, matteStands } from './mattes.ts'
import { NO_WORLD } from './matteWorld.ts'
import { cornersOf, nearestSurface, surfacesAt } from './paint.ts'
import type { PictureFrame } from './pictureFrame.ts'
import { shutterFrames } from './things.ts'

// Where mattes are needed: on a coarse raster over the picture, where what is added lies behind or before what a matte covers. And how much of each added thing is in view and hidden.

/** Cells of the raster across the picture. */
export const NEED_WIDTH = 96
/** A matte covers a cell from this share on. */
const COVERED = 0.05

/** What of a raster something covers: how far along the view its nearest and farthest parts are, m; Infinity and 0 where there is none. */
export interface Cover {
  near: Float32Array
  far: Float32Array
}
export const scaleToWidth = (camera: Camera, width: number): Camera => scaleCamera(camera, width / camera.width)
export const needRaster = (camera: Camera): Camera => scaleToWidth(camera, NEED_WIDTH)

const noCover = ({ width, height }: Camera): Cover => ({
  near: new Float32Array(width * height).fill(Infinity),
  far: new Float32Array(width * height),
})

/** Adds a body's eight corners (m, world) to a cover: all cells that they span. */
function addCorners(cover: Cover, camera: Camera, corners: readonly Vec3[]): void {
  let [x0, y0, x1, y1] = [Infinity, Infinity, -Infinity, -Infinity]
  let [near, far] = [Infinity, 0]
  for (const corner of corners) {
    const seen = projectPoint(camera, corner)
    if (!seen) continue
    x0 = Math.min(x0, seen.x)
    y0 = Math.min(y0, seen.y)
    x1 = Math.max(x1, seen.x)
    y1 = Math.max(y1, seen.y)
    near = Math.min(near, seen.depth)
    far = Math.max(far, seen.depth)
  }
  // A cell counts where the body spans its middle, or lies within it.
  const first = (low: number): number => Math.max(0, Math.floor(low))
  const last = (high: number, most: number): number => Math.min(most - 1, Math.ceil(high) - 1)
  for (let y = first(y0); y <= last(y1, camera.height); y++)
    for (let x = first(x0); x <= last(x1, camera.width); x++) {
      const n = y * camera.width + x
      cover.near[n] = Math.min(cover.near[n] as number, near)
      cover.far[n] = Math.max(cover.far[n] as number, far)
    }
}

/** What boxes of a run's own space (as an effect tells them) cover where they are shown. */
export function coverOfBoxes(camera: Camera, boxes: readonly number[], place: Placement = AT_HOME): Cover {
  const cover = noCover(camera)
  for (let n = 0; n + 5 < boxes.length; n += 6)
    addCorners(
      cover,
      camera,
      Array.from({ length: 8 }, (_, c) =>
        placeInWorld(place, [
          boxes[n + (c & 1 ? 3 : 0)] as number,
          boxes[n + (c & 2 ? 4 : 1)] as number,
          boxes[n + (c & 4 ? 5 : 2)] as number,
        ]),
      ),
    )
  return cover
}

function joinCovers(all: readonly Cover[]): Cover | undefined {
  const [first, ...others] = all
  if (!first) return undefined
  for (const { near, far } of others)
    for (let n = 0; n < first.near.length; n++) {
      first.near[n] = Math.min(first.near[n] as number, near[n] as number)
      first.far[n] = Math.max(first.far[n] as number, far[n] as number)
    }
  return first
}

/** How a matte is needed for one added thing at a frame: shares of what the matte covers, or, where it covers nothing yet, of what the thing does. */
export interface ItemNeed {
  behind: number
  before: number
}
/** Of one matte at a frame. */
export interface MatteNeed {
  /** Whether it covers anything there. */
  there: boolean
  /** By item; only those that lie behind or before it. */
  items: Readonly<Record<string, ItemNeed>>
  /** Cells where something lies behind it: where its edge matters. */
  cells: readonly number[]
  /** The part of its width that is needed, 0 left to 1 right. */
  from: number
  to: number
}
/** Of one added thing at a frame: shares of the picture that it covers, and of that what is hidden. */
export interface ItemSeen {
  share: number
  hidden: number
}
export interface FrameNeeds {
  frame: number
  width: number
  height: number
  mattes: Readonly<Record<string, MatteNeed>>
  items: Readonly<Record<string, ItemSeen>>
  /** Added things that cross a region in which something moves by itself, by region's name, where no matte covers it. */
  uncovered: Readonly<Record<string, readonly string[]>>
}

type Document = Pick<ShotDocument, 'items' | 'plate' | 'signals' | 'match' | 'camera'>

/** What each added thing covers at a frame. boxesOf: where something is seen of a kept frame of an item's run; undefined where it is not kept. */
export function coversAt(
  document: Pick<ShotDocument, 'items' | 'plate' | 'signals'>,
  { frame, instances, inputs }: PictureFrame,
  camera: Camera,
  boxesOf: (instance: EffectInstance, frame: number) => readonly number[] | undefined,
): Map<string, Cover> {
  const covers = new Map<string, Cover[]>()
  for (const instance of instances) {
    if (isMatte(document.items[instance.item])) continue
    for (const { frame: one } of instance.frames) {
      const boxes = boxesOf(instance, one)
      if (boxes)
        covers.set(instance.item, [...(covers.get(instance.item) ?? []), coverOfBoxes(camera, boxes, instance.place)])
    }
  }
  const bodies: [string, Solid][] = [
    ...thingsAt(document, frame, inputs).flatMap(([id, item]): [string, Solid][] =>
      item.way === 'set' ? [] : [[id, thingBounds(item)]],
    ),
    ...piecesAt(document, frame, inputs).flatMap(([id, item]): [string, Solid][] =>
      isSeen(item) ? [[id, solidOf(item)]] : [],
    ),
  ]
  for (const [id, body] of bodies) {
    const cover = noCover(camera)
    addCorners(cover, camera, cornersOf(body))
    covers.set(id, [cover])
  }
  return new Map(
    [...covers].flatMap(([id, all]) => {
      const joined = joinCovers(all)
      return joined ? [[id, joined] as const] : []
    }),
  )
}

interface LaidMatte {
  id: string
  item: MatteItem
  /** Undefined where it has nothing to say. */
  image?: Float32Array
  distance: number
}

function needOf(
  document: Document,
  { item, image, distance }: LaidMatte,
  covers: ReadonlyMap<string, Cover>,
  width: number,
): MatteNeed {
  const covered = image?.reduce((sum, share) => sum + (share > COVERED ? 1 : 0), 0) ?? 0
  const there = covered > 0
  const items: Record<string, ItemNeed> = {}
  const cells = new Set<number>()
  for (const [id, { near, far }] of covers) {
    if (
      item.cuts === 'chosen' &&
      !item.cut.some((one) => layerIdOf(one, document.items[one] ?? {}) === layerIdOf(id, document.items[id] ?? {}))
    )
      continue
    let [behind, before, own] = [0, 0, 0]
    for (let n = 0; n < near.length; n++) {
      if ((far[n] as number) <= 0 || (there && (image?.[n] ?? 0) <= COVERED)) continue
      own++
      if (there && (near[n] as number) < distance) before++
      if ((far[n] as number) <= distance) continue
      behind++
      cells.add(n)
    }
    const all = there ? covered : own
    if (behind + before > 0) items[id] = { behind: behind / all, before: before / all }
  }
  const across = [...cells].map((n) => n % width)
  const columns = image ? [...image.keys()].filter((n) => (image[n] as number) > COVERED).map((n) => n % width) : []
  const [least, most] = there ? [Math.min(...columns), Math.max(...columns) + 1] : [0, width]
  const part = (x: number): number => (x - least) / (most - least)
  return {
    there,
    items,
    cells: [...cells].sort((a, b) => a - b),
    from: across.length > 0 ? part(Math.min(...across)) : 0,
    to: across.length > 0 ? part(Math.max(...across) + 1) : 0,
  }
}

/** How far the set is at each cell; Infinity where none is met. */
function setDistances(document: Document, camera: Camera, { frame, inputs }: PictureFrame): Float32Array {
  const holding = new Set(
    Object.entries(document.items).flatMap(([id, item]) => (!('roles' in item) || item.roles.holdsOut ? [id] : [])),
  )
  const surfaces = surfacesAt(document, frame, inputs, camera).filter(({ id, thing }) => holding.has(id) && !thing)
  return Float32Array.from({ length: camera.width * camera.height }, (_, n) => {
    const ray = pixelRay(camera, (n % camera.width) + 0.5, Math.floor(n / camera.width) + 0.5)
    return nearestSurface(surfaces, ray, n, camera.width)?.t ?? Infinity
  })
}

function seenOf({ near, far }: Cover, set: Float32Array, mattes: readonly LaidMatte[]): ItemSeen {
  let [own, hidden] = [0, 0]
  for (let n = 0; n < near.length; n++) {
    if ((far[n] as number) <= 0) continue
    own++
    if ((set[n] as number) < (near[n] as number)) hidden++
    else
      hidden += Math.max(
        0,
        ...mattes.map(({ image, distance }) => (distance < (near[n] as number) ? (image?.[n] ?? 0) : 0)),
      )
  }
  return { share: own / near.length, hidden: own > 0 ? hidden / own : 0 }
}

/** Regions in which something moves by itself: shapes that keep the match out, and matched objects. */
const movingRegions = ({ match }: Document) =>
  [...Object.values(match.keepOuts), ...Object.values(match.things)].filter(({ shown }) => shown)

function uncoveredBy(
  document: Document,
  frame: number,
  camera: Camera,
  covers: ReadonlyMap<string, Cover>,
  mattes: readonly LaidMatte[],
): Record<string, string[]> {
  const scale = camera.width / document.plate.width
  const found: Record<string, string[]> = {}
  for (const region of movingRegions(document)) {
    const corners = exclusionMaskAt(region, frame).map(([x, y]) => [x * scale, y * scale] as const)
    const inside = Array.from({ length: camera.width * camera.height }, (_, n) => n).filter((n) =>
      insidePolygon(corners, (n % camera.width) + 0.5, Math.floor(n / camera.width) + 0.5),
    )
    if (inside.some((n) => mattes.some(({ image }) => (image?.[n] ?? 0) > COVERED))) continue
    const crossing = [...covers].filter(([, { far }]) => inside.some((n) => (far[n] as number) > 0)).map(([id]) => id)
    if (crossing.length > 0) found[region.name] = crossing
  }
  return found
}

/** Where mattes are needed at a frame, and how much of what is added is seen. dataOf: kept frames of carried mattes. */
export function needsAt(
  document: Document,
  at: PictureFrame,
  covers: ReadonlyMap<string, Cover>,
  dataOf: DataOf,
): FrameNeeds {
  const camera = needRaster(at.camera)
  const open = shutterFrames(document, at, 'look')
  const moment: MatteMoment = { frame: at.frame, open, world: at.mattes ?? NO_WORLD, inputs: at.inputs }
  const mattes = itemsInOrder(document).flatMap(([id, item]): LaidMatte[] => {
    if (!isMatte(item) || !item.shown) return []
    const distance = matteStands(document, id, at.camera, moment)
    if (distance === undefined) return []
    const image = drawMatteOf(document, id, camera, document.plate.width, moment, dataOf)?.image.data
    return [{ id, item, ...(image ? { image } : {}), distance }]
  })
  const set = setDistances(document, camera, at)
  return {
    frame: at.frame,
    width: camera.width,
    height: camera.height,
    mattes: Object.fromEntries(mattes.map((one) => [one.id, needOf(document, one, covers, camera.width)])),
    items: Object.fromEntries([...covers].map(([id, cover]) => [id, seenOf(cover, set, mattes)])),
    uncovered: uncoveredBy(document, at.frame, camera, covers, mattes),
  }
}
