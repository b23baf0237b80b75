import { type Camera, type FloatImage, type MatteFrame, normalAt, pixelRay, pointAlong } from '../data/index.ts'
import { isCard } from '../effects/cards/index.ts'
import { conjugate, rotate, subtract, type Vec3 } from '../math/index.ts'
import {
  drawMatte,
  type HelpedMatte,
  isMatte,
  MATTE_SETTINGS,
  type MatteItem,
  type MatteShape,
  type Place,
  partsInOrder,
  pointsAt,
  ringOf,
  shapesInOrder,
  strokesInOrder,
} from '../mattes/index.ts'
import type { SceneMatte } from '../picture/index.ts'
import { meetPiece, piecesAt, solidOf } from '../set/index.ts'
import { type ItemDocument, itemsInOrder, movedAndSettledAt, type SignalInputs } from '../settings/index.ts'
import { layerIdOf } from '../shot/index.ts'
import { type MatteWorld, riddenMatte } from './matteWorld.ts'
import { drawPaint } from './paint.ts'
import { pickLevel } from './pick.ts'
import type { ShutterFrames } from './things.ts'

// Mattes as the picture has them: what they cover, and at which distance it stands.

/** Whether a matte has anything to say at a frame: a carried one without other parts has nothing beyond its frames. */
const isThere = ({ helped, shapes, takes, painted }: MatteItem, frame: number): boolean =>
  !helped ||
  [shapes, takes, painted].some((own) => Object.keys(own).length > 0) ||
  (helped.carried > 0 && isWanted(helped, frame))
const isWanted = ({ from, to }: HelpedMatte, frame: number): boolean =>
  frame >= Math.min(from, to) && frame <= Math.max(from, to)

/** Where what a drawn matte covers meets the set: its lowest corner, px of the plate; undefined where it has none. */
export function footOf(item: MatteItem, frame: number): Place | undefined {
  let foot: Place | undefined
  for (const [, shape] of shapesInOrder(item))
    if (shape.shown && shape.way === 'add' && !shape.inverted)
      for (const { at } of ringOf(pointsAt(shape, frame))) if (!foot || at[1] > foot[1]) foot = at
  return foot
}

/** Metres along the view axis to a place; undefined behind the camera. */
function alongView(camera: Camera, at: Vec3): number | undefined {
  const z = -rotate(conjugate(camera.rotation), subtract(at, camera.position))[2]
  return z > 0 ? z : undefined
}

/** How level a surface is that feet stand on: its normal's upward part. */
const LEVEL = 0.5
/** Where feet at a pixel stand: on the nearest level side of a set piece, else on level 0. Upright sides before it only hide them. */
function standingPlace(document: ItemDocument, camera: Camera, [x, y]: Place, frame: number): Vec3 | undefined {
  const ray = pixelRay(camera, x, y)
  let nearest: number | undefined
  for (const [, item] of piecesAt(document, frame)) {
    const t = meetPiece(item, ray)
    if (t === undefined || t <= 0 || t >= (nearest ?? Infinity)) continue
    if (normalAt(solidOf(item), pointAlong(ray, t))[1] > LEVEL) nearest = t
  }
  return nearest === undefined ? pickLevel(camera, x, y, 0) : pointAlong(ray, nearest)
}

/** How far along the view what a matte covers stands, m; undefined where it holds nothing out: it stands nowhere, or its foot does not meet the set. Of one that stands on surfaces each pixel has its own: how far the nearest is is not asked here. foot: of a matte that is carried; place: of what it stands with. */
export function matteDistance(
  document: ItemDocument,
  item: MatteItem,
  camera: Camera,
  frame: number,
  { foot: carriedFoot, place }: { foot?: Place; place?: Vec3 } = {},
): number | undefined {
  if (item.stands === 'nowhere' || item.stands === 'surface') return undefined
  if (item.stands === 'distance') return item.distance
  const foot = item.stands === 'foot' ? (carriedFoot ?? footOf(item, frame)) : undefined
  const own = item.stands === 'place' ? item.position : item.stands === 'item' ? place : undefined
  // Feet that are out of the picture stand below it.
  const at = own ?? (foot && standingPlace(document, camera, foot, frame))
  const distance = at && alongView(camera, at)
  return distance === undefined ? undefined : Math.max(0.01, distance - item.nearer)
}

