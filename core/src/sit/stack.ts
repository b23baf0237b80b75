import { type Crew, LanternError } from '../base/index.ts'
import { type FloatImage, LAYER_IMAGE_NAMES, makeImage, type PictureLayer } from '../data/index.ts'
import type { AtHand } from './atHand.ts'
import { layAirGlow, layHalation } from './halation.ts'
import { layOnSet, onSetKey, type ReadyLayer, readyLayer } from './laid.ts'
import { type Laying, uploadPlate } from './lays.ts'
import { withRisenHeat } from './risenHeat.ts'
import { putSensor } from './sensor.ts'
import { isHot, layShimmer } from './shimmer.ts'
import type { StackBlend, StackLay, StackPicture, StackScale, StackSettings } from './stackTypes.ts'
import { drawPlateOut } from './streak.ts'
import { uncovered } from './uncover.ts'

export * from './stackTypes.ts'

/** Blends that depend on what lies below, by the kernels' numbers. */
const BELOW: Partial<Record<StackBlend, number>> = { screen: 1, multiply: 2, lighten: 3, 'soft light': 4 }

/** A layer that blends with what lies below, and the sum as it was when its turn came, in its part. */
interface Blending extends ReadyLayer {
  way: number
  lower: number
}

/** Lays grain on what was added and returns where the result lies. */
function layGrain(laying: Laying, image: number, plate: number, frame: number): number {
  const { crew, width, height, scale, settings, put, fire } = laying
  const { grain, grainAmount, sensor } = settings
  const dst = crew.heap.alloc(width * height * 16)
  // A proxy pixel is the mean of 1 / scale^2 full ones, so its grain has that much less variance.
  const law = [...grain.floor, ...grain.slope].map((part) => part * scale * scale)
  const numbers = put([...law, grain.spread, grainAmount])
  const seed = { seed: frame, sensor: sensor ? putSensor(crew, sensor) : 0, width }
  const rows = crew.heap.alloc(crew.threads * 3 * (width + 2) * 16)
  crew.run('compositeGrain', { dst, image, plate, more: fire, grain: numbers, rows, ...seed }, height, 24)
  return dst
}

/** An image of four floats a pixel on the heap, filled. */
function filled(crew: Crew, pixels: number, value: number): number {
  const at = crew.heap.alloc(pixels * 16)
  crew.heap.f32(at, pixels * 4).fill(value)
  return at
}

/** Whether all are finite numbers: only of those is the difference with itself 0. */
function areNumbers(data: Float32Array): boolean {
  let off = 0
  for (let n = 0; n < data.length; n++) {
    const value = data[n] as number
    off += value - value
  }
  return off === 0
}

const NONE = new Float32Array()
const sound = new WeakMap<PictureLayer, boolean>()
/** Whether all that a layer holds are numbers. */
function isSound(layer: PictureLayer): boolean {
  const known = sound.get(layer)
  if (known !== undefined) return known
  const good = LAYER_IMAGE_NAMES.every((name) => areNumbers(layer[name]?.data ?? NONE))
  sound.set(layer, good)
  return good
}

interface LaidLayer {
  layer: PictureLayer
  lay: StackLay
}
/** What of a picture is laid, in order. */
function laysOf(picture: StackPicture, { lays, plain, onBad }: StackSettings): LaidLayer[] {
  const layers = new Map(picture.layers.map((layer) => [layer.id, layer]))
  const named = new Set(lays.map(({ of }) => of))
  const all = [...picture.layers.flatMap(({ id }) => (named.has(id) ? [] : [{ of: id, how: plain }])), ...lays]
  return all.flatMap((lay) => {
    const layer = layers.get(lay.of)
    if (!layer || !lay.how.shown || lay.how.amount === 0) return []
    if (isSound(layer)) return [{ layer, lay }]
    onBad?.(layer.id)
    return []
  })
}

