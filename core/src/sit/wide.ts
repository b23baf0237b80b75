import type { Crew } from '../base/index.ts'
import { blurLines } from './blur.ts'

/** A blur is made on a picture so much smaller that its standard deviation is still this many px there. */
const LEAST_SIGMA = 3
/** How far a Gaussian is followed, in standard deviations. */
const REACH = 4

/**
 * The standard deviation that is left to blur with on a picture halved so many times, so that it and the ways down and up make `sigma` together (variances add).
 * Each halving, and each doubling back, has a variance of 3/4 px of the larger one.
 */
const leftOver = (sigma: number, halvings: number): number =>
  Math.sqrt(Math.max(0.01, sigma * sigma - ((1 << (2 * halvings)) - 1) / 2)) / (1 << halvings)

/** A picture's light on the heap. */
interface Light {
  at: number
  width: number
  height: number
}

/** A Gaussian of a picture's light that is added to another one: its standard deviation, px, and its gain, r g b. */
export interface WideBlur {
  sigma: number
  gain: readonly [number, number, number]
}

/** How often a picture is halved for a blur. */
function halvingsFor({ sigma }: WideBlur, { width, height }: Light): number {
  let n = 0
  while (sigma / (1 << (n + 1)) >= LEAST_SIGMA && Math.min(width, height) >> (n + 1) >= 2) n++
  return n
}

/**
 * Adds Gaussians of any widths of a picture to another one of its size, on the heap. Each is made on the picture halved as often as it bears; their sum is doubled back step by step, so that all together cost one pass over the whole.
 * Halving and doubling are those of splines of the second order (Unser, Aldroubi and Eden 1993): no pixel is far from the true sum.
 */
export function addWideBlurs(crew: Crew, to: number, picture: Light, blurs: readonly WideBlur[]): void {
  const { heap } = crew
  const mark = heap.mark()
  const gains = heap.alloc(16)
  const gain = (values: readonly number[]): number => {
    heap.f32(gains, 4).set([...values, 0])
    return gains
  }
  const levels = blurs.map((blur) => halvingsFor(blur, picture))
  const sizes = halved(crew, picture, Math.max(0, ...levels))
  let above: Light | undefined
  for (let level = sizes.length - 1; level >= 0; level--) {
    const size = sizes[level] as Light
    const sum = level === 0 ? to : nothing(crew, size)
    if (above) {
      const { at: small, width: across, height: down } = above
      crew.run(
        'growLight',
        { image: sum, small, gain: gain([1, 1, 1]), across, down, width: size.width },
        size.height,
        8,
      )
    }
    for (const [n, blur] of blurs.entries()) if (levels[n] === level) addBlur(crew, sum, size, level, blur, gain)
    above = { ...size, at: sum }
  }
  heap.release(mark)
}

function nothing(crew: Crew, { width, height }: Light): number {
  const at = crew.heap.alloc(width * height * 16)
  crew.heap.f32(at, width * height * 4).fill(0)
  return at
}

/** A picture and its halves, so often. */
function halved(crew: Crew, picture: Light, times: number): Light[] {
  const sizes = [picture]
  for (let n = 1; n <= times; n++) {
    const { at: src, width, height } = sizes[n - 1] as Light
    const [across, down] = [Math.ceil(width / 2), Math.ceil(height / 2)]
    const dst = crew.heap.alloc(across * down * 16)
    crew.run('shrinkLight', { dst, src, width, height, across }, down, 8)
    sizes.push({ at: dst, width: across, height: down })
  }
  return sizes
}

/** Adds one blur of a picture's light to a sum of its size. */
function addBlur(
  crew: Crew,
  sum: number,
  { at, width, height }: Light,
  level: number,
  { sigma, gain }: WideBlur,
  put: (values: readonly number[]) => number,
): void {
  const mark = crew.heap.mark()
  const own = crew.heap.alloc(width * height * 16)
  blurLines(crew, own, at, leftOver(sigma, level), width, height, REACH)
  crew.run('layLight', { sum, light: own, gain: put(gain), x: 0, y: 0, width, fullWidth: width }, height, 8)
  crew.heap.release(mark)
}