/** The kept frame of a helped matte; undefined where it is not helped, not wanted there or not there. */
function carriedAt(
  id: string,
  { helped }: MatteItem,
  frame: number,
  dataOf: (item: string, frame: number) => unknown,
): MatteFrame | undefined {
  if (!helped || !isWanted(helped, frame)) return undefined
  return dataOf(id, frame) as MatteFrame | undefined
}

/** The keys of a shape that have a say between two frames: those between, and two on either side. */
function keysAround({ keys }: MatteShape, { opening, closing }: ShutterFrames): MatteShape['keys'] {
  const first = keys.findLastIndex(({ frame }) => frame <= opening)
  const after = keys.findIndex(({ frame }) => frame >= closing)
  const last = after < 0 ? keys.length - 1 : after
  return keys.slice(Math.max(0, first - 1), last + 2)
}

/** What a frame's mattes are made from besides the document. */
export interface MatteMoment {
  frame: number
  open: ShutterFrames
  world: MatteWorld
  inputs?: SignalInputs
}

/** A matte by its id as it is at a frame, whether it is shown or not; undefined where it has nothing to say there. */
function matteOf(document: ItemDocument, id: string, { frame, open, world, inputs = {} }: MatteMoment) {
  const item = document.items[id]
  if (!isMatte(item) || !isThere(item, frame)) return undefined
  const now = movedAndSettledAt(document, item, MATTE_SETTINGS, frame, inputs)
  return riddenMatte(now, world.moves[id], frame, open)
}

/** What decides a matte's picture at a frame. around: the mattes that take it, so that a ring of them ends. */
function matteKey(document: ItemDocument, id: string, at: MatteMoment, around: readonly string[] = []): unknown {
  const item = around.includes(id) ? undefined : matteOf(document, id, at)
  if (!item) return undefined
  const parts = partsInOrder(item).map((part) => {
    if ('taken' in part) {
      const { way, inverted, of } = part.taken
      return { way, inverted, of: matteKey(document, of, at, [...around, id]) }
    }
    const { name: _, order: __, shown: ___, ...shape } = part.shape
    return { ...shape, keys: keysAround({ ...shape } as MatteShape, at.open) }
  })
  const { grow, soften, blurs, inverted } = item
  const paint = strokesInOrder(item).map(([, stroke]) => {
    const on = document.items[stroke.on]
    return { stroke, on: on && movedAndSettledAt(document, on, [], at.frame, at.inputs) }
  })
  return {
    parts,
    grow,
    soften,
    blurs,
    inverted,
    ...(blurs ? { open: at.open } : {}),
    ...(item.helped ? { helped: true } : {}),
    ...(paint.length > 0 ? { paint } : {}),
  }
}

/** What decides a matte's picture at a frame, by its id. */
export const matteKeyOf = (document: ItemDocument, id: string, at: MatteMoment): unknown => matteKey(document, id, at)

/** How a shown matte holds things out at a frame; undefined where it does not. */
function standing(document: ItemDocument, id: string, item: MatteItem, camera: Camera, { frame, world }: MatteMoment) {
  const onSurface = item.stands === 'surface' && Object.keys(item.painted).length > 0
  const own = { foot: world.feet[id], place: world.places[id] }
  const distance = onSurface ? item.nearer : matteDistance(document, item, camera, frame, own)
  if (distance === undefined) return undefined
  const cuts = item.cuts === 'chosen' ? item.cut.map((one) => layerIdOf(one, document.items[one] ?? {})) : undefined
  return { distance, onSurface, soft: item.softDepth, ...(cuts ? { cuts } : {}) }
}

/** How far along the view what a matte covers stands, m; of one on surfaces how far the nearest it stands is not asked: 0. Undefined where it holds nothing out. Also of one that has nothing to say there yet. */
export function matteStands(document: ItemDocument, id: string, camera: Camera, at: MatteMoment): number | undefined {
  const item = document.items[id]
  if (!isMatte(item)) return undefined
  const now = movedAndSettledAt(document, item, MATTE_SETTINGS, at.frame, at.inputs)
  const stands = standing(document, id, riddenMatte(now, at.world.moves[id], at.frame, at.open), camera, at)
  return stands && (stands.onSurface ? 0 : stands.distance)
}

