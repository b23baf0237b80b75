import type { Crew } from '../base/index.ts'
import type { FloatImage } from '../data/index.ts'
import { exp } from '../math/index.ts'

const MOST_SIGMA = 64

function weightsFor(sigma: number): Float32Array {
  const radius = Math.max(1, Math.ceil(sigma * 3))
  const weights = new Float32Array(radius + 1)
  let sum = 0
  for (let n = 0; n <= radius; n++) {
    weights[n] = exp(-(n * n) / (2 * sigma * sigma))
    sum += (n ? 2 : 1) * (weights[n] ?? 0)
  }
  return weights.map((weight) => weight / sum)
}

/** Lays a picture of 1, 3 or 4 channels on the heap as four floats a pixel; a `last` picture fills the fourth. */
export function uploadImage(crew: Crew, image: FloatImage, last?: FloatImage): number {
  const pixels = image.width * image.height
  const pointer = crew.heap.alloc(pixels * 16)
  const target = crew.heap.f32(pointer, pixels * 4)
  const { channels, data } = image
  for (let n = 0; n < pixels; n++) {
    for (let c = 0; c < Math.min(4, channels); c++) target[n * 4 + c] = data[n * channels + c] ?? 0
    if (channels < 4) target[n * 4 + 3] = last ? (last.data[n] ?? 0) : 0
  }
  return pointer
}

/** Blurs a picture of four floats a pixel in place. sigma: px; nothing at under a twentieth, held at MOST_SIGMA. */
export function blur(crew: Crew, image: number, sigma: number, width: number, height: number): void {
  if (!(sigma > 0.05)) return
  const weights = weightsFor(Math.min(sigma, MOST_SIGMA))
  const mark = crew.heap.mark()
  const at = crew.heap.alloc(weights.byteLength)
  crew.heap.f32(at, weights.length).set(weights)
  const between = crew.heap.alloc(width * height * 16)
  crew.run('blurLine', [between, image, at, weights.length - 1, width, height, 0], height, 8)
  crew.run('blurLine', [image, between, at, weights.length - 1, width, height, 1], height, 8)
  crew.heap.release(mark)
}
