import { type FloatImage, type Motion, makeImage } from '../data/index.ts'
import { cos, pushPull, radians, sin } from '../math/index.ts'
import { type Laying, type Part, packed } from './lays.ts'
import type { PlateStreak, StackLayer } from './stackTypes.ts'

// Motion blur put back: pictures drawn out along their motion, as an open shutter would have.

/** The most samples along a way where they are not told. */
export const MOST_SAMPLES = 96

/** How far the furthest place goes in one frame, px of a picture this wide. */
export function furthest(motion: Motion, width: number): number {
  let most = 0
  for (let n = 0; n < motion.u.length; n++) {
    const [u, v] = [motion.u[n] ?? 0, motion.v[n] ?? 0]
    most = Math.max(most, u * u + v * v)
  }
  return (Math.sqrt(most) * width) / (2 * motion.width)
}

/** The motion of what is told, and filled in smoothly where it is not. told: of each place of the grid. */
export function filledMotion({ width, height, u, v }: Motion, told: (place: number) => boolean): Motion {
  const hidden = Uint8Array.from({ length: u.length }, (_, n) => Number(!told(n)))
  const out: Motion = { width, height, u: u.slice(), v: v.slice() }
  if (hidden.every((one) => one === 1)) return { ...out, u: out.u.fill(0), v: out.v.fill(0) }
  for (const plane of [out.u, out.v]) pushPull(plane, hidden, width, height)
  return out
}

/** A motion as an image with a rim of one place in which it goes on, px of a picture `width` wide times `frames`, turned and scaled as a layer is. */
function waysImage(motion: Motion, width: number, frames: number, how?: StackLayer): FloatImage {
  const { width: w, height: h } = motion
  const image = makeImage(w + 2, h + 2, 3)
  const gain = (frames * width) / (2 * motion.width)
  const angle = radians(how?.turned ?? 0)
  const [c, s] = [cos(angle) * (how?.size ?? 1), sin(angle) * (how?.size ?? 1)]
  for (let n = 0; n < image.width * image.height; n++) {
    const x = Math.min(w - 1, Math.max(0, (n % image.width) - 1))
    const y = Math.min(h - 1, Math.max(0, Math.floor(n / image.width) - 1))
    const [u, v] = [gain * (motion.u[y * w + x] ?? 0), gain * (motion.v[y * w + x] ?? 0)]
    image.data[3 * n] = c * u - s * v
    image.data[3 * n + 1] = s * u + c * v
  }
  return image
}

/** How far each pixel of a part goes while the shutter is open: four floats a pixel on the heap. */
function waysOf(laying: Laying, part: Part, motion: Motion, frames: number, how?: StackLayer): number {
  const colour = waysImage(motion, laying.width, frames, how)
  const { width, height } = colour
  const picture = { ...laying.picture, width: motion.width, height: motion.height }
  return packed({ ...laying, picture }, { id: 'ways', x: -1, y: -1, width, height, colour }, part, ['colour'], how)
}

/** Draws images of a layer's part out along its motion, in place. */
export function drawLayerOut(laying: Laying, part: Part, how: StackLayer, motion: Motion, images: number[]): void {
  const { crew } = laying
  const { width, height } = part
  const mark = crew.heap.mark()
  const ways = waysOf(laying, part, motion, how.streak, how)
  const dst = crew.heap.alloc(width * height * 16)
  const size = { samples: Math.round(how.streakSamples), most: MOST_SAMPLES, width, height }
  for (const src of images) {
    crew.run('drawOut', { dst, src, ways, ...size }, height, 8)
    crew.heap.f32(src, width * height * 4).set(crew.heap.f32(dst, width * height * 4))
  }
  crew.heap.release(mark)
}

/** How much of a matte is one of its two sides wholly: motion is taken from there. */
const SURE = 0.9