/** All layers' shadows on the plate, and their light on the set: what the plate is multiplied by, and that of light. */
function layAllOnSet(laying: Laying, all: readonly LaidLayer[]): void {
  const { crew, settings, atHand, width, height } = laying
  const pixels = width * height
  const make = () => {
    const made = { factor: filled(crew, pixels, 1), light: filled(crew, pixels, 0) }
    for (const { layer, lay } of all) {
      const inner = crew.heap.mark()
      layOnSet({ ...laying, ...made }, layer, lay.how)
      crew.heap.release(inner)
    }
    return [made.factor, made.light] as const
  }
  const colours = [settings.sunColour, settings.skyColour, width]
  const key = atHand && JSON.stringify(['set', colours, all.map(({ layer, lay }) => onSetKey(laying, layer, lay.how))])
  const [factor, light] = (key && atHand?.images(crew, key, laying.picture.sunlit, pixels, make)) || make()
  Object.assign(laying, { factor, light })
}

/** Lays the layers in order; returns those that wait until all that goes over is laid. */
function layAll(laying: Laying, all: readonly LaidLayer[], aside?: LaidAside): Blending[] {
  const { crew, settings, sum, fire, width, height } = laying
  const { heap } = crew
  // What was laid before of a layer that is laid several times: the next one goes over it.
  const owns = new Map<string, number>()
  for (const { lay } of all)
    if (!owns.has(lay.of) && all.filter((one) => one.lay.of === lay.of).length > 1)
      owns.set(lay.of, filled(crew, width * height, 0))
  const waiting: Blending[] = []
  for (const { layer, lay } of all) {
    const { how } = lay
    const inner = heap.mark()
    const ready = readyLayer(laying, layer, how)
    const at = aside && ready ? settings.lays.indexOf(lay) : -1
    if (aside && ready && at >= 0) aside.covers[at] = coverOf(crew, ready)
    const way = BELOW[how.blend]
    if (ready && way !== undefined) {
      waiting.push({ ...ready, way, lower: copyOf(crew, sum, ready, width) })
      continue
    }
    if (ready) {
      const { part, images } = ready
      const own = owns.get(lay.of) ?? 0
      const at = { x: part.x, y: part.y, width: part.width, fullWidth: width }
      crew.run('layOver', { sum, fire, ...images, own, ...at }, part.height, 8)
    }
    heap.release(inner)
  }
  return waiting
}

/** A copy of a part of an image. */
function copyOf({ heap }: Crew, image: number, { part }: ReadyLayer, width: number): number {
  const to = heap.alloc(part.width * part.height * 16)
  for (let y = 0; y < part.height; y++) {
    const from = heap.f32(image + ((part.y + y) * width + part.x) * 16, part.width * 4)
    heap.f32(to + y * part.width * 16, part.width * 4).set(from)
  }
  return to
}

/** Blends what depends on what lies below, from below up, and adds what that changes to the sum. */
function blendAll(laying: Laying, waiting: readonly Blending[]): void {
  if (waiting.length === 0) return
  const { crew, sum, fire, plate, factor, light, width, height } = laying
  const mark = crew.heap.mark()
  const change = filled(crew, width * height, 0)
  for (const { part, images, way, lower } of waiting) {
    const at = { x: part.x, y: part.y, width: part.width, fullWidth: width }
    crew.run('layBlend', { change, fire, plate, factor, light, sum, lower, ...images, way, ...at }, part.height, 8)
  }
  const [to, from] = [crew.heap.f32(sum, width * height * 4), crew.heap.f32(change, width * height * 4)]
  for (let n = 0; n < to.length; n++) to[n] = (to[n] ?? 0) + (from[n] ?? 0)
  crew.heap.release(mark)
}

