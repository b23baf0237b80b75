import { type Camera, pixelRay } from '@lantern/core/data'
import { add, conjugate, cross, dot, normalise, rotate, scale, subtract, type Vec3 } from '@lantern/core/math'
import { isThing, type ThingItem, type TrimPlane, thingPose, trimmedBounds } from '@lantern/core/set'
import { itemAt } from '@lantern/core/shot'
import { useShot } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'

type Point = readonly [number, number]
type Trim = NonNullable<ThingItem['trim']>

/** A plane of the world as one of a thing's mesh: p = rotation (size x m) + place. */
function intoMesh(item: ThingItem, normal: Vec3, through: Vec3): TrimPlane {
  const { rotation, place, scale: size } = thingPose(item)
  return { normal: rotate(conjugate(rotation), normal), offset: dot(normal, subtract(through, place)) / size }
}

/** Cuts the chosen thing along a line over the picture: the side that its middle is on stays. */
export function cutAlong(camera: Camera, [from, to]: readonly Point[]): void {
  const state = useShot.getState()
  const { shot, chosen, frame, edit, set } = state
  const item = shot?.document.items[chosen]
  if (!shot || !from || !to || !item || !isThing(item)) return
  if (Math.hypot(to[0] - from[0], to[1] - from[1]) < 2)
    return set({ message: { text: 'Click two places apart: the cut goes through both.', good: false } })
  const standing = itemAt(shot.document, item, frame, inputsNow(state))
  if (!isThing(standing)) return
  const [a, b] = [pixelRay(camera, from[0], from[1]), pixelRay(camera, to[0], to[1])]
  const cut = intoMesh(standing, normalise(cross(a.along, b.along)), a.from)
  const { low, high } = trimmedBounds(standing)
  const middle = scale(add(low, high), 0.5)
  const kept = dot(cut.normal, middle) > cut.offset ? otherSide(cut) : cut
  edit({ items: { [chosen]: { cuts: [...(item.cuts ?? []), kept].slice(-20) } } })
  set({ tool: 'choose' })
}

/** Keeps the other side of a cut instead. */
export const otherSide = ({ normal, offset }: TrimPlane): TrimPlane => ({ normal: scale(normal, -1), offset: -offset })

export const SIDES = [
  ['Left', 0, 'low'],
  ['Right', 0, 'high'],
  ['Below', 1, 'low'],
  ['Above', 1, 'high'],
  ['Behind', 2, 'low'],
  ['Before', 2, 'high'],
] as const
type Side = (typeof SIDES)[number]

/** What is trimmed off a side, %. */
export const trimOff = (trim: Trim | undefined, [, axis, end]: Side): number =>
  Math.round(1000 * (end === 'low' ? (trim?.low[axis] ?? 0) : 1 - (trim?.high[axis] ?? 1))) / 10

/** The trim with so much off a side, %; never all of it. undefined: nothing is off any more. */
export function trimWith(trim: Trim | undefined, [, axis, end]: Side, off: number): Trim | undefined {
  const made = { low: [...(trim?.low ?? [0, 0, 0])], high: [...(trim?.high ?? [1, 1, 1])] } as {
    low: [number, number, number]
    high: [number, number, number]
  }
  const [low, high] = [made.low[axis], made.high[axis]]
  if (end === 'low') made.low[axis] = Math.min(high - 0.01, Math.max(0, off / 100))
  else made.high[axis] = Math.max(low + 0.01, Math.min(1, 1 - off / 100))
  return made.low.every((value) => value === 0) && made.high.every((value) => value === 1) ? undefined : made
}
