import { distanceTo, type Solid, solidBounds } from '../../data/index.ts'
import { add, rotate, scale, subtract, type Vec3 } from '../../math/index.ts'
import { isPiece, isThing, pieceSettings, solidOf, THING_SETTINGS, thingBounds } from '../../set/index.ts'
import { frameRate, type ItemDocument, movedAndSettledAt, type SignalInputs } from '../../settings/index.ts'
import { isBreakable, pieceAt, standingBody } from './body.ts'
import type { BreakingItem, Strike } from './schema.ts'

// Strikes as they are told, and those that follow from something that hits.

/** A strike as it is computed. */
export interface Blow {
  id: string
  name: string
  frame: number
  at: Vec3
  direction: Vec3
  radius: number
  energy: number
  /** 0: all one way; 1: away from where it struck. */
  spread: number
}

/** The body of something that may strike, at a frame. */
function strikerAt(document: ItemDocument, id: string, frame: number, inputs: SignalInputs): Solid | undefined {
  const item = document.items[id]
  if (!item) return undefined
  if (isThing(item)) return thingBounds(movedAndSettledAt(document, item, THING_SETTINGS, frame, inputs))
  return isPiece(item) ? solidOf(movedAndSettledAt(document, item, pieceSettings(item), frame, inputs)) : undefined
}

/** Places on a body: its middle, corners, and the middles of its sides. */
function placesOn(solid: Solid): Vec3[] {
  if (solid.kind === 'halfspace') return []
  if (solid.kind === 'ball') return [solid.centre]
  const places: Vec3[] = []
  for (const x of [-1, 0, 1])
    for (const y of [-1, 0, 1])
      for (const z of [-1, 0, 1])
        places.push(
          add(solid.centre, rotate(solid.rotation, [x * solid.half[0], y * solid.half[1], z * solid.half[2]])),
        )
  return places
}

/** Moments between two frames at which a meeting is looked for. */
const BETWEEN = 4

/** When, where and how hard something on a path hits; undefined where it never does. */
function blowBy(
  document: ItemDocument,
  item: BreakingItem,
  [id, strike]: [string, Strike],
  inputs: SignalInputs,
): Blow | undefined {
  const piece = document.items[item.piece]
  if (!isBreakable(piece)) return undefined
  const { first, last } = document.plate
  const rate = frameRate(document.plate)
  for (let n = 0; n <= (last - first) * BETWEEN; n++) {
    const moment = first + n / BETWEEN
    const now = strikerAt(document, strike.by, moment, inputs)
    if (!now || now.kind === 'halfspace') return undefined
    const target = standingBody(pieceAt(document, piece, moment, inputs))
    const inside = placesOn(now).filter((at) => distanceTo(target, at) < 0)
    if (inside.length === 0) continue
    const before = strikerAt(document, strike.by, moment - 1, inputs)
    if (!before || before.kind === 'halfspace') return undefined
    const velocity = scale(subtract(now.centre, before.centre), rate)
    const speed = Math.sqrt(velocity[0] ** 2 + velocity[1] ** 2 + velocity[2] ** 2)
    if (speed < 0.02) return undefined
    const at = scale(
      inside.reduce<Vec3>((sum, place) => add(sum, place), [0, 0, 0]),
      1 / inside.length,
    )
    const bounds = solidBounds(now)
    const half = bounds ? Math.max(...[0, 1, 2].map((a) => ((bounds.high[a] ?? 0) - (bounds.low[a] ?? 0)) / 2)) : 0.3
    return {
      id,
      name: strike.name,
      frame: Math.ceil(moment),
      at,
      direction: scale(velocity, 1 / speed),
      radius: Math.max(strike.radius, half * 0.7),
      energy: 0.5 * strike.mass * speed * speed,
      spread: strike.spread / 100,
    }
  }
  return undefined
}

/** All strikes that happen, in the order of their frames. */
export function blowsOf(document: ItemDocument, item: BreakingItem, inputs: SignalInputs = {}): Blow[] {
  return Object.entries(item.strikes)
    .flatMap(([id, strike]): Blow[] => {
      if (strike.by) return [blowBy(document, item, [id, strike], inputs)].filter((one) => one !== undefined)
      const { name, frame, at, direction, radius, energy, spread } = strike
      const length = Math.sqrt(direction[0] ** 2 + direction[1] ** 2 + direction[2] ** 2)
      const unit: Vec3 = length > 1e-9 ? scale(direction, 1 / length) : [0, 0, 1]
      return [{ id, name, frame: Math.round(frame), at, direction: unit, radius, energy, spread: spread / 100 }]
    })
    .sort((a, b) => a.frame - b.frame || (a.id < b.id ? -1 : 1))
}

/** The frame of the first strike; undefined where none happens. */
export const firstBlow = (document: ItemDocument, item: BreakingItem, inputs?: SignalInputs): number | undefined =>
  blowsOf(document, item, inputs)[0]?.frame