/** The plate with its shadows and light, seen through hot air and haze, in place of the plate; the factors are used up: 0. */
function airBefore(laying: Laying): void {
  const { crew, settings, picture, width, height, plate, factor, light, scale } = laying
  const { haze, shimmer } = settings
  const shimmers = shimmer.amount > 0 && isHot(picture.heat)
  const hazes = haze?.onSet && picture.depth
  if (!shimmers && !hazes) return
  const pixels = width * height
  const [seen, bent] = [crew.heap.alloc(pixels * 16), shimmers ? crew.heap.alloc(pixels * 16) : 0]
  const mark = crew.heap.mark()
  crew.run('layPlate', { image: seen, plate, factor, light, sum: 0, width }, height, 8)
  if (hazes && haze && picture.depth) {
    const whole = { id: 'depth', x: 0, y: 0, width: picture.width, height: picture.height, alpha: picture.depth }
    const numbers = crew.heap.alloc(32)
    crew.heap.f32(numbers, 8).set([...haze.thickness, 0, ...haze.colour, 0])
    const depth = depthAt(laying, whole)
    crew.run('hazeSet', { image: seen, depth, numbers, width }, height, 8)
  }
  if (shimmers) layShimmer(crew, bent, seen, picture, shimmer, width, height, scale)
  crew.heap.release(mark)
  Object.assign(laying, { plate: shimmers ? bent : seen, factor: 0, light: 0 })
}

/** A whole picture's distances at the plate's size: each pixel's own, none between two. */
function depthAt({ crew, width, height }: Laying, { alpha, width: w, height: h }: PictureLayer): number {
  const at = crew.heap.alloc(width * height * 16)
  const [to, from] = [crew.heap.f32(at, width * height * 4), alpha?.data ?? new Float32Array()]
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      to[(y * width + x) * 4] =
        from[Math.floor(((y + 0.5) * h) / height) * w + Math.floor(((x + 0.5) * w) / width)] ?? 0
  return at
}

/** Refuses a picture whose shape is not the plate's. */
function checkShape(plate: FloatImage, picture: StackPicture): void {
  const off = Math.abs(plate.width * picture.height - plate.height * picture.width)
  if (off > Math.max(plate.width, picture.width))
    throw new LanternError(
      'layer-size',
      `The picture's layers are ${picture.width} x ${picture.height}, the plate is ${plate.width} x ${plate.height}: not the same shape.`,
      'Make the picture again with this plate.',
      { field: 'picture' },
    )
}

/**
 * Lays a picture's layers over the plate: plate x what they leave of it x (their shadows + their light on the set) + the sum of the layers, what blends with what is below it in its order, halation and glow, then grain on what was added.
 * aside: takes what a check asks for besides, where it is given. atHand: what was made of this frame before, where it is laid again and again.
 * plate: linear light, 3 channels; the light of its scene where settings.sensor is set. frame seeds the grain. Returns linear light, 4 channels, the last 1. The heap is left as it was found.
 * Throws LanternError 'layer-size' where picture and plate have not the same shape, 'curve' for a curve that folds back.
 */
export function compositeStack(
  crew: Crew,
  plate: FloatImage,
  picture: StackPicture | undefined,
  settings: StackSettings,
  scale: StackScale,
  frame: number,
  aside?: LaidAside,
  atHand?: AtHand,
): FloatImage {
  const { width, height } = plate
  const { heap } = crew
  if (picture) checkShape(plate, picture)
  const mark = heap.mark()
  try {
    const pixels = width * height
    const plateAt = uploadPlate(crew, plate)
    const result = makeImage(width, height, 4)
    const bareOne: StackPicture = { width, height, layers: [], sunlit: makeImage(1, 1, 1) }
    atHand?.begin([plate, picture?.sunlit, JSON.stringify(settings.sensor)])
    const shown = uncovered(crew, picture ?? bareOne, settings, (layer) => !isSound(layer))
    const alone = withRisenHeat(shown, settings, width / scale)
    const bare = !picture && !settings.plateStreak && !alone.heat
    const image = bare ? plateAt : layPicture(crew, plateAt, plate, alone, settings, scale, frame, aside, atHand)
    result.data.set(heap.f32(image, pixels * 4))
    for (let n = 3; n < result.data.length; n += 4) result.data[n] = 1
    return result
  } finally {
    heap.release(mark)
  }
}

