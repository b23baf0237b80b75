import { heightOfRise, riseOverFoot, widthOfPulse } from '../cards/index.ts'
import type { ReadingFrames } from '../data/index.ts'
import type { CardItem } from '../effects/cards/index.ts'
import { isCard } from '../effects/cards/index.ts'
import { isGas, speedForSize } from '../effects/gas/index.ts'
import { pulseRate } from '../gas/index.ts'
import { thingPose, thingsAt } from '../set/index.ts'
import { frameRate, type SignalInputs } from '../settings/index.ts'
import { type ShotDocument, shotLayers } from '../shot/index.ts'
import { type CheckLine, lineOf } from '../sit/index.ts'

// How fast things go for how large they are: fires by how they pulse, what falls by how it gains speed.

/** How large a card's fire is by how it pulses and by how it rises. */
export interface ProposedSize {
  /** Pulses a second as it is shown, how wide such a fire is, and how high its frame would be, m. */
  pulse?: { hertz: number; wide: number; height: number }
  /** How fast it goes up near its base at its height, and how fast fire does there, m/s; and the height at which both agree, m. */
  rise?: { own: number; law: number; height: number }
}

/** The size that a card's filmed fire says of itself. taken: what was read of its clip. */
export function proposedSize(
  item: Pick<CardItem, 'clip' | 'height' | 'shotAt' | 'pace'>,
  taken: ReadingFrames,
): ProposedSize {
  const { clip, height, shotAt, pace } = item
  const { fire, frames } = taken
  if (!clip || !fire) return {}
  const rate = (shotAt || clip.rate) * pace
  const hertz = pulseRate(
    frames.flatMap((one) => (one ? [one.mean[3]] : [])),
    rate,
  )
  const aspect = clip.width / clip.height
  const pulse =
    hertz && fire.wide > 0
      ? { hertz, wide: widthOfPulse(hertz), height: widthOfPulse(hertz) / (fire.wide * aspect) }
      : undefined
  const agrees = heightOfRise(fire.rise * rate, fire.over)
  const rise =
    agrees === undefined
      ? undefined
      : { own: fire.rise * rate * height, law: riseOverFoot(fire.over * height), height: agrees }
  return { ...(pulse ? { pulse } : {}), ...(rise ? { rise } : {}) }
}

/** What speeds are told from besides the document. */
export interface SpeedSources {
  /** Figures of a fire's kept frames in order. */
  figures(item: string): { heatKw: number[]; axialFlameLength: number[]; baseBuoyancy: number[] } | undefined
  /** What was read of a card's clip. */
  clip(card: string): ReadingFrames | undefined
}

/** How fast an item goes over how fast it would for its size, and how far that may be off. */
interface Speed {
  ratio: number
  may: number
  note: string
}
/** Fires of one size differ by so much; falling is exact but for frames' steps. */
const FIRES_DIFFER = 0.25
const FALLS_DIFFER = 0.15

/** Slower than this nothing falls, m/s; gained less or more than these it is no free fall, m/s^2. */
const LEAST_FALL = 0.5
const [LEAST_GAIN, MOST_GAIN] = [1, 60]
const GRAVITY = 9.81

/** Frames to either side over which a fall is told: keys that are set every few frames make it go in straight steps. */
const FALL_REACH = 3
const LEAST_PLACES = 5
/** A step this much shorter than the one before was stopped by something. */
const LANDS = 0.9

/** How fast a thing gains speed that falls, m/s^2, from its heights at frames one after the other, the middle one being now: of the parabola through those over which it falls, by least squares. Undefined where it does not fall freely. */
export function fallOf(heights: readonly number[], rate: number): number | undefined {
  const falls = (n: number): boolean => (heights[n] ?? 0) > (heights[n + 1] ?? Number.NaN)
  let [from, to] = [heights.length >> 1, heights.length >> 1]
  while (from > 0 && falls(from - 1)) from--
  while (to + 1 < heights.length && falls(to)) to++
  // The step in which it lands is cut short.
  const fell = (n: number): number => (heights[n - 1] ?? 0) - (heights[n] ?? 0)
  while (to - from >= 2 && fell(to) < LANDS * fell(to - 1)) to--
  const count = to - from + 1
  if (count < LEAST_PLACES) return undefined
  const places = Array.from({ length: count }, (_, k) => ({ t: k - (count - 1) / 2, y: heights[from + k] ?? 0 }))
  // The mean of t is 0, so t^2 less its mean is independent of the line.
  const square = places.reduce((sum, { t }) => sum + (t * t) / count, 0)
  const [up, down] = places.reduce(
    ([a, b], { t, y }) => [a + (t * t - square) * y, b + (t * t - square) * (t * t - square)],
    [0, 0],
  )
  const gain = (-2 * up * rate * rate) / down
  const speed = (((heights[from] ?? 0) - (heights[to] ?? 0)) * rate) / (count - 1)
  return speed < LEAST_FALL || gain < LEAST_GAIN || gain > MOST_GAIN ? undefined : gain
}

/** Items' speeds at a frame, of those that tell. */
function speedsAt(
  document: ShotDocument,
  frame: number,
  inputs: SignalInputs,
  sources: SpeedSources,
): Map<string, Speed> {
  const rate = frameRate(document.plate)
  const speeds = new Map<string, Speed>()
  for (const [id, item] of Object.entries(document.items)) {
    if (isGas(item)) {
      const figures = sources.figures(id)
      const fit = figures && speedForSize(item, figures, rate)
      const found = fit?.pulse.found
      if (fit && found)
        speeds.set(id, { ratio: found / fit.pulse.law, may: FIRES_DIFFER, note: `pulses ${found.toFixed(1)} Hz` })
    } else if (isCard(item) && item.there === 'on black' && item.far === 'in the set') {
      const taken = sources.clip(id)
      const pulse = taken && proposedSize(item, taken).pulse
      // 1.5 D^-1/2 of the width that it has here.
      if (pulse)
        speeds.set(id, {
          ratio: Math.sqrt(item.height / pulse.height),
          may: FIRES_DIFFER,
          note: `pulses ${pulse.hertz.toFixed(1)} Hz`,
        })
    }
  }
  const places = Array.from(
    { length: 2 * FALL_REACH + 1 },
    (_, n) => new Map(thingsAt(document, frame + n - FALL_REACH, inputs)),
  )
  for (const id of places[FALL_REACH]?.keys() ?? []) {
    const heights = places.map((one) => {
      const item = one.get(id)
      return item ? thingPose(item).place[1] : Number.NaN
    })
    const gain = fallOf(heights, rate)
    if (gain !== undefined)
      speeds.set(id, { ratio: Math.sqrt(gain / GRAVITY), may: FALLS_DIFFER, note: `gains ${gain.toFixed(1)} m/s²` })
  }
  return speeds
}

/** Lines of how fast layers go for their size, by lay. */
export function speedLines(
  document: ShotDocument,
  frame: number,
  inputs: SignalInputs,
  sources: SpeedSources,
): Record<string, CheckLine> {
  const speeds = speedsAt(document, frame, inputs, sources)
  return Object.fromEntries(
    shotLayers(document).flatMap(({ id, items }) => {
      const speed = items.map((item) => speeds.get(item)).find(Boolean)
      if (!speed) return []
      const layer = 100 * speed.ratio
      return [[id, lineOf('speed', 100, layer, layer - 100, 100 * speed.may, { note: speed.note })]]
    }),
  )
}
