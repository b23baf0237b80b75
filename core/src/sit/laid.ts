import { boundsOf, type Motion, type PictureLayer } from '../data/index.ts'
import { pow } from '../math/index.ts'
import { numberOf } from './atHand.ts'
import { blur, defocus } from './blur.ts'
import { curveTables } from './curves.ts'
import { cutByMattes, fit, type Laying, mattesOf, type Part, packed, partOf, putMattes, stops } from './lays.ts'
import { motionKey, type StackLayer } from './stackTypes.ts'
import { drawLayerOut, furthest } from './streak.ts'
import { addWideBlurs } from './wide.ts'

// One layer laid on the set and over the plate.

/** A colour of luminance 1. */
const evened = (colour: readonly [number, number, number]): readonly number[] => {
  const luminance = 0.2126 * colour[0] + 0.7152 * colour[1] + 0.0722 * colour[2]
  return colour.map((part) => part / Math.max(1e-6, luminance))
}
/** Stops that a layer's fire gets. */
const fireStops = ({ settings }: Laying, layer: PictureLayer): number =>
  (settings.lampLayers.has(layer.id) ? 0 : settings.fireExposure) + settings.drift

/** What a layer's shadow and light on the set hang on beside the layer itself. */
export function onSetKey(laying: Laying, layer: PictureLayer, how: StackLayer): unknown {
  const { nudgeX, nudgeY, size, turned, mattes, shadow, contact, shadowSoftness, light, lightSoftness, tint } = how
  const place = [nudgeX, nudgeY, size, turned, mattes, mattesOf(laying, how)]
  const thrown = light > 0 ? [light, lightSoftness, tint, fireStops(laying, layer) + how.exposure] : []
  return [numberOf(layer), place, shadow, contact, shadowSoftness, thrown]
}

/** A layer's shadow on the plate, and its light on the set. */
export function layOnSet(laying: Laying, layer: PictureLayer, how: StackLayer): void {
  const { crew, picture, factor, light, settings, put, scale, width } = laying
  if ((layer.sun || layer.sky || layer.contact) && (how.shadow > 0 || how.contact > 0)) {
    const sigma = how.shadowSoftness * scale
    const part = partOf(laying, boundsOf(layer, ['sun', 'sky', 'contact']), how, sigma)
    const shade = packed(laying, layer, part, ['sun', 'sky', 'contact'], how)
    const whole = { id: 'sunlit', x: 0, y: 0, width: picture.width, height: picture.height, alpha: picture.sunlit }
    blur(crew, shade, sigma, part.width, part.height)
    cutByMattes(laying, part, how, shade, 1)
    fit(laying, whole, part, undefined, picture.sunlit, 'alpha', { out: shade, lane: 3 })
    const colours = [...evened(settings.sunColour), 0, ...evened(settings.skyColour), 0]
    const numbers = put([...colours, how.shadow, how.contact, 0, 0])
    const at = { x: part.x, y: part.y, width: part.width, fullWidth: width }
    crew.run('layShadow', { factor, shade, numbers, ...at }, part.height, 8)
  }
  if (layer.light && how.light > 0) {
    const sigma = how.lightSoftness * scale
    const part = partOf(laying, boundsOf(layer, ['light']), how, sigma)
    const own = packed(laying, layer, part, ['light'], how)
    blur(crew, own, sigma, part.width, part.height)
    cutByMattes(laying, part, how, own, 0)
    const gains = how.tint.map((t) => t * how.light * stops(fireStops(laying, layer) + how.exposure))
    const at = { x: part.x, y: part.y, width: part.width, fullWidth: width }
    crew.run('layLight', { sum: light, light: own, gain: put([...gains, 0]), ...at }, part.height, 8)
  }
}

/** A layer that is ready to be laid: its images in its part, on the heap. */
export interface ReadyLayer {
  part: Part
  images: { colour: number; glow: number; effect: number; wrap: number; curves: number; numbers: number }
}

