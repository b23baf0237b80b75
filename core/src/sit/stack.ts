import type { Crew } from '../base/index.ts'
import { type FloatImage, LAYER_IMAGES, type LayerImage, makeImage, type PictureLayer } from '../data/index.ts'
import { pow } from '../math/index.ts'
import { blur, uploadImage } from './blur.ts'
import type { GrainLaw } from './grain.ts'
import { layHalation } from './halation.ts'

/** What the stack takes of a picture. */
export interface StackPicture {
  width: number
  height: number
  layers: readonly PictureLayer[]
  sunlit: FloatImage
}

/** How one layer is laid on. Exposures in stops; black and white in plate value; softness is a blur's standard deviation in px of the full frame. */
export interface StackLayer {
  shown: boolean
  amount: number
  exposure: number
  black: number
  white: number
  tint: readonly [number, number, number]
  softness: number
  /** Of the plate's own grain. */
  grain: number
  /** Its own light. */
  glow: number
  /** Its light on the set, and the blur of that. */
  light: number
  lightSoftness: number
  /** Its shadow on the plate, what is darker still near by, and the blur of both. */
  shadow: number
  contact: number
  shadowSoftness: number
}

export interface StackSettings {
  /** By the picture's layers' ids; those that are not here are laid as `plain` says. */
  layers: ReadonlyMap<string, StackLayer>
  plain: StackLayer
  /** Layers whose light is none of a fire's: the fires' exposure leaves it as it is. */
  lampLayers: ReadonlySet<string>
  /** Exposure of everything that fires give out, stops: flame and the light they throw, together. */
  fireExposure: number
  /** Share of the fire's light that spreads in the lens and the sensor. */
  halation: number
  grain: GrainLaw
  grainAmount: number
  /** Whether the plate is the light of its scene (plateScene): its grain's law is of what the sensor makes of it. */
  sensor: boolean
  /** Colours of the plate's sun and sky: shadows take away of them. */
  sunColour: readonly [number, number, number]
  skyColour: readonly [number, number, number]
}

/** Pixels of this picture per pixel of the full frame: 1, 1/2, 1/4. */
export type StackScale = number

const stops = (value: number): number => pow(2, value)
/** A colour of luminance 1. */
const evened = (colour: readonly [number, number, number]): readonly number[] => {
  const luminance = 0.2126 * colour[0] + 0.7152 * colour[1] + 0.0722 * colour[2]
  return colour.map((part) => part / Math.max(1e-6, luminance))
}

/** A part of the plate's picture. */
interface Part {
  x: number
  y: number
  width: number
  height: number
}

/** A picture that is being laid; pointers to four floats a pixel. */
interface Laying {
  crew: Crew
  width: number
  height: number
  scale: StackScale
  settings: StackSettings
  picture: StackPicture
  factor: number
  light: number
  sum: number
  fire: number
  put(values: readonly number[]): number
}

/** The part of the plate that a layer's part of the picture covers, with room for its blur. */
function partOf({ picture, width, height }: Laying, layer: PictureLayer, blurred: number): Part {
  const k = width / picture.width
  const more = Math.ceil(3 * blurred) + 1
  const x = Math.max(0, Math.floor(layer.x * k) - more)
  const y = Math.max(0, Math.floor(layer.y * k) - more)
  const right = Math.min(width, Math.ceil((layer.x + layer.width) * k) + more)
  const bottom = Math.min(height, Math.ceil((layer.y + layer.height) * k) + more)
  return { x, y, width: Math.max(0, right - x), height: Math.max(0, bottom - y) }
}

/** Images of a layer in the lanes of one at the plate's size; what is not there is what it says elsewhere. */
function packed(laying: Laying, layer: PictureLayer, part: Part, names: readonly LayerImage[]): number {
  const { crew, picture, width } = laying
  const { heap } = crew
  const scale = picture.width / width
  const out = heap.alloc(part.width * part.height * 16)
  const floats = heap.f32(out, part.width * part.height * 4).fill(0)
  let lane = 0
  for (const name of names) {
    const image = layer[name]
    const { channels, elsewhere } = LAYER_IMAGES[name]
    if (!image) {
      if (elsewhere) for (let n = lane; n < floats.length; n += 4) floats[n] = elsewhere
    } else {
      const mark = heap.mark()
      const src = heap.alloc(image.data.byteLength)
      heap.f32(src, image.data.length).set(image.data)
      const size = { width: layer.width, height: layer.height, channels, elsewhere, out, lane, outWidth: part.width }
      const at = { sx: part.x * scale - layer.x, sy: part.y * scale - layer.y, scale }
      crew.run('fitImage', { src, ...size, ...at }, part.height, 8)
      heap.release(mark)
    }
    lane += channels
  }
  return out
}

