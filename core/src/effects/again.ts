import { add, panTiltRoll, radians, rotate, scale, subtract, type Vec3 } from '../math/index.ts'
import type { Placement } from '../picture/index.ts'
import { frameRate, type ItemDocument, movedAndSettledAt, type SignalInputs } from '../settings/index.ts'
import { REUSE_SETTINGS, type ReuseItem } from './againSchema.ts'
import type { ShownFrame } from './effect.ts'

export * from './againSchema.ts'

// A kept run shown again, of whatever effect: which of its frames, and where.

type Pace = Pick<ReuseItem, 'froude' | 'scale'>
/** Times its own pace. Froude: speeds go with the root of the size, so times do too. */
export const paceOf = ({ froude, scale: size }: Pace): number => (froude ? 1 / Math.sqrt(size) : 1)

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
  const at = (since - item.shift) * paceOf(item)
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

/** A run as it is shown again: its first and last frame, and the place that it is turned and scaled about, m. */
export interface ShownRun {
  first: number
  last: number
  pivot: Vec3
}

/** What a reuse shows at a frame, and where; undefined where it shows nothing then. way: by how much the run itself was carried at one of its frames, m. */
export function againAt(
  document: ItemDocument,
  item: ReuseItem,
  { first, last, pivot }: ShownRun,
  frame: number,
  inputs: SignalInputs,
  way: (frame: number) => Vec3 = () => [0, 0, 0],
): { frames: ShownFrame[]; place: Placement; pace: number } | undefined {
  const now = movedAndSettledAt(document, item, REUSE_SETTINGS, frame, inputs)
  const frames = reuseFrames(now, frame - document.plate.first, first, last, frameRate(document.plate))
  if (frames.length === 0) return undefined
  const turn = panTiltRoll(radians(now.turn), radians(now.tilt), 0)
  const mirrored = ([x, y, z]: Vec3): Vec3 => [now.mirror ? -x : x, y, z]
  const carried = rotate(turn, scale(mirrored(way(frames[0]?.frame ?? first)), now.scale))
  const shift = add(subtract(now.position, rotate(turn, scale(mirrored(pivot), now.scale))), carried)
  return { frames, place: { turn, scale: now.scale, mirror: now.mirror, shift }, pace: paceOf(now) }
}
