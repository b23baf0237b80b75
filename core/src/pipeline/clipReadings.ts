import { type Crew, type Progress, stopIfCancelled } from '../base/index.ts'
import { baseRise, type FireShape, fireShape } from '../cards/index.ts'
import type { FloatImage, ReadingFrames } from '../data/index.ts'
import { type CardItem, type ClipOfCard, clipRead, cutOut, motionBetween } from '../effects/cards/index.ts'
import type { OtherFrame } from '../effects/index.ts'
import { readWhole } from '../sit/index.ts'

// Readings of a card's clip: how bright what is there of it is, and how it moves.

/** Pairs of neighbours at most by which its motion is told. */
const PAIRS = 24

/** What a third of values is above. */
const upper = (values: readonly number[]): number =>
  [...values].sort((a, b) => a - b)[Math.floor((2 * values.length) / 3)] ?? 0
const middle = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[values.length >> 1] ?? 0

/** Takes a reading of what is there of a card's clip, over all its frames. frame: one of them, as light; crew: by which its motion is found, where that is wanted. */
export async function takeClipReading(
  card: CardItem & { clip: ClipOfCard },
  percentile: number,
  frame: (of: OtherFrame) => Promise<FloatImage>,
  crew: Crew | undefined,
  progress: Progress,
): Promise<ReadingFrames> {
  const { first, last } = card.clip
  const { source, cut } = clipRead(card)
  const frames: ReadingFrames['frames'] = []
  const shapes: FireShape[] = []
  const rises: Rise[] = []
  const every = Math.max(1, Math.ceil((last - first) / PAIRS))
  let before: FloatImage | undefined
  for (let n = first; n <= last; n++) {
    stopIfCancelled(progress)
    progress.report((n - first) / (last - first + 1), 'reading')
    const there = cutOut(await frame({ ...source, frame: n }), cut)
    const { width, height, data } = there
    const light = new Float32Array(width * height * 3)
    for (let k = 0; k < light.length; k++) {
      const at = 4 * Math.floor(k / 3)
      light[k] = (data[at + (k % 3)] ?? 0) * (data[at + 3] ?? 0)
    }
    const shape = fireShape(there)
    if (shape) shapes.push(shape)
    // Motion of neighbours, here and there over the clip.
    if (crew && shape && before && n % every === 0) {
      const motion = motionBetween(crew, before, there)
      if (motion) rises.push({ ...baseRise(there, shape, motion.to), tall: shape.tall })
    }
    before = there
    frames.push(readWhole(light, width, height, percentile / 100))
  }
  return { first, frames, ...(shapes.length > 0 ? { fire: meanShape(shapes, rises) } : {}) }
}

/** How fast what is near a fire's base goes up, and how tall the fire is then. */
interface Rise {
  rise: number
  over: number
  tall: number
}

/** What is usual of a clip. */
function meanShape(shapes: readonly FireShape[], rises: readonly Rise[]): NonNullable<ReadingFrames['fire']> {
  const usual = middle(shapes.map(({ tall }) => tall))
  // A fire that pulses goes up while it is tall; between, what is bright clings to its base.
  const rising = rises.filter(({ tall }) => tall >= usual)
  return {
    foot: middle(shapes.map(({ foot }) => foot)),
    tall: usual,
    wide: middle(shapes.map(({ wide }) => wide)),
    rise: upper(rising.map(({ rise }) => rise)),
    over: middle(rising.map(({ over }) => over)),
  }
}
