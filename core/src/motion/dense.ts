import { type Crew, LanternError } from '../base/index.ts'
import type { Motion } from '../data/index.ts'

// Dense motion between two frames of a plate: inverse search on patches, coarse to fine (Kroeger et al. 2016), each level refined by a smooth motion that keeps brightness and slopes
// (Brox et al. 2004). The finest level is half the picture's size. Frames far from one another are chained by single ones.

const RIM = 16
const PATCH = 8
const MOST_LEVELS = 6
/** Planes of the finest level that the kernel works in. */
const SCRATCH_PLANES = 18
/** Descents of a patch at most, in each of the two passes. */
const STEPS = 8
const HEAD_WORDS = 4
const WORDS = HEAD_WORDS + 4 * MOST_LEVELS
/** The search works on brightness to 255. */
const CODES = 255

/** The brightness of a frame as motion is found from it: its root, 0 to 255, in half the frame's size. */
export interface MotionPicture {
  width: number
  height: number
  data: Float32Array
}

/** rgb: linear, width x height, row-major from the top left. Throws LanternError 'too-small' under 32 px. */
export function motionPicture(crew: Crew, rgb: Float32Array, width: number, height: number): MotionPicture {
  if (Math.min(width, height) < 32)
    throw new LanternError('too-small', `Motion needs pictures of 32 px or more; this one is ${width} x ${height}.`, '')
  const { heap } = crew
  const mark = heap.mark()
  try {
    const [w, h] = [width >> 1, height >> 1]
    const [source, whole, half] = [heap.alloc(rgb.length * 4), heap.alloc(width * height * 4), heap.alloc(w * h * 4)]
    heap.f32(source, rgb.length).set(rgb)
    crew.run('rootBrightness', { rgb: source, out: whole }, width * height, 16384)
    crew.run('halvePicture', { image: whole, width, height, out: half }, h, 8)
    return { width: w, height: h, data: heap.f32(half, w * h).map((value) => CODES * value) }
  } finally {
    heap.release(mark)
  }
}

interface Level {
  width: number
  height: number
  /** With its rim. */
  pointer: number
}

/** A picture and its halves in the heap, each with a rim in which its edge goes on. */
function pyramidOf(crew: Crew, { width, height, data }: MotionPicture): Level[] {
  const { heap } = crew
  const levels: Level[] = []
  let [w, h, own] = [width, height, heap.alloc(width * height * 4)]
  heap.f32(own, w * h).set(data)
  for (;;) {
    const columns = w + 2 * RIM
    const pointer = heap.alloc(columns * (h + 2 * RIM) * 4)
    const padded = heap.f32(pointer, columns * (h + 2 * RIM))
    const plain = heap.f32(own, w * h)
    for (let y = 0; y < h + 2 * RIM; y++) {
      const row = Math.min(h - 1, Math.max(0, y - RIM)) * w
      padded.set(plain.subarray(row, row + w), y * columns + RIM)
      padded.fill(plain[row] ?? 0, y * columns, y * columns + RIM)
      padded.fill(plain[row + w - 1] ?? 0, y * columns + RIM + w, (y + 1) * columns)
    }
    levels.push({ width: w, height: h, pointer })
    if (levels.length === MOST_LEVELS || Math.min(w, h) >> 1 < 2 * PATCH) return levels
    const half = heap.alloc((w >> 1) * (h >> 1) * 4)
    crew.run('halvePicture', { image: own, width: w, height: h, out: half }, h >> 1, 8)
    ;[w, h, own] = [w >> 1, h >> 1, half]
  }
}

/** Motion from the first picture to the second, and back. Both have one size. */
export function denseMotion(crew: Crew, first: MotionPicture, second: MotionPicture): { to: Motion; back: Motion } {
  const { heap } = crew
  const mark = heap.mark()
  try {
    const { width, height } = first
    const pyramids = [pyramidOf(crew, first), pyramidOf(crew, second)]
    const job = heap.alloc(2 * WORDS * 4)
    const plane = Math.ceil(((width + 2 * RIM) * (height + 2 * RIM) * 4 + 64) / 64) * 64
    const results = [0, 1].map((n) => {
      const result = heap.alloc(width * height * 8)
      const scratch = heap.alloc(SCRATCH_PLANES * plane)
      const [from, to] = [pyramids[n] ?? [], pyramids[1 - n] ?? []]
      heap
        .i32(job, 2 * WORDS)
        .set(
          [
            from.length,
            result,
            scratch,
            STEPS,
            ...from.flatMap((level, k) => [level.pointer, to[k]?.pointer ?? 0, level.width, level.height]),
          ],
          n * WORDS,
        )
      return result
    })
    crew.run('denseMotion', { job, words: WORDS }, 2, 1)
    const [to, back] = results.map((pointer): Motion => {
      const both = heap.f32(pointer, 2 * width * height).map((value) => 2 * value)
      return { width, height, u: both.subarray(0, width * height), v: both.subarray(width * height) }
    }) as [Motion, Motion]
    return { to, back }
  } finally {
    heap.release(mark)
  }
}
