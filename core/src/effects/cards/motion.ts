import type { Crew } from '../../base/index.ts'
import { frameBetween, type MotionBetween } from '../../cards/index.ts'
import type { FloatImage } from '../../data/index.ts'
import { denseMotion, motionPicture } from '../../motion/index.ts'

// Motion from one frame of a clip to the next.

/** Colours as they add up: multiplied with alpha where there is one. */
function light({ width, height, channels, data }: FloatImage): Float32Array {
  const out = new Float32Array(width * height * 3)
  for (let n = 0; n < width * height; n++) {
    const there = channels === 4 ? (data[4 * n + 3] as number) : 1
    for (let c = 0; c < 3; c++) out[3 * n + c] = there * (data[n * channels + c] as number)
  }
  return out
}

/** The least width and height that motion is found in, px. */
const LEAST = 64

/** Motion between two frames of one size; undefined where they are too small to tell it. */
export function motionBetween(crew: Crew, a: FloatImage, b: FloatImage): MotionBetween | undefined {
  const { width, height } = a
  if (Math.min(width, height) < LEAST || b.width !== width || b.height !== height) return undefined
  const [first, second] = [a, b].map((one) => motionPicture(crew, light(one), width, height))
  return first && second ? denseMotion(crew, first, second) : undefined
}

const found = new WeakMap<FloatImage, WeakMap<FloatImage, MotionBetween | null>>()
/** The frame between two, at a share of the way; the motion between them is found once. Undefined where they are too small to tell it. */
export function movedBetween(crew: Crew, a: FloatImage, b: FloatImage, share: number): FloatImage | undefined {
  const of = found.get(a) ?? new WeakMap<FloatImage, MotionBetween | null>()
  found.set(a, of)
  const known = of.get(b)
  const motion = known === undefined ? (motionBetween(crew, a, b) ?? null) : known
  of.set(b, motion)
  return motion ? frameBetween(a, b, motion, share) : undefined
}