const isGraded = ({ black, gamma, contrast, saturation }: StackLayer, curves: boolean): boolean =>
  black < 0 || gamma !== 1 || contrast !== 1 || saturation !== 1 || curves

/** The 32 numbers of a layer's grade (kernels/assembly/layers.ts). */
function gradeNumbers(laying: Laying, layer: PictureLayer, how: StackLayer, bent: boolean, matted: boolean): number[] {
  const { settings, picture } = laying
  const fireGain = stops(fireStops(laying, layer))
  const { black, white, tint, amount, exposure, grain, gamma, contrast, pivot, saturation } = how
  // What the plate's light falls on drifts with it; what black becomes does not.
  const gain = stops(exposure + settings.drift)
  const span = tint.map((t) => t * gain * (white - black))
  const own = tint.map((t) => t * stops(exposure) * fireGain * how.glow)
  const { haze } = settings
  const hazed = haze && picture.depth ? 1 : 0
  return [
    ...[black, black, black, 0],
    ...[...span, amount],
    ...[0, 0, 0, grain - 1],
    ...[...own, Number(matted)],
    ...[pow(pivot, 1 / gamma), pivot, contrast / gamma, saturation],
    ...[Number(isGraded(how, bent)), how.blend === 'add' ? 0 : 1, hazed, how.wrap],
    ...[...(haze?.thickness ?? [0, 0, 0]), 0],
    ...[...(haze?.colour ?? [0, 0, 0]), 0],
  ]
}

/** What comes over a layer's edges of the light around it. */
function wrapped(laying: Laying, part: Part, how: StackLayer, colour: number): number {
  const { crew, plate, scale, width } = laying
  const { heap } = crew
  const bytes = part.width * part.height * 16
  const wrap = heap.alloc(bytes)
  heap.f32(wrap, bytes / 4).fill(0)
  const mark = heap.mark()
  const around = heap.alloc(bytes)
  const at = { x: part.x, y: part.y, width: part.width, fullWidth: width }
  crew.run('lightAround', { around, plate, colour, ...at }, part.height, 8)
  const blur = { sigma: Math.max(0.3, how.wrapRadius * scale), gain: [1, 1, 1] as const }
  addWideBlurs(crew, wrap, { at: around, width: part.width, height: part.height }, [blur])
  heap.release(mark)
  return wrap
}

/** Own grain is taken out as if it were this many times the plate's: filmed clips are noisier than plates. */
const CALM_REACH = 2.5

/** Takes a layer's own grain out of its colour. */
function calmColour({ crew, settings, scale }: Laying, { width, height }: Part, amount: number, colour: number): void {
  const { heap } = crew
  const mark = heap.mark()
  const law = heap.alloc(28)
  const { floor, slope } = settings.grain
  heap.f32(law, 7).set([...[...floor, ...slope].map((v) => v * scale * scale * CALM_REACH), amount])
  const out = heap.alloc(width * height * 16)
  crew.run('calmGrain', { dst: out, src: colour, law, width, height }, height, 8)
  heap.f32(colour, width * height * 4).set(heap.f32(out, width * height * 4))
  heap.release(mark)
}

