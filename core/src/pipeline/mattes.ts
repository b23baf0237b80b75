import { type Camera, type FloatImage, type MatteFrame, normalAt, pixelRay, pointAlong } from '../data/index.ts'
import { conjugate, rotate, subtract, type Vec3 } from '../math/index.ts'
import {
  drawMatte,
  type HelpedMatte,
  isMatte,
  MATTE_SETTINGS,
  type MatteItem,
  type MatteShape,
  type Place,
  pointsAt,
  ringOf,
  shapesInOrder,
} from '../mattes/index.ts'
import { meetPiece, piecesAt, solidOf } from '../set/index.ts'
import { type ItemDocument, itemsInOrder, movedAndSettledAt, type SignalInputs } from '../settings/index.ts'
import { pickLevel } from './pick.ts'
import type { ShutterFrames } from './things.ts'

// Mattes as the picture has them: what they cover, and at which distance it stands.

/** Whether a matte has anything to say at a frame: a carried one without shapes has nothing beyond its frames. */
const isThere = ({ helped, shapes }: MatteItem, frame: number): boolean =>
  !helped || Object.keys(shapes).length > 0 || (helped.carried > 0 && isWanted(helped, frame))
const isWanted = ({ from, to }: HelpedMatte, frame: number): boolean =>
  frame >= Math.min(from, to) && frame <= Math.max(from, to)

/** The shown mattes as they are at a frame, in the roster's order. */
export const mattesAt = (document: ItemDocument, frame: number, inputs: SignalInputs = {}): [string, MatteItem][] =>
  itemsInOrder(document).flatMap(([id, item]): [string, MatteItem][] =>
    isMatte(item) && item.shown && isThere(item, frame)
      ? [[id, movedAndSettledAt(document, item, MATTE_SETTINGS, frame, inputs)]]
      : [],
  )

/** Where what a drawn matte covers meets the set: its lowest corner, px of the plate; undefined where it has none. */
export function footOf(item: MatteItem, frame: number): Place | undefined {
  let foot: Place | undefined
  for (const [, shape] of shapesInOrder(item))
    if (shape.shown && shape.way === 'add' && !shape.inverted)
      for (const { at } of ringOf(pointsAt(shape, frame))) if (!foot || at[1] > foot[1]) foot = at
  return foot
}

/** Where the feet of carried mattes are at a frame, px of the plate, as their kept frames tell; by item. */
export function carriedFeet(
  document: ItemDocument & { plate: { width: number; height: number } },
  frame: number,
  inputs: SignalInputs = {},
): Record<string, Place> {
  const feet: Record<string, Place> = {}
  for (const [id, item] of Object.entries(document.items)) {
    if (!isMatte(item) || !item.helped) continue
    const [x, y] = [inputs.figure?.(id, 'footX', frame), inputs.figure?.(id, 'footY', frame)]
    if (x !== undefined && y !== undefined) feet[id] = [x * document.plate.width, y * document.plate.height]
  }
  return feet
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

/** How far along the view what a matte covers stands, m; undefined where it holds nothing out: it stands nowhere, or its foot does not meet the set. carriedFoot: of a matte that is carried. */
export function matteDistance(
  document: ItemDocument,
  item: MatteItem,
  camera: Camera,
  frame: number,
  carriedFoot?: Place,
): number | undefined {
  if (item.stands === 'nowhere') return undefined
  if (item.stands === 'distance') return item.distance
  const foot = item.stands === 'foot' ? (carriedFoot ?? footOf(item, frame)) : undefined
  // Feet that are out of the picture stand below it.
  const at = item.stands === 'place' ? item.position : foot && standingPlace(document, camera, foot, frame)
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

/** The mattes that hold something out at a frame, as a picture's recipe names them. */
export const matteKeys = (
  document: ItemDocument,
  camera: Camera,
  frame: number,
  open: ShutterFrames,
  feet: Readonly<Record<string, Place>>,
  inputs?: SignalInputs,
): unknown[] =>
  mattesAt(document, frame, inputs).flatMap(([id, item]) => {
    const distance = matteDistance(document, item, camera, frame, feet[id])
    if (distance === undefined) return []
    const shapes = shapesInOrder(item).flatMap(([, { name: _, order: __, shown, ...shape }]) =>
      shown ? [{ ...shape, keys: keysAround({ ...shape } as MatteShape, open) }] : [],
    )
    const { grow, soften, blurs, inverted } = item
    return [
      {
        shapes,
        distance,
        grow,
        soften,
        blurs,
        inverted,
        ...(blurs ? { open } : {}),
        ...(item.helped ? { helped: true } : {}),
      },
    ]
  })

/** The same drawn, in the size of the picture's camera; plateCamera: the plate's. */
export const drawMattes = (
  document: ItemDocument,
  camera: Camera,
  plateCamera: Camera,
  frame: number,
  open: ShutterFrames,
  feet: Readonly<Record<string, Place>>,
  inputs?: SignalInputs,
  dataOf: (item: string, frame: number) => unknown = () => undefined,
): { image: FloatImage; distance: number }[] =>
  mattesAt(document, frame, inputs).flatMap(([id, item]) => {
    const distance = matteDistance(document, item, plateCamera, frame, feet[id])
    if (distance === undefined) return []
    const { width, height } = camera
    const view = { width, height, scale: width / plateCamera.width, ...open }
    return [{ image: drawMatte(item, view, carriedAt(id, item, frame, dataOf)), distance }]
  })
