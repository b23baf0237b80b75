import type { Crew } from '../base/index.ts'
import { asin, exp } from '../math/index.ts'

const MOST_SIGMA = 200

/** Up to here the discrete Gaussian is used (Lindeberg 1990), whose variance is right however narrow it is. */
const NARROW = 1.5

/** exp(-t) times the modified Bessel function of order n, by its series. */
function narrowWeight(n: number, t: number): number {
  let term = 1
  for (let k = 1; k <= n; k++) term *= t / 2 / k
  let sum = term
  for (let k = 1; k < 24; k++) {
    term *= (t * t) / 4 / (k * (k + n))
    sum += term
  }
  return sum * exp(-t)
}

function weightsFor(sigma: number, reach: number): Float32Array {
  const narrow = sigma < NARROW
  const radius = Math.max(1, Math.ceil(sigma * reach))
  const weights = new Float32Array(radius + 1)
  let sum = 0
  for (let n = 0; n <= radius; n++) {
    weights[n] = narrow ? narrowWeight(n, sigma * sigma) : exp(-(n * n) / (2 * sigma * sigma))
    sum += (n ? 2 : 1) * (weights[n] ?? 0)
  }
  return weights.map((weight) => weight / sum)
}

/** A picture blurred by a Gaussian along its rows, then its columns, into another one or itself; reach: in standard deviations. */
export function blurLines(
  crew: Crew,
  dst: number,
  src: number,
  sigma: number,
  width: number,
  height: number,
  reach: number,
): void {
  const weights = weightsFor(Math.min(sigma, MOST_SIGMA), reach)
  const mark = crew.heap.mark()
  const at = crew.heap.alloc(weights.byteLength)
  crew.heap.f32(at, weights.length).set(weights)
  const between = crew.heap.alloc(width * height * 16)
  crew.run('blurLine', [between, src, at, weights.length - 1, width, height, 0], height, 8)
  crew.run('blurLine', [dst, between, at, weights.length - 1, width, height, 1], height, 8)
  crew.heap.release(mark)
}

/** Blurs a picture of four floats a pixel in place. sigma: px; below 0 it is made sharper by as much; nothing at under a twentieth. */
export function blur(crew: Crew, image: number, sigma: number, width: number, height: number): void {
  if (sigma > 0.05) blurLines(crew, image, image, sigma, width, height, 3)
  else if (sigma < -0.05) sharpen(crew, image, -sigma, width, height)
}

/** Takes a blur away: twice the picture less its blur, whose edges' variance is less by sigma squared. No light falls below none. */
function sharpen(crew: Crew, image: number, sigma: number, width: number, height: number): void {
  const { heap } = crew
  const mark = heap.mark()
  const soft = heap.alloc(width * height * 16)
  blurLines(crew, soft, image, sigma, width, height, 3)
  const [own, blurred] = [heap.f32(image, width * height * 4), heap.f32(soft, width * height * 4)]
  for (let n = 0; n < own.length; n++) own[n] = Math.max(0, 2 * (own[n] ?? 0) - (blurred[n] ?? 0))
  heap.release(mark)
}

/** Half the width of a disc over each row, as a mean over the row's own height: so that it grows smoothly with its radius. */
export function discRows(radius: number): Float32Array {
  const rows = Math.max(1, Math.ceil(radius + 0.5))
  // The integral of sqrt(r^2 - t^2), for t within the disc.
  const area = (t: number): number => {
    const s = Math.max(-1, Math.min(1, t / radius))
    return 0.5 * radius * radius * (s * Math.sqrt(1 - s * s) + asin(s))
  }
  return Float32Array.from({ length: 2 * rows + 1 }, (_, n) => area(n - rows + 0.5) - area(n - rows - 0.5))
}

const FINE_DISC = 1.5
/** Defocuses a picture of four floats a pixel in place: each point becomes a disc of this radius, px; nothing at under a fortieth. */
export function defocus(crew: Crew, image: number, radius: number, width: number, height: number): void {
  if (!(radius > 0.025)) return
  // A disc of a pixel or less can't be told from a Gaussian of its variance.
  if (radius < FINE_DISC) return blurLines(crew, image, image, radius / 2, width, height, 4)
  const halves = discRows(radius)
  const mark = crew.heap.mark()
  const at = crew.heap.alloc(halves.byteLength)
  crew.heap.f32(at, halves.length).set(halves)
  const sums = crew.heap.alloc((width + 1) * height * 32)
  crew.run('rowSums', { sums, image, width }, height, 8)
  crew.run('discBlur', { dst: image, sums, halves: at, rows: (halves.length - 1) / 2, width, height }, height, 8)
  crew.heap.release(mark)
}
