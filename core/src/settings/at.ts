import { curveAt, type Vec3 } from '../math/index.ts'
import type { Item, ItemDocument } from './item.ts'
import { poseOfPlaced, putAt, riddenPose } from './rides.ts'
import type { Setting } from './schema.ts'
import { type Following, followed, followedColour, type SignalInputs } from './signals.ts'

// Things as they are at one frame: what follows a signal has its value, what moves is where it is.

type Document = Pick<ItemDocument, 'plate' | 'signals'> & Partial<Pick<ItemDocument, 'items'>>
const clockOf = ({ plate }: Document) => ({ first: plate.first, rate: plate.rate[0] / plate.rate[1] })

/** A value within what its setting may be. */
export const clampToSetting = (value: number, setting: Setting | undefined): number =>
  setting?.type === 'number'
    ? Math.min(setting.maximum ?? Infinity, Math.max(setting.minimum ?? -Infinity, value))
    : value

/** A copy of `thing` with another value at a path; what lies beside the path is shared. The same thing where the path leads nowhere. */
function replaced(thing: object, [step = '', ...rest]: readonly string[], value: (old: unknown) => unknown): object {
  if (!Object.hasOwn(thing, step)) return thing
  const old = (thing as Record<string, unknown>)[step]
  const inner = rest.length === 0 ? value(old) : old && typeof old === 'object' ? replaced(old, rest, value) : old
  if (inner === old) return thing
  return Array.isArray(thing) ? thing.with(Number(step), inner) : { ...thing, [step]: inner }
}

/** `thing` with what its `follows` says put in, each value held within its setting's limits. Settings that are decided for a whole run keep their own. */
export function settledAt<T extends object>(
  document: Document,
  thing: T,
  follows: Readonly<Record<string, Following>> | undefined,
  settings: readonly Setting[],
  frame: number,
  inputs: SignalInputs,
): T {
  if (!follows) return thing
  let result: object = thing
  for (const [path, following] of Object.entries(follows)) {
    const hue = followedColour(following, document.signals, frame, inputs)
    const value = hue ? following.gain : followed(following, document.signals, frame, clockOf(document), inputs)
    // Without its colour what takes one keeps its own.
    if (value === undefined || (following.takes === 'colour' && !hue)) continue
    const steps = path.split('.')
    const name = steps.findLast((step) => !/^\d+$/.test(step))
    const setting = settings.find(({ key }) => key === name)
    if (!setting || setting.still) continue
    result = replaced(result, steps, (old) => {
      if (typeof old === 'number') return clampToSetting(value, setting)
      // A whole colour follows by its strength.
      if (Array.isArray(old) && setting.type === 'colour')
        return old.map((part, c) => Math.min(4, Math.max(0, Number(part) * value * (hue?.[c] ?? 1))))
      return old
    })
  }
  return result as T
}

/** An item where its own keys have it. */
function movedAt<I extends Item>(item: I, frame: number): I {
  if (!item.motion) return item
  const { keys, curve } = item.motion
  const along = (value: (key: (typeof keys)[number]) => number): number =>
    curveAt(
      keys.map((key) => ({ at: key.frame, value: value(key) })),
      frame,
      curve === 'smooth' ? 'round' : 'straight',
    )
  const place = {
    position: [along((key) => key.position[0]), along((key) => key.position[1]), along((key) => key.position[2])],
    turn: along((key) => key.turn),
    tilt: along((key) => key.tilt),
    roll: along((key) => key.roll),
  }
  return { ...item, ...place }
}

/** So many things hold one another at most: a ring of them ends there. */
const MOST_HOLDERS = 8
type Standing = Item & { position: Vec3 }

function riding<I extends Item>(document: Document, item: I, frame: number, inputs: SignalInputs, depth: number): I {
  const moved = movedAt(item, frame)
  const { rides = [] } = item
  if (rides.length === 0 || depth > MOST_HOLDERS || !document.items) return moved
  const { items } = document
  const pose = riddenPose(
    rides,
    frame,
    clockOf(document).rate,
    (at) => poseOfPlaced(movedAt(item, at) as unknown as Standing),
    ({ on, ...ride }, at, taken) => {
      if (on.startsWith('track.')) return inputs.trackPose?.(on.slice(6), ride, at, taken.position)
      if (on.startsWith('match.')) return inputs.object?.(on.slice(6), at)
      const holder = items[on]
      return holder && 'position' in holder
        ? poseOfPlaced(riding(document, holder, at, inputs, depth + 1) as Standing)
        : undefined
    },
  )
  return putAt(moved as unknown as Standing, pose) as unknown as I
}

/** An item as it is at a frame, which may lie between frames: what follows a signal has its value, what moves or rides is where it is. settings: those of its kind. */
export const movedAndSettledAt = <I extends Item>(
  document: Document,
  item: I,
  settings: readonly Setting[],
  frame: number,
  inputs: SignalInputs = {},
): I => riding(document, settledAt(document, item, item.follows, settings, frame, inputs), frame, inputs, 0)
