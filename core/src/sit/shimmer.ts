import type { Crew } from '../base/index.ts'
import type { FloatImage } from '../data/index.ts'
import { blur } from './blur.ts'
import type { StackPicture, StackShimmer } from './stackTypes.ts'

/** Refraction of air: n - 1 at 20 degrees, in daylight (Gladstone and Dale 1863: in proportion to density; Ciddor 1996 for the value). */
const REFRACTION = 2.7e-4
/** Eddies finer than what was computed: their size in metres, how fast they rise, how long they live. */
const EDDY_M = 0.05
const RISE_M_S = 1.6
const LIFE_S = 0.12
/** How much of the path through hot air such eddies bend: by measure of fires: a third of the path’s own refraction, over the root of so many eddies along it. */
const FINE = 0.15

/** How near what is seen through hot air is, as a mean of one over its distance; 0 where nothing but sky is. */
function nearness(heat: FloatImage, depth: FloatImage | undefined): number {
  let [sum, weight] = [0, 0]
  for (let n = 0; n < heat.data.length; n++) {
    const h = heat.data[n] ?? 0
    const d = depth?.data[n] ?? 0
    if (d > 0) sum += h / d
    weight += h
  }
  return weight > 0 ? sum / weight : 0
}

/**
 * Sees an image (four floats a pixel, on the heap) through hot air, in place. Its heat: metres of hot air, each counted by how much thinner it is than the air.
 * The ray is bent by the gradient of the optical path, REFRACTION x heat a metre at the hot air's distance, and meets what is behind it by that angle x the way from there. Where there is no heat not a bit changes.
 */
export function layShimmer(
  crew: Crew,
  image: number,
  { heat, depth }: StackPicture,
  { amount, fine, focal, distance, time }: StackShimmer,
  width: number,
  height: number,
  scale: number,
): void {
  if (!heat || amount <= 0 || !heat.data.some((value) => value > 0)) return
  const { heap } = crew
  const mark = heap.mark()
  const out = heap.alloc(width * height * 16)
  heap.f32(out, width * height * 4).fill(0)
  const src = heap.alloc(heat.data.byteLength)
  heap.f32(src, heat.data.length).set(heat.data)
  const size = { width: heat.width, height: heat.height, channels: 1, elsewhere: 0, out, lane: 0, outWidth: width }
  crew.run('fitImage', { src, ...size, sx: 0, sy: 0, scale: heat.width / width }, height, 8)
  // Steps between the gas's own cells would be seen as folds.
  blur(crew, out, 2 * scale, width, height)
  const f = focal * scale
  const pixel = distance / f
  const way = f * Math.max(0, 1 - distance * nearness(heat, depth))
  const gain = (amount * REFRACTION * way) / pixel
  const small = { fine: (amount * fine * FINE * REFRACTION * way) / EDDY_M, eddy: Math.max(2, EDDY_M / pixel) }
  const seen = heap.alloc(width * height * 16)
  // Columns of the eddies, and of those that are 2.1 times finer (kernels/assembly/lens.ts).
  const columns = (finer: number): number => Math.ceil((finer * width) / small.eddy) + 3
  const [first, second] = [columns(1), columns(2.1)]
  const rows = heap.alloc(8 * (first + second) * height)
  const at = { risen: (RISE_M_S * time) / pixel, turn: time / LIFE_S, first, second, width, height }
  const bent = { gain, fine: small.fine, inv: 1 / small.eddy }
  crew.run('shimmer', { dst: seen, src: image, heat: out, rows, ...bent, ...at }, height, 8)
  heap.f32(image, width * height * 4).set(heap.f32(seen, width * height * 4))
  heap.release(mark)
}
