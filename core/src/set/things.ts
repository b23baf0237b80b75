import type { Solid } from '../data/index.ts'
import { add, panTiltRoll, type Quaternion, radians, rotate, type Vec3 } from '../math/index.ts'
import {
  type Item,
  type ItemDocument,
  itemsInOrder,
  movedAndSettledAt,
  type Setting,
  type SignalInputs,
  settingsOf,
} from '../settings/index.ts'
import type { AssetMoment } from './meshPose.ts'
import { type ThingItem, thingSchema } from './schema.ts'
import { trimmedBounds } from './trim.ts'

export const THING_SETTINGS: readonly Setting[] = settingsOf(thingSchema)
export const isThing = (item: Item | undefined): item is ThingItem => item?.kind === 'thing'

/** The shown things as they stand at a frame, which may lie between frames, in the roster's order. */
export const thingsAt = (
  document: ItemDocument,
  frame = document.plate.first,
  inputs: SignalInputs = {},
): [string, ThingItem][] =>
  itemsInOrder(document).flatMap(([id, item]): [string, ThingItem][] =>
    isThing(item) && item.shown ? [[id, movedAndSettledAt(document, item, THING_SETTINGS, frame, inputs)]] : [],
  )

/** Edge lengths of a thing, m: to the right, up, towards the camera. */
export function thingSize(item: Pick<ThingItem, 'mesh' | 'scale' | 'trim'>): Vec3 {
  const { low, high } = trimmedBounds(item)
  const { scale } = item
  return [(high[0] - low[0]) * scale, (high[1] - low[1]) * scale, (high[2] - low[2]) * scale]
}

/** Where a thing's mesh stands: its foot, the middle of the lowest side of its bounds, is at its place. world = rotation (scale x mesh) + place. */
export function thingPose(item: ThingItem): { rotation: Quaternion; place: Vec3; scale: number } {
  const { scale, position } = item
  const { low, high } = trimmedBounds(item)
  const rotation = panTiltRoll(radians(item.turn), radians(item.tilt), radians(item.roll))
  const foot: Vec3 = [(-scale * (low[0] + high[0])) / 2, -scale * low[1], (-scale * (low[2] + high[2])) / 2]
  return { rotation, place: add(position, rotate(rotation, foot)), scale }
}

/** The box that a thing fills. */
export function thingBounds(item: ThingItem): Solid {
  const { rotation, place, scale } = thingPose(item)
  const { low, high } = trimmedBounds(item)
  const middle: Vec3 = [
    ((low[0] + high[0]) * scale) / 2,
    ((low[1] + high[1]) * scale) / 2,
    ((low[2] + high[2]) * scale) / 2,
  ]
  const [width, height, depth] = thingSize(item)
  return {
    kind: 'box',
    centre: add(place, rotate(rotation, middle)),
    half: [width / 2, height / 2, depth / 2],
    rotation,
  }
}

/** Where in its animation a thing is at a frame, s; undefined where none plays. */
export function animationTime(item: ThingItem, frame: number, first: number, rate: number): number | undefined {
  const playing = item.mesh.animations.find(({ name }) => name === item.animation)
  if (!playing || playing.seconds <= 0) return undefined
  const at = ((frame - first) / rate - item.starts) * item.pace
  if (!item.loops) return Math.min(playing.seconds, Math.max(0, at))
  return at - Math.floor(at / playing.seconds) * playing.seconds
}

/** The moments of its animation while the shutter is open; undefined where none plays. */
export function animationMoment(
  item: ThingItem,
  frames: { opening: number; closing: number },
  first: number,
  rate: number,
): AssetMoment | undefined {
  const opening = animationTime(item, frames.opening, first, rate)
  const closing = animationTime(item, frames.closing, first, rate)
  if (opening === undefined || closing === undefined) return undefined
  const step = ((frames.closing - frames.opening) / rate) * item.pace
  // Over the seam of a loop it goes on as it went.
  return { animation: item.animation, opening, closing: Math.abs(closing - opening - step) > 1e-6 ? opening : closing }
}

/** A size that a file's units may mean, for a mesh so large in them: taken as metres, centimetres, millimetres or inches, whichever is likeliest for a thing of a yard. */
export function guessScale({ low, high }: Pick<ThingItem['mesh'], 'low' | 'high'>): number {
  const largest = Math.max(high[0] - low[0], high[1] - low[1], high[2] - low[2])
  // Within reach of a person: from the length of a hand to that of a cart.
  const likely = (size: number): boolean => size >= 0.15 && size <= 12
  return [1, 0.01, 0.001, 0.0254, 0.1].find((unit) => likely(largest * unit)) ?? (largest > 0 ? 1 / largest : 1)
}
