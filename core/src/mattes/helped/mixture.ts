import { random } from '../../base/index.ts'
import { exp, log } from '../../math/index.ts'

// Colours of what is inside and outside as mixtures of Gaussians with full covariance (Lab), fitted by expectation and maximisation from a seeded start.

const PARTS = 6
const FLOOR = 4
const MOST_SAMPLES = 6000
const ROUNDS = { nearest: 6, soft: 6 } as const

/** One Gaussian: middle, log of weight / sqrt(det), inverse of the covariance (xx xy xz yy yz zz). */
interface Part {
  middle: [number, number, number]
  height: number
  inverse: [number, number, number, number, number, number]
}
export type Mixture = readonly Part[]

const distance2 = (p: readonly number[], a: number, b: number, c: number): number =>
  (a - (p[0] as number)) ** 2 + (b - (p[1] as number)) ** 2 + (c - (p[2] as number)) ** 2

/** Starting middles far from one another, then moved to the mean of what is nearest. */
function startMiddles(samples: Float32Array, parts: number, seed: number): number[][] {
  const count = samples.length / 3
  const stream = random(seed)
  const at = (n: number): number[] => [...samples.subarray(3 * n, 3 * n + 3)]
  const middles = [at(Math.floor(stream.next() * count))]
  const far = new Float64Array(count).fill(Infinity)
  while (middles.length < parts) {
    const last = middles.at(-1) as number[]
    let sum = 0
    for (let n = 0; n < count; n++) {
      far[n] = Math.min(
        far[n] as number,
        distance2(last, samples[3 * n] as number, samples[3 * n + 1] as number, samples[3 * n + 2] as number),
      )
      sum += far[n] as number
    }
    let left = stream.next() * sum
    let chosen = count - 1
    for (let n = 0; n < count; n++) {
      left -= far[n] as number
      if (left > 0) continue
      chosen = n
      break
    }
    middles.push(at(chosen))
  }
  return middles
}

/** A Gaussian from sums of weighted samples: weight, three sums, six sums of products. */
function partOf(s: Float64Array, total: number, fallback: readonly number[]): Part {
  const weight = Math.max(s[0] as number, 1e-6)
  const few = (s[0] as number) < 1e-6
  const [mx, my, mz] = few
    ? (fallback as [number, number, number])
    : [s[1], s[2], s[3]].map((v) => (v as number) / weight)
  const c = (n: number, a: number, b: number): number => (few ? 0 : (s[n] as number) / weight - a * b)
  const [x, y, z] = [mx as number, my as number, mz as number]
  const [xx, xy, xz] = [c(4, x, x) + FLOOR, c(5, x, y), c(6, x, z)]
  const [yy, yz, zz] = [c(7, y, y) + FLOOR, c(8, y, z), c(9, z, z) + FLOOR]
  const [a, b, d] = [yy * zz - yz * yz, xz * yz - xy * zz, xy * yz - xz * yy]
  const det = Math.max(1e-6, xx * a + xy * b + xz * d)
  return {
    middle: [x, y, z],
    height: log(weight / total) - 0.5 * log(det),
    inverse: [
      a / det,
      b / det,
      d / det,
      (xx * zz - xz * xz) / det,
      (xy * xz - xx * yz) / det,
      (xx * yy - xy * xy) / det,
    ],
  }
}

function gather(s: Float64Array, w: number, a: number, b: number, c: number): void {
  s[0] = (s[0] as number) + w
  s[1] = (s[1] as number) + w * a
  s[2] = (s[2] as number) + w * b
  s[3] = (s[3] as number) + w * c
  s[4] = (s[4] as number) + w * a * a
  s[5] = (s[5] as number) + w * a * b
  s[6] = (s[6] as number) + w * a * c
  s[7] = (s[7] as number) + w * b * b
  s[8] = (s[8] as number) + w * b * c
  s[9] = (s[9] as number) + w * c * c
}

function heightAt({ middle, height, inverse }: Part, a: number, b: number, c: number): number {
  const [x, y, z] = [a - middle[0], b - middle[1], c - middle[2]]
  return (
    height -
    0.5 *
      (inverse[0] * x * x +
        inverse[3] * y * y +
        inverse[5] * z * z +
        2 * (inverse[1] * x * y + inverse[2] * x * z + inverse[4] * y * z))
  )
}

/** Fits a mixture to colours (three values each). Few samples have fewer parts; none give undefined. */
export function fitMixture(all: Float32Array, seed: number): Mixture | undefined {
  const step = Math.max(1, Math.floor(all.length / 3 / MOST_SAMPLES))
  const count = Math.floor(all.length / 3 / step)
  if (count === 0) return undefined
  const samples = new Float32Array(3 * count)
  for (let n = 0; n < count; n++) samples.set(all.subarray(3 * n * step, 3 * n * step + 3), 3 * n)
  const parts = Math.min(PARTS, Math.max(1, Math.floor(count / 10)))
  const middles = startMiddles(samples, parts, seed)
  let fitted: Part[] = []
  for (let round = 0; round < ROUNDS.nearest + ROUNDS.soft; round++) {
    const sums = middles.map(() => new Float64Array(10))
    for (let n = 0; n < count; n++) {
      const [a, b, c] = [samples[3 * n] as number, samples[3 * n + 1] as number, samples[3 * n + 2] as number]
      if (round < ROUNDS.nearest) {
        let best = 0
        for (let k = 1; k < parts; k++)
          if (distance2(middles[k] as number[], a, b, c) < distance2(middles[best] as number[], a, b, c)) best = k
        gather(sums[best] as Float64Array, 1, a, b, c)
        continue
      }
      const heights = fitted.map((part) => heightAt(part, a, b, c))
      const most = Math.max(...heights)
      const shares = heights.map((value) => exp(value - most))
      const whole = shares.reduce((sum, value) => sum + value, 0)
      for (let k = 0; k < parts; k++) gather(sums[k] as Float64Array, (shares[k] as number) / whole, a, b, c)
    }
    fitted = sums.map((s, k) => partOf(s, count, middles[k] as number[]))
    fitted.forEach(({ middle }, k) => {
      middles[k] = middle
    })
  }
  return fitted
}

/** The log of a mixture's density at a colour, less a constant. */
export function logDensity(mixture: Mixture, a: number, b: number, c: number): number {
  let most = -Infinity
  let sum = 0
  for (const part of mixture) {
    const value = heightAt(part, a, b, c)
    if (value > most) {
      sum = sum * exp(most - value) + 1
      most = value
    } else if (value > most - 20) sum += exp(value - most)
  }
  return most + log(sum)
}
