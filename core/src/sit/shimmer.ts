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

/** Eddies of a second size are so many times smaller than the first (kernels/assembly/lens.ts), and turn so much sooner. */
const [SMALLER, SOONER] = [2.1, 1.7]

/** How near what is seen through hot air is, as a mean of one over its distance; 0 where nothing but sky is. */
function nearness(heat: FloatImage, depth: FloatImage | undefined): number {
  const known = near.get(heat)
  if (known && known.depth === depth) return known.value
  let [sum, weight] = [0, 0]
  for (let n = 0; n < heat.data.length; n++) {
    const h = heat.data[n] ?? 0
    const d = depth?.data[n] ?? 0
    if (d > 0) sum += h / d
    weight += h
  }
  const value = weight > 0 ? sum / weight : 0
  near.set(heat, { depth, value })
  return value
}
const near = new WeakMap<FloatImage, { depth: FloatImage | undefined; value: number }>()

/** Whether there is hot air anywhere. */
export function isHot(heat: FloatImage | undefined): boolean {
  if (!heat) return false
  const known = hot.get(heat) ?? heat.data.some((value) => value > 0)
  hot.set(heat, known)
  return known
}
const hot = new WeakMap<FloatImage, boolean>()

/** The eddies' corners over a picture's height (rows of cells) at one time, from the row of cells `top` on. */
function eddyGrid(crew: Crew, columns: number, cells: number, first: number, z: number, c: number): number {
  const rows = Math.ceil(cells) + 5
  const grid = crew.heap.alloc(columns * rows * 8)
  crew.run('eddyGrid', { grid, columns, first, z, c }, rows, 8)
  return grid
}

/**
 * Sees an image (four floats a pixel, on the heap) through hot air, into another one. Its heat: metres of hot air, each counted by how much thinner it is than the air.
 * The ray is bent by the gradient of the optical path, REFRACTION x heat a metre at the hot air's distance, and meets what is behind it by that angle x the way from there. Where there is no heat not a bit changes.
 */
export function layShimmer(
  crew: Crew,
  dst: number,
  src: number,
  { heat, depth }: StackPicture,
  { amount, fine, focal, distance, time }: StackShimmer,
  width: number,
  height: number,
  scale: number,
): void {
  if (!heat) return
  const { heap } = crew
  const mark = heap.mark()
  const out = heap.alloc(width * height * 16)
  heap.f32(out, width * height * 4).fill(0)
  const own = heap.alloc(heat.data.byteLength)
  heap.f32(own, heat.data.length).set(heat.data)
  const size = { width: heat.width, height: heat.height, channels: 1, elsewhere: 0, out, lane: 0, outWidth: width }
  crew.run('fitImage', { src: own, ...size, sx: 0, sy: 0, scale: heat.width / width }, height, 8)
  // Steps between the gas's own cells would be seen as folds.
  blur(crew, out, 2 * scale, width, height)
  const f = focal * scale
  const pixel = distance / f
  const way = f * Math.max(0, 1 - distance * nearness(heat, depth))
  const gain = (amount * REFRACTION * way) / pixel
  const small = { fine: (amount * fine * FINE * REFRACTION * way) / EDDY_M, eddy: Math.max(2, EDDY_M / pixel) }
  // Columns of the eddies, and of those that are finer.
  const columns = (finer: number): number => Math.ceil((finer * width) / small.eddy) + 3
  const [first, second] = [columns(1), columns(SMALLER)]
  const [risen, inv, turn] = [(RISE_M_S * time) / pixel, 1 / small.eddy, time / LIFE_S]
  const [top, finerTop] = [Math.floor(risen * inv) - 1, Math.floor(SMALLER * risen * inv) - 1]
  const eddies = eddyGrid(crew, first, height * inv, top, turn, 0)
  const finerEddies = eddyGrid(crew, second, SMALLER * height * inv, finerTop, SOONER * turn, 1)
  const rows = heap.alloc(8 * (first + second) * height)
  const at = { risen, eddies, finerEddies, top, finerTop, first, second, width, height }
  const bent = { gain, fine: small.fine, inv }
  crew.run('shimmer', { dst, src, heat: out, rows, ...bent, ...at }, height, 8)
  heap.release(mark)
}