function layPicture(
  crew: Crew,
  plateAt: number,
  { width, height }: FloatImage,
  picture: StackPicture,
  settings: StackSettings,
  scale: StackScale,
  frame: number,
  aside?: LaidAside,
  atHand?: AtHand,
): number {
  const { heap } = crew
  const pixels = width * height
  const numbers = heap.alloc(64)
  const put = (values: readonly number[]): number => {
    heap.f32(numbers, values.length).set(values)
    return numbers
  }
  const images = { factor: 0, light: 0, sum: filled(crew, pixels, 0), fire: filled(crew, pixels, 0) }
  const laying: Laying = { crew, width, height, scale, settings, picture, put, plate: plateAt, atHand, ...images }
  const bare = settings.plateStreak ? heap.alloc(pixels * 16) : plateAt
  if (bare !== plateAt) heap.f32(bare, pixels * 4).set(heap.f32(plateAt, pixels * 4))
  const grain = settings.plateStreak && drawPlateOut(laying, plateAt, settings.plateStreak)
  const all = laysOf(picture, settings)
  layAllOnSet(laying, all)
  const waiting = layAll(laying, all, aside)
  if (aside) aside.shadows = { width, height, channels: 4, data: heap.f32(laying.factor, pixels * 4).slice() }
  airBefore(laying)
  blendAll(laying, waiting)
  const image = heap.alloc(pixels * 16)
  const { plate, factor, light, sum } = laying
  crew.run('layPlate', { image, plate, factor, light, sum, width }, height, 8)
  if (grain) keepGrain(crew.heap.f32(image, pixels * 4), grain)
  if (aside) aside.unspread = { width, height, channels: 4, data: heap.f32(image, pixels * 4).slice() }
  layHalation(crew, image, images.fire, width, height, settings.halation)
  layAirGlow(crew, image, images.fire, width, height, settings.airGlow, settings.glowRadii)
  return settings.grainAmount > 0 ? layGrain(laying, image, bare, frame) : image
}

/** What is left of a plate's own grain goes into an image's fourth lane. */
function keepGrain(image: Float32Array, grain: Float32Array): void {
  for (let n = 0; n < grain.length; n++) image[4 * n + 3] = (image[4 * n + 3] ?? 0) * (grain[n] ?? 1)
}

/** How much of each pixel of a part of the plate a lay covers, and how bright its own light is there, plate values. */
export interface Cover {
  x: number
  y: number
  width: number
  height: number
  alpha: Float32Array
  light: Float32Array
}
export const NO_COVER: Cover = { x: 0, y: 0, width: 0, height: 0, alpha: new Float32Array(), light: new Float32Array() }

/** What is taken while a picture is laid: what each of settings.lays covers, the picture before its light spreads in lens and air, and all shadows. */
export interface LaidAside {
  covers: Cover[]
  unspread?: FloatImage
  /** What all shadows leave of the plate's light, red, green and blue; the light that layers throw is not in it. */
  shadows?: FloatImage
}

/** What a lay covers, whatever its blend. */
function coverOf(crew: Crew, { part, images }: ReadyLayer): Cover {
  const { heap } = crew
  const mark = heap.mark()
  const pixels = part.width * part.height
  const [sum, fire, numbers] = [filled(crew, pixels, 0), filled(crew, pixels, 0), heap.alloc(128)]
  const plain = heap.f32(numbers, 32)
  plain.set(heap.f32(images.numbers, 32))
  plain[HIDES] = 1
  plain[WRAPS] = 0
  const at = { x: 0, y: 0, width: part.width, fullWidth: part.width }
  crew.run('layOver', { sum, fire, ...images, numbers, own: 0, ...at }, part.height, 8)
  const [all, own] = [heap.f32(sum, pixels * 4), heap.f32(fire, pixels * 4)]
  const [alpha, light] = [new Float32Array(pixels), new Float32Array(pixels)]
  for (let n = 0; n < pixels; n++) {
    alpha[n] = all[n * 4 + 3] ?? 0
    light[n] = 0.2126 * (own[n * 4] ?? 0) + 0.7152 * (own[n * 4 + 1] ?? 0) + 0.0722 * (own[n * 4 + 2] ?? 0)
  }
  heap.release(mark)
  return { ...part, alpha, light }
}
/** Where a lay's numbers say that it hides, and how much wraps it (laid.ts). */
const [HIDES, WRAPS] = [21, 23]
