import { detailNeeds } from '../../gas/index.ts'
import { add, panTiltRoll, radians, rotate, scale, subtract, type Vec3 } from '../../math/index.ts'
import { AT_HOME } from '../../picture/index.ts'
import { frameRate, type ItemDocument, type SignalInputs } from '../../settings/index.ts'
import type { EffectInstance, ShownFrame } from '../effect.ts'
import { itemAt, runOf } from './items.ts'
import { extinctionOf } from './matter.ts'
import { type GasItem, isGas, isReuse, type ReuseItem } from './schema.ts'
import { carriedBy } from './settings.ts'

/** How a gas looks. extinction: light that a kilogram of its smoke stops, m^2/kg. */
export interface GasLook {
  albedo: number
  forward: number
  extinction: number
  colour: readonly [number, number, number]
  blue: number
  /** Strength of the fine whirls that finals show between the cells, and which they are; 0: none. */
  finer: number
  seed: number
}

const lookOf = (item: GasItem): GasLook => ({
  albedo: item.albedo,
  forward: item.forward,
  extinction: extinctionOf(item),
  colour: item.smokeColour,
  blue: item.blue,
  // A run that was made finer for good has them.
  finer: item.detail > 1 ? 0 : item.fineDetail,
  seed: item.seed,
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

/** With the frames before each that its fine whirls have come through. */
const trailed = (frames: readonly ShownFrame[], first: number, { finer }: GasLook): ShownFrame[] =>
  finer > 0 ? frames.map((one) => ({ ...one, trail: detailNeeds(one.frame, first).slice(0, -1) })) : [...frames]

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

/** A gas at home: its own frame, where it was computed. */
function ownInstance(
  document: ItemDocument,
  id: string,
  item: GasItem,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<GasLook>[] {
  const { first, last } = runOf(document, item)
  if (frame < first || frame > last) return []
  const look = lookOf(itemAt(document, item, frame, inputs))
  return [
    {
      item: id,
      of: id,
      frames: trailed([{ frame, weight: 1, ahead: 0 }], first, look),
      place: { ...AT_HOME, shift: carriedBy(document, item, frame) },
      look,
    },
  ]
}

/** A kept run shown again: turned, scaled, mirrored, shifted in time, looped. */
function reuseInstance(
  document: ItemDocument,
  id: string,
  item: ReuseItem,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<GasLook>[] {
  const gas = document.items[item.of]
  if (!isGas(gas)) return []
  const now = itemAt(document, item, frame, inputs)
  const { first, last } = runOf(document, gas)
  const frames = reuseFrames(now, frame - document.plate.first, first, last, frameRate(document.plate))
  if (frames.length === 0) return []
  const turn = panTiltRoll(radians(now.turn), radians(now.tilt), 0)
  const pivot = itemAt(document, gas, document.plate.first, inputs).position
  const mirrored: Vec3 = [now.mirror ? -pivot[0] : pivot[0], pivot[1], pivot[2]]
  // A run that was held still is carried along its own way here too.
  const way = carriedBy(document, gas, frames[0]?.frame ?? first)
  const carried = rotate(turn, scale([now.mirror ? -way[0] : way[0], way[1], way[2]], now.scale))
  const shift = add(subtract(now.position, rotate(turn, scale(mirrored, now.scale))), carried)
  const look = lookOf(itemAt(document, gas, frame, inputs))
  return [
    {
      item: id,
      of: item.of,
      frames: trailed(frames, first, look),
      place: { turn, scale: now.scale, mirror: now.mirror, shift },
      look,
    },
  ]
}

/** What an item of this effect shows at a frame: a gas its own run, a reuse another gas's. */
export function gasInstances(
  document: ItemDocument,
  id: string,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<GasLook>[] {
  const item = document.items[id]
  if (isGas(item)) return ownInstance(document, id, item, frame, inputs)
  return isReuse(item) ? reuseInstance(document, id, item, frame, inputs) : []
}