/** The mattes that hold something out at a frame, as a picture's recipe names them. */
export const matteKeys = (document: ItemDocument, camera: Camera, at: MatteMoment): unknown[] => [
  ...shownMattes(document, at).flatMap(([id, item]) => {
    const stands = standing(document, id, item, camera, at)
    return stands ? [{ ...(matteKey(document, id, at) as object), ...stands }] : []
  }),
  ...cardsInside(document).map(({ matte, layer }) => ({ inside: matteKey(document, matte, at) ?? null, layer })),
]

/** Cards that are seen only inside a matte. */
const cardsInside = (document: ItemDocument): { matte: string; layer: string }[] =>
  itemsInOrder(document).flatMap(([id, item]) =>
    isCard(item) && item.shown && item.inside ? [{ matte: item.inside, layer: layerIdOf(id, item) }] : [],
  )
/** How near what hides a card outside its matte stands, m: before all that is seen. */
const FOREMOST = 0.001

/** The shown mattes as they are at a frame, in the roster's order. */
const shownMattes = (document: ItemDocument, at: MatteMoment): [string, MatteItem][] =>
  itemsInOrder(document).flatMap(([id, { shown }]): [string, MatteItem][] => {
    const item = shown ? matteOf(document, id, at) : undefined
    return item ? [[id, item]] : []
  })

/** The kept frame of a matte. */
export type DataOf = (item: string, frame: number) => unknown

/** A matte by its id, drawn in the size of a camera; undefined where it has nothing to say. plateWidth: px of the full plate. */
export function drawMatteOf(
  document: ItemDocument,
  id: string,
  camera: Camera,
  plateWidth: number,
  at: MatteMoment,
  dataOf: DataOf,
  around: readonly string[] = [],
): { image: FloatImage; distances?: FloatImage } | undefined {
  const item = around.includes(id) ? undefined : matteOf(document, id, at)
  if (!item) return undefined
  const { width, height } = camera
  const view = { width, height, scale: width / plateWidth, ...at.open }
  const paint =
    Object.keys(item.painted).length > 0 ? drawPaint(document, item, camera, at.frame, at.inputs) : undefined
  const image = drawMatte(item, view, {
    carried: carriedAt(id, item, at.frame, dataOf),
    painted: paint?.image,
    other: (of) => drawMatteOf(document, of, camera, plateWidth, at, dataOf, [...around, id])?.image,
  })
  return { image, ...(paint ? { distances: paint.distances } : {}) }
}

/** The mattes that hold something out, drawn in the size of the picture's camera; plateCamera: the plate's. */
export const drawMattes = (
  document: ItemDocument,
  camera: Camera,
  plateCamera: Camera,
  at: MatteMoment,
  dataOf: DataOf = () => undefined,
): SceneMatte[] => [
  ...shownMattes(document, at).flatMap(([id, item]) => {
    const stands = standing(document, id, item, plateCamera, at)
    const drawn = stands && drawMatteOf(document, id, camera, plateCamera.width, at, dataOf)
    if (!stands || !drawn) return []
    const { onSurface, ...rest } = stands
    const nearer = item.nearer
    const distances = onSurface && drawn.distances
    if (distances)
      for (let n = 0; n < distances.data.length; n++) distances.data[n] = near(distances.data[n] ?? 0, nearer)
    return [{ ...rest, image: drawn.image, ...(distances ? { distances } : {}) }]
  }),
  ...cardsInside(document).flatMap(({ matte, layer }): SceneMatte[] => {
    const drawn = drawMatteOf(document, matte, camera, plateCamera.width, at, dataOf)
    if (!drawn) return []
    const image = { ...drawn.image, data: drawn.image.data.map((share) => 1 - share) }
    return [{ image, distance: FOREMOST, soft: 0, cuts: [layer] }]
  }),
]
/** A surface's distance, moved towards the camera; 0 where there is none. */
const near = (distance: number, nearer: number): number => (distance > 0 ? Math.max(0.01, distance - nearer) : 0)
