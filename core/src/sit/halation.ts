import type { Crew } from '../base/index.ts'
import type { StackHalation } from './stackTypes.ts'
import { addWideBlurs, type WideBlur } from './wide.ts'

/** The far part of a halo reaches so many times as far as the near one, and the shares of both. */
const FAR = 4.2
const NEAR_SHARE = 0.6
/** What of green and blue the near part of a halo has less where it is wholly red: deep layers and coatings pass red most. */
const NEAR_LOSS = [0, 0.55, 0.85] as const
/** No light beyond this spreads in the sensor, times white. */
const MOST = 12

/** A fire's light held to what spreads, on the heap. */
function heldLight(crew: Crew, fire: number, pixels: number, most: number): { at: number; any: boolean } {
  const at = crew.heap.alloc(pixels * 16)
  crew.run('holdLight', { dst: at, src: fire, most }, pixels, 16384)
  return { at, any: crew.heap.f32(at, pixels * 4).some((value) => value > 0) }
}

/** Adds what of the fire's light spreads round it in lens and sensor to an image of four floats a pixel on the heap. fire: its light likewise. */
export function layHalation(
  crew: Crew,
  image: number,
  fire: number,
  width: number,
  height: number,
  { share, radius, red }: StackHalation,
): void {
  if (share <= 0) return
  const mark = crew.heap.mark()
  const held = heldLight(crew, fire, width * height, MOST)
  if (held.any) {
    const near = share * NEAR_SHARE
    const far = share * (1 - NEAR_SHARE)
    addWideBlurs(crew, image, { at: held.at, width, height }, [
      { sigma: radius * width, gain: [near, near * (1 - red * NEAR_LOSS[1]), near * (1 - red * NEAR_LOSS[2])] },
      { sigma: radius * FAR * width, gain: [far, far, far] },
    ])
  }
  crew.heap.release(mark)
}

/** Spreads a share of the fire's light in lit air: the fire loses as much as the air gives. radii: standard deviations over the picture's width; those of 0 are none. */
export function layAirGlow(
  crew: Crew,
  image: number,
  fire: number,
  width: number,
  height: number,
  share: number,
  radii: readonly number[],
): void {
  const wide = radii.filter((radius) => radius > 0)
  if (share <= 0 || wide.length === 0) return
  const mark = crew.heap.mark()
  const held = heldLight(crew, fire, width * height, Infinity)
  if (held.any) {
    const each = share / wide.length
    const blurs = wide.map((radius): WideBlur => ({ sigma: radius * width, gain: [each, each, each] }))
    addWideBlurs(crew, image, { at: held.at, width, height }, blurs)
    const gain = crew.heap.alloc(16)
    crew.heap.f32(gain, 4).set([-share, -share, -share, 0])
    const part = { x: 0, y: 0, width, fullWidth: width }
    crew.run('layLight', { sum: image, light: held.at, gain, ...part }, height, 8)
  }
  crew.heap.release(mark)
}
