import type { Crew } from '../base/index.ts'
import { blur } from './blur.ts'

/** The halo is worked out on a picture so many times smaller: it has no detail. */
const SIZE = 8
/** The two parts of the halo: share of its light, standard deviation over the picture's width, what of each colour spreads. The near one is red: deep layers and coatings pass red most. */
const PARTS = [
  { share: 0.6, sigma: 0.012, colour: [1, 0.45, 0.15] },
  { share: 0.4, sigma: 0.05, colour: [1, 1, 1] },
] as const
/** No light beyond this spreads, times white. */
const MOST = 12

/** Adds what of the fire's light spreads round it to an image of four floats a pixel on the heap. fire: its light likewise; share: of it that spreads. */
export function layHalation(
  crew: Crew,
  image: number,
  fire: number,
  width: number,
  height: number,
  share: number,
): void {
  if (share <= 0) return
  const [across, down] = [Math.ceil(width / SIZE), Math.ceil(height / SIZE)]
  const { heap } = crew
  const mark = heap.mark()
  const pixels = across * down
  const small = heap.alloc(pixels * 16)
  const data = heap.f32(fire, width * height * 4)
  const means = heap.f32(small, pixels * 4).fill(0)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const [from, to] = [(y * width + x) * 4, (Math.floor(y / SIZE) * across + Math.floor(x / SIZE)) * 4]
      for (let c = 0; c < 3; c++) means[to + c] = (means[to + c] ?? 0) + Math.min(MOST, data[from + c] ?? 0) / SIZE ** 2
    }
  if (!means.some((value) => value > 0)) {
    heap.release(mark)
    return
  }
  const kept = means.slice()
  const gains = heap.alloc(12)
  for (const { share: part, sigma, colour } of PARTS) {
    heap.f32(small, pixels * 4).set(kept)
    blur(crew, small, (sigma * width) / SIZE, across, down)
    heap.f32(gains, 3).set(colour.map((c) => c * part * share))
    crew.run('compositeGlow', [image, small, gains, SIZE, across, down, width], height, 8)
  }
  heap.release(mark)
}
