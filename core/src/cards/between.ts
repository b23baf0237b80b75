import { type FloatImage, type Motion, makeImage, motionAt } from '../data/index.ts'
import { exp } from '../math/index.ts'
import { unmultiplied } from './matte.ts'

// Frames between two filmed ones, by how what is seen moves.

/** How what is seen moves from one frame to the next, and back. */
export interface MotionBetween {
  to: Motion
  back: Motion
}

/** A picture at a place (px, pixel centres at + 0.5), by straight lines; held beyond its rim. */
function sample({ width, height, channels, data }: FloatImage, x: number, y: number, out: Float64Array): void {
  const u = Math.min(width - 1, Math.max(0, x - 0.5))
  const v = Math.min(height - 1, Math.max(0, y - 0.5))
  const [i, j] = [Math.min(width - 2, Math.floor(u)), Math.min(height - 2, Math.floor(v))]
  const [fx, fy] = [u - i, v - j]
  const at = (j * width + i) * channels
  const row = width * channels
  for (let c = 0; c < channels; c++) {
    const top = (data[at + c] as number) * (1 - fx) + (data[at + channels + c] as number) * fx
    const low = (data[at + row + c] as number) * (1 - fx) + (data[at + row + channels + c] as number) * fx
    out[c] = top * (1 - fy) + low * fy
  }
}

/** Px by which motion and motion back may differ before it counts as unsure. */
const SURE = 2

/**
 * The frame between two, at a share of the way from the first to the second: both moved to where they meet, with the motions at that moment put together from those of the frames (Jiang et al. 2018, equation 4).
 * Where the two motions don't agree the frames are blended as they are. Channels: 3, or 4 with straight alpha.
 */
export function frameBetween(a: FloatImage, b: FloatImage, { to, back }: MotionBetween, share: number): FloatImage {
  const { width, height, channels } = a
  const [first, second] = channels === 4 ? [multiplied(a), multiplied(b)] : [a, b]
  const out = makeImage(width, height, channels)
  const [go, come] = [
    { u: 0, v: 0 },
    { u: 0, v: 0 },
  ]
  const met = { u: 0, v: 0 }
  const [one, other] = [new Float64Array(channels), new Float64Array(channels)]
  const t = share
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const [px, py] = [x + 0.5, y + 0.5]
      motionAt(to, px, py, go)
      motionAt(back, px, py, come)
      motionAt(back, px + go.u, py + go.v, met)
      const [du, dv] = [go.u + met.u, go.v + met.v]
      const sure = exp(-(du * du + dv * dv) / (SURE * SURE))
      sample(
        first,
        px + sure * (-(1 - t) * t * go.u + t * t * come.u),
        py + sure * (-(1 - t) * t * go.v + t * t * come.v),
        one,
      )
      sample(
        second,
        px + sure * ((1 - t) * (1 - t) * go.u - t * (1 - t) * come.u),
        py + sure * ((1 - t) * (1 - t) * go.v - t * (1 - t) * come.v),
        other,
      )
      const n = (y * width + x) * channels
      for (let c = 0; c < channels; c++) out.data[n + c] = (1 - t) * (one[c] as number) + t * (other[c] as number)
    }
  return channels === 4 ? unmultiplied(out) : out
}

function multiplied(image: FloatImage): FloatImage {
  const out = { ...image, data: image.data.slice() }
  for (let n = 0; n < out.data.length; n += 4)
    for (let c = 0; c < 3; c++) out.data[n + c] = (out.data[n + c] as number) * (out.data[n + 3] as number)
  return out
}
