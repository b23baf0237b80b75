import type { Camera } from '../data/index.ts'
import { AT_HOME, type GasPlace } from '../picture/index.ts'
import { add, panTiltRoll, radians, rotate, scale, subtract, type Vec3 } from '../math/index.ts'
import { type GasItem, itemAt, type MATTERS, type ReuseItem, type SignalInputs } from '../shot/index.ts'
import { SOOT_EXTINCTION } from '../light/index.ts'
import { carriedBy, runOf } from './gas.ts'
import { itemsInOrder, type SetDocument } from './set.ts'

/** Light that a gram stops, m^2/kg: soot as Mulholland & Croarkin 2000; balls much larger than the light's waves 3 / (density x diameter), of 10 um: mineral of 2600 kg/m^3 and water. */
export const EXTINCTION: Readonly<Record<(typeof MATTERS)[number], number>> = {
  soot: SOOT_EXTINCTION,
  dust: 3 / (2600 * 10e-6),
  water: 3 / (1000 * 10e-6),
}

/** One frame of a kept run that a shown gas is made from. */
export interface ShownFrame {
  /** As numbered in the plate. */
  frame: number
  weight: number
  /** Seconds by which its velocity carries it; later is positive. */
  ahead: number
}

/** A kept run as it is shown at a frame of the plate. */
export interface Showing {
  /** The item that shows it, and the gas whose run it is. */
  item: string
  gas: string
  frames: readonly ShownFrame[]
  place: GasPlace
  look: { albedo: number; forward: number; extinction: number; blue: number }
}

const lookOf = (item: GasItem): Showing['look'] => ({
  albedo: item.albedo,
  forward: item.forward,
  extinction: EXTINCTION[item.matter] * item.thickness,
  blue: item.blue,
})

/** A moment of a run, in frames from its first: the frames beside it, each carried to it by its own velocity. */
function between(at: number, weight: number, first: number, last: number, rate: number): ShownFrame[] {
  const held = Math.min(last - first, Math.max(0, at))
  const low = Math.floor(held + 1e-6)
  const share = held - low
  if (share < 1e-3) return [{ frame: first + low, weight, ahead: 0 }]
  return [
    { frame: first + low, weight: weight * (1 - share), ahead: share / rate },
    { frame: first + low + 1, weight: weight * share, ahead: (share - 1) / rate },
  ]
}

/** What a reuse shows of a run of `first` to `last` at so many frames since the plate's first; none before the run begins and after it is over. */
export function reuseFrames(
  item: Pick<ReuseItem, 'froude' | 'scale' | 'shift' | 'loop' | 'loopFrom' | 'loopLength' | 'loopBlend'>,
  since: number,
  first: number,
  last: number,
  rate: number,
): ShownFrame[] {
  // Froude: speeds go with the root of the size, so times do too.
  const pace = item.froude ? 1 / Math.sqrt(item.scale) : 1
  const at = (since - item.shift) * pace
  if (!item.loop) return at < 0 || at > last - first ? [] : between(at, 1, first, last, rate)
  const from = Math.min(last - first, Math.max(0, item.loopFrom))
  const length = Math.max(1, Math.min(item.loopLength, last - first - from + 1))
  const blend = Math.min(item.loopBlend, length, last - first + 1 - from - length)
  const turn = ((at % length) + length) % length
  // While the next round begins, the last one goes on past the loop's end and fades out.
  if (blend > 0 && turn < blend && at >= length) {
    const share = turn / blend
    return [
      ...between(from + turn, share, first, last, rate),
      ...between(from + length + turn, 1 - share, first, last, rate),
    ].filter(({ weight }) => weight > 1e-6)
  }
  return between(from + turn, 1, first, last, rate)
}

/** All that is shown of gas at a frame, in the roster's order. */
export function showingsAt(document: SetDocument, frame: number, inputs: SignalInputs = {}): Showing[] {
  const rate = document.plate.rate[0] / document.plate.rate[1]
  return itemsInOrder(document).flatMap(([id, item]): Showing[] => {
    if (!item.shown) return []
    if (item.kind === 'gas') {
      const now = itemAt(document, item, frame, inputs)
      const { first, last } = runOf(document, item)
      if (frame < first || frame > last) return []
      return [
        {
          item: id,
          gas: id,
          frames: [{ frame, weight: 1, ahead: 0 }],
          place: { ...AT_HOME, shift: carriedBy(document, item, frame) },
          look: lookOf(now),
        },
      ]
    }
    if (item.kind !== 'reuse') return []
    const gas = document.items[item.of]
    if (gas?.kind !== 'gas') return []
    const now = itemAt(document, item, frame, inputs)
    const { first, last } = runOf(document, gas)
    const frames = reuseFrames(now, frame - document.plate.first, first, last, rate)
    if (frames.length === 0) return []
    const turn = panTiltRoll(radians(now.turn), radians(now.tilt), 0)
    const pivot = itemAt(document, gas, document.plate.first, inputs).position
    const mirrored: Vec3 = [now.mirror ? -pivot[0] : pivot[0], pivot[1], pivot[2]]
    // A run that was held still is carried along its own way here too.
    const way = carriedBy(document, gas, frames[0]?.frame ?? first)
    const carried = rotate(turn, scale([now.mirror ? -way[0] : way[0], way[1], way[2]], now.scale))
    const shift = add(subtract(now.position, rotate(turn, scale(mirrored, now.scale))), carried)
    return [
      {
        item: id,
        gas: item.of,
        frames,
        place: { turn, scale: now.scale, mirror: now.mirror, shift },
        look: lookOf(itemAt(document, gas, frame, inputs)),
      },
    ]
  })
}

/** The frames of each gas's run that a frame of the plate needs, by the gas's id. */
export function neededFrames(showings: readonly Showing[]): Map<string, Set<number>> {
  const needed = new Map<string, Set<number>>()
  for (const { gas, frames } of showings)
    for (const { frame } of frames) needed.set(gas, (needed.get(gas) ?? new Set()).add(frame))
  return needed
}

/** The gases whose runs the shot shows, in order: shown ones, and hidden ones that are shown again. */
export function gasesShown(document: SetDocument): [string, GasItem][] {
  const again = new Set(
    Object.values(document.items).flatMap((item) => (item.kind === 'reuse' && item.shown ? [item.of] : [])),
  )
  return itemsInOrder(document).flatMap(([id, item]) =>
    item.kind === 'gas' && (item.shown || again.has(id)) ? [[id, item] as [string, GasItem]] : [],
  )
}

/** A camera between two others, for the open shutter: straight between their places, the short way between their turns. */
export function cameraBetween(a: Camera, b: Camera, t: number): Camera {
  const mix = (x: number, y: number): number => x + (y - x) * t
  const sign = a.rotation.reduce((sum, v, n) => sum + v * (b.rotation[n] ?? 0), 0) < 0 ? -1 : 1
  const q = a.rotation.map((v, n) => mix(v, sign * (b.rotation[n] ?? 0)))
  const size = Math.sqrt(q.reduce((sum, v) => sum + v * v, 0)) || 1
  return {
    ...a,
    position: [mix(a.position[0], b.position[0]), mix(a.position[1], b.position[1]), mix(a.position[2], b.position[2])],
    rotation: q.map((v) => v / size) as unknown as Camera['rotation'],
    focalPx: mix(a.focalPx, b.focalPx),
  }
}
