import { random } from '../src/base/index.ts'

// A chart of edges and flat fields whose sharpness, blur and grain are stated.
export const [W, H] = [160, 120]
export const picture = (at: (x: number, y: number) => number): Float32Array =>
  Float32Array.from(
    { length: W * H * 3 },
    (_, k) => at(((k / 3) | 0) % W, Math.floor(k / 3 / W)) * ([1, 0.5, 0.25][k % 3] as number),
  )
export const normal = (stream: { next(): number }): number =>
  (stream.next() + stream.next() + stream.next() + stream.next() - 2) * 1.732

/** A step across x at a middle, spread by a Gaussian and by a box, as a chart of many edges. */
export function chart(sigma: number, box: number, grain: number, seed: number, across: 'x' | 'y' = 'x'): Float32Array {
  const stream = random(seed)
  const erf = (t: number): number => {
    const s = Math.sign(t),
      a = Math.abs(t),
      k = 1 / (1 + 0.3275911 * a)
    return (
      s *
      (1 -
        ((((1.061405429 * k - 1.453152027) * k + 1.421413741) * k - 0.284496736) * k + 0.254829592) *
          k *
          Math.exp(-a * a))
    )
  }
  const edge = (d: number): number => {
    const one = (t: number): number => 0.5 + 0.5 * erf(t / (sigma * Math.SQRT2))
    // The pixel and the open shutter as the mean of many places.
    let sum = 0
    for (let k = 0; k < 16; k++)
      for (let m = 0; m < 8; m++) sum += one(d + (k + 0.5) / 16 - 0.5 + box * ((m + 0.5) / 8 - 0.5))
    return sum / 128
  }
  return picture((x, y) => {
    const t = across === 'x' ? x : y
    const middle = 20 + 40 * Math.round((t - 20) / 40) + 0.013 * (across === 'x' ? y : x)
    const up = Math.round((t - 20) / 40) % 2 === 0
    return Math.max(0, 0.15 + 0.6 * (up ? edge(t + 0.5 - middle) : 1 - edge(t + 0.5 - middle)) + grain * normal(stream))
  })
}