/** Brings a layer's own images to the plate's size; undefined where it has none. */
export function readyLayer(laying: Laying, layer: PictureLayer, how: StackLayer): ReadyLayer | undefined {
  const { crew, scale } = laying
  const { heap } = crew
  if (!layer.alpha && !layer.emission) return undefined
  const [sigma, disc] = [how.softness * scale, how.defocus * scale]
  const around = how.wrap > 0 ? how.wrapRadius * scale : 0
  const motion = how.streak > 0 ? laying.settings.motions?.get(motionKey(layer.id, how.streakBy)) : undefined
  const streak = motion ? furthest(motion, laying.width) * how.streak * how.size : 0
  // A part has room for three times the blur that it is told.
  const seen = boundsOf(layer, ['colour', 'alpha', 'emission', 'effect'])
  const part = partOf(laying, seen, how, Math.max(Math.abs(sigma) + disc / 2, around) + streak / 6)
  if (part.width === 0 || part.height === 0) return undefined
  const tables = curveTables(how.curves)
  const curves = tables ? heap.alloc(tables.byteLength) : 0
  if (tables) heap.f32(curves, tables.length).set(tables)
  const graded = isGraded(how, tables !== undefined)
  const numbers = heap.alloc(128)
  const matted = how.mattes.length > 0
  heap.f32(numbers, 32).set(gradeNumbers(laying, layer, how, tables !== undefined, matted))
  const { settings, width } = laying
  // Numbers that images are laid with, or graded, do not make them; where they are graded, their grade does.
  const { shown, blend, amount, grain, hotAir, light, lightSoftness, shadow, contact, shadowSoftness, ...making } = how
  const lit = [fireStops(laying, layer), settings.drift]
  const of = [layer.id, part, making, mattesOf(laying, how), width, settings.haze !== undefined, numberOf(motion)]
  const rest = [how.calm > 0 && settings.grain, (graded || layer.effect) && lit]
  const make = () => {
    const made = makeReady(laying, layer, how, part, motion)
    if (graded) crew.run('gradeLayer', { ...made, curves, numbers, width: part.width }, part.height, 8)
    return [made.colour, made.glow, made.effect, made.wrap] as const
  }
  const pixels = part.width * part.height
  const [colour, glow, effect, wrap] =
    laying.atHand?.images(crew, JSON.stringify([of, rest]), layer, pixels, make) ?? make()
  return { part, images: { colour, glow, effect, wrap, curves, numbers } }
}

/** A layer's images in its part, drawn out, calmed, softened, cut by mattes; 0 where it has none. */
function makeReady(
  laying: Laying,
  layer: PictureLayer,
  how: StackLayer,
  part: Part,
  motion: Motion | undefined,
): { colour: number; glow: number; effect: number; wrap: number } {
  const { crew, scale } = laying
  const [sigma, disc] = [how.softness * scale, how.defocus * scale]
  // Distances tell of haze alone; what a layer has nothing of stays nothing.
  const hazed = laying.settings.haze !== undefined && layer.depth !== undefined
  const [colour, glow, far] = [
    packed(laying, layer, part, ['colour', 'alpha'], how),
    layer.emission || how.mattes.length > 0 ? packed(laying, layer, part, ['emission'], how) : 0,
    hazed ? packed(laying, layer, part, [], how) : 0,
  ]
  if (layer.effect) addEffect(laying, layer, part, how, colour)
  if (hazed && layer.depth) fit(laying, layer, part, how, layer.depth, 'depth', { out: far, lane: 3 })
  const held = [
    ...(layer.colour || layer.alpha || layer.effect ? [colour] : []),
    ...(layer.emission ? [glow] : []),
    ...(hazed ? [far] : []),
  ]
  if (motion) drawLayerOut(laying, part, how, motion, held)
  if (how.calm > 0) calmColour(laying, part, how.calm, colour)
  for (const image of held) {
    blur(crew, image, sigma, part.width, part.height)
    defocus(crew, image, disc, part.width, part.height)
  }
  if (glow) putMattes(laying, part, how, glow)
  const wrap = how.wrap > 0 ? wrapped(laying, part, how, colour) : 0
  return { colour, glow, effect: far, wrap }
}

/** Adds what effects light of a layer to its colour, as bright as their exposure has it. */
function addEffect(laying: Laying, layer: PictureLayer, part: Part, how: StackLayer, colour: number): void {
  const { crew, settings } = laying
  const mark = crew.heap.mark()
  const light = packed(laying, layer, part, ['effect'], how)
  const lit = stops(fireStops(laying, layer) - settings.drift)
  const gain = crew.heap.alloc(16)
  crew.heap.f32(gain, 4).set([lit, lit, lit, 0])
  crew.run(
    'layLight',
    { sum: colour, light, gain, x: 0, y: 0, width: part.width, fullWidth: part.width },
    part.height,
    8,
  )
  crew.heap.release(mark)
}
