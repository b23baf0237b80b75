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

/** A picture that is being laid: four floats a pixel on the heap, room for a layer's numbers, and what all layers share. */
interface Laying {
  crew: Crew
  image: number
  width: number
  height: number
  scale: StackScale
  settings: StackSettings
  put(values: readonly number[]): number
}

/** Lays one layer. */
function layLayer(
  { crew, image, width, height, scale, settings, put }: Laying,
  passes: StackPasses,
  layer: StackLayer,
) {
  const own = stops(layer.exposure)
  const fireGain = stops(settings.fireExposure)
  const sigma = layer.softness * scale
  const gains = layer.tint.map((t) => t * own * fireGain * layer.amount)
  if (layer.kind === 'light') {
    const light = uploadImage(crew, passes.light, passes.shadow)
    blur(crew, light, sigma, width, height)
    crew.run('compositeLight', [image, light, put(gains), layer.amount, width], height, 8)
  } else if (layer.kind === 'smoke') {
    const [ambient, lit] = [uploadImage(crew, passes.smoke), uploadImage(crew, passes.smokeLight)]
    blur(crew, ambient, sigma, width, height)
    blur(crew, lit, sigma, width, height)
    const { black, white, tint, amount } = layer
    const span = tint.map((t) => t * own * (white - black))
    const grade = put([black, black, black, 0, ...span, 0, fireGain, fireGain, fireGain, amount])
    crew.run('compositeSmoke', [image, ambient, lit, ambient, grade, width], height, 8)
  } else {
    const fire = uploadImage(crew, passes.fire)
    blur(crew, fire, sigma, width, height)
    crew.run('compositeFire', [image, fire, put(gains), width], height, 8)
    layHalation(crew, image, passes.fire, gains, settings.halation)
  }
}

/** Lays grain on what was added and returns where the result lies. */
function layGrain({ crew, image, width, height, scale, settings, put }: Laying, plate: FloatImage, frame: number) {
  const { grain, grainAmount, sensor } = settings
  const plateAt = uploadImage(crew, plate)
  const out = crew.heap.alloc(width * height * 16)
  // A proxy pixel is the mean of 1 / scale^2 full ones, so its grain has that much less variance.
  const law = [...grain.floor, ...grain.slope].map((part) => part * scale * scale)
  const numbers = put([...law, grain.spread, grainAmount])
  crew.run('compositeGrain', [out, image, plateAt, numbers, frame, Number(sensor), width], height, 8)
  return out
}

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
  const numbers = heap.alloc(48)
  const put = (values: readonly number[]): number => {
    heap.f32(numbers, values.length).set(values)
    return numbers
  }
  const laying: Laying = { crew, image, width, height, scale, settings, put }
  if (passes)
    for (const layer of settings.layers) {
      if (!layer.shown || layer.amount === 0) continue
      const inner = heap.mark()
      layLayer(laying, passes, layer)
      heap.release(inner)
    }
  const grainy = settings.grainAmount > 0 && passes !== undefined
  const result = makeImage(width, height, 4)
  result.data.set(heap.f32(grainy ? layGrain(laying, plate, frame) : image, pixels * 4))
  if (!grainy) for (let n = 3; n < result.data.length; n += 4) result.data[n] = 1
  heap.release(mark)
  return result
}
