import type { Crew } from '../base/index.ts'
import { blurLines } from './blur.ts'

/** A blur is made on a picture so much smaller that its standard deviation is still this many px there: finer, and the steps between its pixels would be seen. */
const LEAST_SIGMA = 6
/** How far a Gaussian is followed, in standard deviations. */
const REACH = 4

/**
 * The standard deviation that is left to blur with on a picture `size` times smaller, so that box means, that blur and straight lines between pixels make `sigma` together (variances add).
 */
const leftOver = (sigma: number, size: number): number => {
  const [box, straight] = [(size * size - 1) / 12, size === 1 ? 0 : (size * size) / 6]
  return Math.sqrt(Math.max(0.01, sigma * sigma - box - straight)) / size
}

/** A picture's light on the heap at several sizes, each half of the one before; made as they are asked for. */
export class SmallerSizes {
  readonly #crew: Crew
  readonly #sizes: { at: number; width: number; height: number }[]
  constructor(crew: Crew, image: number, width: number, height: number) {
    this.#crew = crew
    this.#sizes = [{ at: image, width, height }]
  }

  at(level: number): { at: number; width: number; height: number } {
    for (let n = this.#sizes.length; n <= level; n++) {
      const { at, width, height } = this.#sizes[n - 1] as { at: number; width: number; height: number }
      const [across, down] = [Math.ceil(width / 2), Math.ceil(height / 2)]
      const half = this.#crew.heap.alloc(across * down * 16)
      this.#crew.run('halveLight', { dst: half, src: at, width, height, across }, down, 8)
      this.#sizes.push({ at: half, width: across, height: down })
    }
    return this.#sizes[level] as { at: number; width: number; height: number }
  }
}

/** Adds gain x an image blurred by a Gaussian of any width (px) to another one of its size; no pixel of the blurred one is far from the true sum. gain: r g b. */
export function addWideBlur(
  crew: Crew,
  to: number,
  sizes: SmallerSizes,
  sigma: number,
  gain: readonly [number, number, number],
): void {
  const { heap } = crew
  const whole = sizes.at(0)
  let level = 0
  while (sigma / 2 ** (level + 1) >= LEAST_SIGMA && Math.min(whole.width, whole.height) >> (level + 1) >= 2) level++
  const small = sizes.at(level)
  const mark = heap.mark()
  const own = heap.alloc(small.width * small.height * 16)
  const size = 2 ** level
  blurLines(crew, own, small.at, leftOver(sigma, size), small.width, small.height, REACH)
  const gains = heap.alloc(16)
  heap.f32(gains, 4).set([...gain, 0])
  crew.run(
    'compositeGlow',
    { image: to, small: own, gain: gains, size, across: small.width, down: small.height, width: whole.width },
    whole.height,
    8,
  )
  heap.release(mark)
}
