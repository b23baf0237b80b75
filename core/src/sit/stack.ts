import type { Crew } from '../base/index.ts'
import { type FloatImage, makeImage } from '../data/index.ts'
import { pow } from '../math/index.ts'
import { blur, uploadImage } from './blur.ts'
import type { GrainLaw } from './grain.ts'
import { layHalation } from './halation.ts'

/** The passes that the stack takes, as the picture makes them; all of the plate's size. */
export interface StackPasses {
  fire: FloatImage
  smoke: FloatImage
  smokeLight: FloatImage
  light: FloatImage
  shadow: FloatImage
}

/** One layer of the stack. Exposure in stops; black and white in plate value; softness is the blur's standard deviation in px of the full frame. */
export interface StackLayer {
  kind: 'light' | 'smoke' | 'fire'
  shown: boolean
  amount: number
  exposure: number
  black: number
  white: number
  tint: readonly [number, number, number]
  softness: number
}

export interface StackSettings {
  /** From the plate up. */
  layers: readonly StackLayer[]
  /** Exposure of everything the fire gives out, stops: flame and the light it throws, together. */
  fireExposure: number
  /** Share of the fire's light that spreads in the lens and the sensor. */
  halation: number
  grain: GrainLaw
  grainAmount: number
  /** Whether the plate is the light of its scene (plateScene): its grain's law is of what the sensor makes of it. */
  sensor: boolean
}

/** Pixels of this picture per pixel of the full frame: 1, 1/2, 1/4. */
export type StackScale = number

const stops = (value: number): number => pow(2, value)
/**
 * Lays the passes over the plate: result = plate x (shadow + fire light), smoke over, fire add, in the layers' order, then grain on what was added.
 * plate: linear light, 3 channels; the light of its scene where settings.sensor is set. frame seeds the grain. Returns linear light, 4 channels, the last 1. The heap is left as it was found.
 */
export function compositeStack(
  crew: Crew,
  plate: FloatImage,
  passes: StackPasses | undefined,
  settings: StackSettings,
  scale: StackScale,
  frame: number,
): FloatImage {
  const { width, height } = plate
  const { heap } = crew
  const mark = heap.mark()
  const pixels = width * height
  const ones = makeImage(width, height, 1)
  ones.data.fill(1)
  const image = uploadImage(crew, plate, ones)
  const gainAt = heap.alloc(48)
  const put = (values: readonly number[]): number => {
    heap.f32(gainAt, values.length).set(values)
    return gainAt
  }
  const fireGain = stops(settings.fireExposure)
  if (passes)
    for (const layer of settings.layers) {
      if (!layer.shown || layer.amount === 0) continue
      const inner = heap.mark()
      const own = stops(layer.exposure)
      const sigma = layer.softness * scale
      if (layer.kind === 'light') {
        const light = uploadImage(crew, passes.light, passes.shadow)
        blur(crew, light, sigma, width, height)
        crew.run(
          'compositeLight',
          [image, light, put(layer.tint.map((t) => t * own * fireGain * layer.amount)), layer.amount, width],
          height,
          8,
        )
      } else if (layer.kind === 'smoke') {
        const ambient = uploadImage(crew, passes.smoke)
        const lit = uploadImage(crew, passes.smokeLight)
        blur(crew, ambient, sigma, width, height)
        blur(crew, lit, sigma, width, height)
        const span = layer.tint.map((t) => t * own * (layer.white - layer.black))
        crew.run(
          'compositeSmoke',
          [
            image,
            ambient,
            lit,
            ambient,
            put([layer.black, layer.black, layer.black, 0, ...span, 0, fireGain, fireGain, fireGain, layer.amount]),
            width,
          ],
          height,
          8,
        )
      } else {
        const fire = uploadImage(crew, passes.fire)
        blur(crew, fire, sigma, width, height)
        crew.run(
          'compositeFire',
          [image, fire, put(layer.tint.map((t) => t * own * fireGain * layer.amount)), width],
          height,
          8,
        )
        layHalation(crew, image, passes.fire, layer.tint.map((t) => t * own * fireGain * layer.amount), settings.halation)
      }
      heap.release(inner)
    }
  const result = makeImage(width, height, 4)
  if (settings.grainAmount > 0 && passes) {
    const plateAt = uploadImage(crew, plate)
    const out = heap.alloc(pixels * 16)
    // A proxy pixel is the mean of 1 / scale^2 full ones, so its grain has that much less variance.
    const law = [...settings.grain.floor, ...settings.grain.slope].map((part) => part * scale * scale)
    crew.run(
      'compositeGrain',
      [out, image, plateAt, put([...law, settings.grain.spread, settings.grainAmount]), frame, Number(settings.sensor), width],
      height,
      8,
    )
    result.data.set(heap.f32(out, pixels * 4))
  } else {
    result.data.set(heap.f32(image, pixels * 4))
    for (let n = 3; n < result.data.length; n += 4) result.data[n] = 1
  }
  heap.release(mark)
  return result
}