/** A matte's values at the grid of a motion. */
function onGrid(matte: FloatImage, { width, height }: Motion): Float32Array {
  const out = new Float32Array(width * height)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const [i, j] = [((x + 0.5) * matte.width) / width, ((y + 0.5) * matte.height) / height]
      out[y * width + x] = matte.data[Math.floor(j) * matte.width + Math.floor(i)] ?? 0
    }
  return out
}

/** A matte at a picture's size, one float a pixel. */
function matteAt(laying: Laying, matte: FloatImage): Float32Array {
  const { width, height } = laying
  const whole = { id: 'matte', x: 0, y: 0, width: matte.width, height: matte.height, alpha: matte }
  const mark = laying.crew.heap.mark()
  const picture = { ...laying.picture, width: matte.width, height: matte.height }
  const at = packed({ ...laying, picture }, whole, { x: 0, y: 0, width, height }, ['alpha'])
  const floats = laying.crew.heap.f32(at, width * height * 4)
  const out = Float32Array.from({ length: width * height }, (_, n) => floats[4 * n] ?? 0)
  laying.crew.heap.release(mark)
  return out
}

/**
 * The plate drawn out along its motion, in place: four floats a pixel on the heap. What a matte covers and what it does not are each drawn out for themselves, so that nothing crosses its edge.
 * Returns what is left of its own grain, a share of its strength a pixel; undefined where nothing was done.
 */
export function drawPlateOut(
  laying: Laying,
  plateAt: number,
  { motion, frames, samples, matte }: PlateStreak,
): Float32Array | undefined {
  const { crew, width, height } = laying
  if (!(frames > 0) || furthest(motion, width) * frames < 0.05) return undefined
  const { heap } = crew
  const mark = heap.mark()
  const pixels = width * height
  const share = matte ? matteAt(laying, matte) : undefined
  const grid = matte ? onGrid(matte, motion) : undefined
  const plate = heap.f32(plateAt, pixels * 4)
  const [dst, src] = [heap.alloc(pixels * 16), heap.alloc(pixels * 16)]
  const sum = new Float32Array(pixels * 3)
  const grain = new Float32Array(pixels)
  const part = { x: 0, y: 0, width, height }
  for (const inside of matte ? [true, false] : [true]) {
    const held = grid ? filledMotion(motion, (n) => (inside ? (grid[n] ?? 0) : 1 - (grid[n] ?? 0)) > SURE) : motion
    const of = (n: number): number => (share ? (inside ? (share[n] ?? 0) : 1 - (share[n] ?? 0)) : 1)
    const [from, to] = [heap.f32(src, pixels * 4), heap.f32(dst, pixels * 4)]
    for (let n = 0; n < pixels; n++) {
      for (let c = 0; c < 3; c++) from[4 * n + c] = of(n) * (plate[4 * n + c] ?? 0)
      from[4 * n + 3] = of(n)
    }
    const inner = heap.mark()
    const ways = waysOf(laying, part, held, frames)
    const size = { samples: Math.round(samples), most: MOST_SAMPLES, width, height }
    crew.run('drawOut', { dst, src, ways, ...size }, height, 8)
    const way = heap.f32(ways, pixels * 4)
    for (let n = 0; n < pixels; n++) {
      const gain = of(n) / Math.max(1e-6, to[4 * n + 3] ?? 0)
      for (let c = 0; c < 3; c++) sum[3 * n + c] = (sum[3 * n + c] ?? 0) + gain * (to[4 * n + c] ?? 0)
      const [u, v] = [way[4 * n] ?? 0, way[4 * n + 1] ?? 0]
      // A mean over so many pixels has that much less noise.
      grain[n] = (grain[n] ?? 0) + of(n) / Math.sqrt(Math.max(1, Math.sqrt(u * u + v * v)))
    }
    heap.release(inner)
  }
  for (let n = 0; n < pixels; n++) for (let c = 0; c < 3; c++) plate[4 * n + c] = sum[3 * n + c] ?? 0
  heap.release(mark)
  return grain
}