/** A layer's shadow on the plate, and its light on the set. */
function layOnSet(laying: Laying, layer: PictureLayer, how: StackLayer): void {
  const { crew, picture, factor, light, settings, put, scale, width } = laying
  if ((layer.sun || layer.sky || layer.contact) && (how.shadow > 0 || how.contact > 0)) {
    const sigma = how.shadowSoftness * scale
    const part = partOf(laying, layer, sigma)
    const shade = packed(laying, layer, part, ['sun', 'sky', 'contact'])
    const whole = { id: 'sunlit', x: 0, y: 0, width: picture.width, height: picture.height, alpha: picture.sunlit }
    const sunlit = packed(laying, whole, part, ['alpha'])
    blur(crew, shade, sigma, part.width, part.height)
    const [to, from] = [
      crew.heap.f32(shade, part.width * part.height * 4),
      crew.heap.f32(sunlit, part.width * part.height * 4),
    ]
    for (let n = 3; n < to.length; n += 4) to[n] = from[n - 3] ?? 0
    const numbers = put([
      ...evened(settings.sunColour),
      0,
      ...evened(settings.skyColour),
      0,
      how.shadow,
      how.contact,
      0,
      0,
    ])
    const at = { x: part.x, y: part.y, width: part.width, fullWidth: width }
    crew.run('layShadow', { factor, shade, numbers, ...at }, part.height, 8)
  }
  if (layer.light && how.light > 0) {
    const sigma = how.lightSoftness * scale
    const part = partOf(laying, layer, sigma)
    const own = packed(laying, layer, part, ['light'])
    blur(crew, own, sigma, part.width, part.height)
    const gains = how.tint.map(
      (t) => t * how.light * stops((settings.lampLayers.has(layer.id) ? 0 : settings.fireExposure) + how.exposure),
    )
    const at = { x: part.x, y: part.y, width: part.width, fullWidth: width }
    crew.run('layLight', { sum: light, light: own, gain: put([...gains, 0]), ...at }, part.height, 8)
  }
}

/** Lays the layer itself on. */
function layOver(laying: Laying, layer: PictureLayer, how: StackLayer): void {
  const { crew, sum, fire, settings, put, scale, width } = laying
  if (!layer.alpha && !layer.emission) return
  const sigma = how.softness * scale
  const part = partOf(laying, layer, sigma)
  const [colour, glow, effect] = [
    packed(laying, layer, part, ['colour', 'alpha']),
    packed(laying, layer, part, ['emission']),
    packed(laying, layer, part, ['effect']),
  ]
  for (const image of [colour, glow, effect]) blur(crew, image, sigma, part.width, part.height)
  const fireGain = stops(settings.lampLayers.has(layer.id) ? 0 : settings.fireExposure)
  const { black, white, tint, amount, exposure, grain } = how
  const span = tint.map((t) => t * stops(exposure) * (white - black))
  const own = tint.map((t) => t * stops(exposure) * fireGain * how.glow)
  const numbers = put([
    ...[black, black, black, 0],
    ...[...span, amount],
    ...[fireGain, fireGain, fireGain, grain - 1],
    ...[...own, 0],
  ])
  const at = { x: part.x, y: part.y, width: part.width, fullWidth: width }
  crew.run('layOver', { sum, fire, colour, glow, effect, numbers, ...at }, part.height, 8)
}

/** Lays grain on what was added and returns where the result lies. */
function layGrain(laying: Laying, image: number, plate: number, frame: number): number {
  const { crew, width, height, scale, settings, put, fire } = laying
  const { grain, grainAmount, sensor } = settings
  const dst = crew.heap.alloc(width * height * 16)
  // A proxy pixel is the mean of 1 / scale^2 full ones, so its grain has that much less variance.
  const law = [...grain.floor, ...grain.slope].map((part) => part * scale * scale)
  const numbers = put([...law, grain.spread, grainAmount])
  const seed = { seed: frame, sensor: Number(sensor), width }
  crew.run('compositeGrain', { dst, image, plate, more: fire, grain: numbers, ...seed }, height, 8)
  return dst
}

/** An image of four floats a pixel on the heap, filled. */
function filled(crew: Crew, pixels: number, value: number): number {
  const at = crew.heap.alloc(pixels * 16)
  crew.heap.f32(at, pixels * 4).fill(value)
  return at
}

/**
 * Lays a picture's layers over the plate: plate x what they leave of it x (their shadows + their light on the set) + the sum of the layers, then grain on what was added.
 * plate: linear light, 3 channels; the light of its scene where settings.sensor is set. frame seeds the grain. Returns linear light, 4 channels, the last 1. The heap is left as it was found.
 */
export function compositeStack(
  crew: Crew,
  plate: FloatImage,
  picture: StackPicture | undefined,
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
  const plateAt = uploadImage(crew, plate, ones)
  const result = makeImage(width, height, 4)
  const finish = (image: number): FloatImage => {
    result.data.set(heap.f32(image, pixels * 4))
    for (let n = 3; n < result.data.length; n += 4) result.data[n] = 1
    heap.release(mark)
    return result
  }
  if (!picture) return finish(plateAt)
  const numbers = heap.alloc(64)
  const put = (values: readonly number[]): number => {
    heap.f32(numbers, values.length).set(values)
    return numbers
  }
  const images = {
    factor: filled(crew, pixels, 1),
    light: filled(crew, pixels, 0),
    sum: filled(crew, pixels, 0),
    fire: filled(crew, pixels, 0),
  }
  const laying: Laying = { crew, width, height, scale, settings, picture, put, ...images }
  for (const layer of picture.layers) {
    const how = settings.layers.get(layer.id) ?? settings.plain
    if (!how.shown || how.amount === 0) continue
    const inner = heap.mark()
    layOnSet(laying, layer, how)
    layOver(laying, layer, how)
    heap.release(inner)
  }
  const image = heap.alloc(pixels * 16)
  crew.run('layPlate', { image, plate: plateAt, ...without(images), width }, height, 8)
  layHalation(crew, image, images.fire, width, height, settings.halation)
  return finish(settings.grainAmount > 0 ? layGrain(laying, image, plateAt, frame) : image)
}

/** What the last step takes of the images. */
const without = ({ factor, light, sum }: { factor: number; light: number; sum: number }) => ({ factor, light, sum })
