import type { Crew } from '../base/index.ts'
import { type FloatImage, layerValue, placeOf } from '../data/index.ts'
import { atan2, degrees, type Vec3 } from '../math/index.ts'
import { lightOn, modelSky } from '../picture/index.ts'
import type { PlateLightSettings } from '../shot/index.ts'
import {
  type CheckLine,
  type Cover,
  degreesBetween,
  type FacingPixel,
  haloOf,
  LINE_KINDS,
  lightAt,
  lightFrom,
  lineOf,
  motionKey,
  plateValues,
  type Region,
  type StackLay,
  type StackPicture,
  type StackSettings,
  shadowFigures,
} from '../sit/index.ts'
import { plateLight } from './picture.ts'

// The lines of the check that take more than an area's pixels: light, shadow, motion blur, halo.

/** What a frame's lines are told from; images at the plate's size here. */
export interface LineContext {
  crew: Crew
  frame: number
  fullWidth: number
  picture: StackPicture
  settings: StackSettings
  plate: FloatImage
  /** The plate alone as it is seen, drawn out where that is asked for. */
  alone: FloatImage
  /** With it, before its light spreads in lens and air. */
  unspread: FloatImage
  /** What all shadows leave of the plate's light; none where nothing is laid. */
  shadows: FloatImage | undefined
  bare: FloatImage
  laid: FloatImage
  /** What all lays cover. */
  covered: Float32Array
  sun?: PlateSun
  shutter?: { plate: number; picture: number }
}

/** The plate's sun: unit direction, its share of the light; and how bright the rest makes a surface. */
export interface PlateSun {
  direction: Vec3
  share: number
  sky(normal: Vec3): number
}

/** What sky light sends back of the ground, for a sun by itself. */
const GROUND = 0.2
/** The sun and sky of a shot's light. A sky that is a picture counts as the model's. */
export function plateSun(settings: PlateLightSettings): PlateSun {
  const light = plateLight({ ...settings, sky: 'model' })
  const ground = [0, 1, 2].map(
    (c) => GROUND * (light.sunShare * (light.sunColour[c] ?? 1) + (1 - light.sunShare) * (light.skyColour[c] ?? 1)),
  )
  const even = (normal: Vec3): number => (1 - light.sunShare) * (0.5 + 0.5 * normal[1]) + 0.5 * GROUND * (1 - normal[1])
  const sky = settings.sky === 'even' ? even : lightOn(modelSky(light, ground as unknown as Vec3))
  return { direction: light.sunDirection, share: light.sunShare, sky }
}

/** The pixels of a region, and of the picture under each: its index there. */
function* pixelsOf(
  region: Region,
  { plate, picture }: Pick<LineContext, 'plate' | 'picture'>,
): Generator<{ n: number; at: number }> {
  const [kx, ky] = [picture.width / plate.width, picture.height / plate.height]
  for (let j = 0; j < region.height; j++)
    for (let i = 0; i < region.width; i++) {
      if (region.mask[j * region.width + i] !== 1) continue
      const [x, y] = [region.x + i, region.y + j]
      yield { n: y * plate.width + x, at: Math.floor((y + 0.5) * ky) * picture.width + Math.floor((x + 0.5) * kx) }
    }
}

/** Less of the light than this comes from a sun that could be told on a thing. */
const LEAST_SHARE = 0.08

/** Where the light on a thing comes from, against the plate's sun. */
export function lightLine(context: LineContext, id: string, part: Region): CheckLine[] {
  const { picture, sun } = context
  const normals = picture.normal
  const layer = picture.layers.find((one) => one.id === id)
  // Lit by the plate's own light alone: fires light it from elsewhere.
  const { colour, alpha } = layer ?? {}
  if (!normals || !sun || sun.share < LEAST_SHARE || !layer || !colour || !alpha) return []
  const pixels: FacingPixel[] = []
  const known = new Map<string, number>()
  const skyOn = (normal: Vec3): number => {
    const key = normal.map((v) => Math.round(12 * v)).join()
    const value = known.get(key) ?? sun.sky(normal)
    known.set(key, value)
    return value
  }
  for (const { at } of pixelsOf(part, context)) {
    const [i, j] = [(at % picture.width) - layer.x, Math.floor(at / picture.width) - layer.y]
    if (i < 0 || j < 0 || i >= layer.width || j >= layer.height) continue
    const k = j * layer.width + i
    const share = alpha.data[k] ?? 0
    if (share < 0.5) continue
    const normal = [0, 1, 2].map((c) => normals.data[at * 3 + c] ?? 0) as unknown as Vec3
    if (normal[0] === 0 && normal[1] === 0 && normal[2] === 0) continue
    pixels.push({ normal, light: lightAt(colour, k) / share, sky: skyOn(normal) })
  }
  const from = lightFrom(pixels)
  if (!from) return []
  const off = degreesBetween(from, sun.direction)
  return [lineOf('light', 0, off, off, LINE_KINDS.light.most)]
}

/** Of a place's light other layers' shadows must leave so much. */
const UNSHARED = 0.93
/** How dense a layer's shadow on the set is, against what the plate's own sun would be missed. */
export function shadowLine(context: LineContext, id: string): CheckLine[] {
  const { picture, alone, shadows, covered, settings } = context
  const layer = picture.layers.find((one) => one.id === id)
  if (!layer?.sun || !shadows) return []
  const { width, height } = alone
  const [kx, ky] = [picture.width / width, picture.height / height]
  // The part of the plate that the layer lies in.
  const own = placeOf(layer, 'sun')
  const [x0, y0] = [Math.floor(own.x / kx), Math.floor(own.y / ky)]
  const w = Math.min(width, Math.ceil((own.x + own.width) / kx)) - x0
  const h = Math.min(height, Math.ceil((own.y + own.height) / ky)) - y0
  const [sun, sky] = [new Float32Array(w * h).fill(1), new Float32Array(w * h).fill(1)]
  const sunlit = new Float32Array(w * h)
  // Where others cast a shadow too, its own can't be told.
  const others = picture.layers.filter((one) => one.sun && one !== layer)
  const shared = (u: number, v: number): boolean =>
    others.reduce((left, one) => left * layerValue(one, 'sun', u, v) * layerValue(one, 'sky', u, v), 1) < UNSHARED
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const [u, v] = [Math.floor((x + x0 + 0.5) * kx), Math.floor((y + y0 + 0.5) * ky)]
      sunlit[y * w + x] = shared(u, v) ? 0 : (picture.sunlit.data[v * picture.width + u] ?? 0)
      sun[y * w + x] = layerValue(layer, 'sun', u, v)
      sky[y * w + x] = layerValue(layer, 'sky', u, v)
    }
  const place = (n: number): number => (y0 + Math.floor(n / w)) * width + x0 + (n % w)
  const colours = { sun: settings.sunColour, sky: settings.skyColour }
  const found = shadowFigures(shadows, alone, { sun, sky, place }, sunlit, covered, colours)
  if (!found) return []
  const [a, b] = [100 * found.plate, 100 * found.layer]
  const way = (value: number, more: string, less: string): string =>
    Math.abs(value) > 0.1 ? `${Math.abs(value).toFixed(2)} st ${value > 0 ? more : less}` : ''
  const note = [way(found.red, 'redder', 'less red'), way(found.blue, 'bluer', 'less blue')].filter(Boolean).join(', ')
  const off = a > 1 ? 100 * (b / a - 1) : b - a
  return [lineOf('shadow', a, b, off, LINE_KINDS.shadow.most, note ? { note } : {})]
}

/** Shorter streaks than this are none, px. */
const LEAST_STREAK = 0.3

/** How far what is in a part goes in a frame, px of the full plate: by the picture's vectors, else by the motion that the lay is drawn out along. */
function goes({ picture, shutter, fullWidth, settings, plate }: LineContext, lay: StackLay, part: Region) {
  const { motion } = picture
  const own = settings.motions?.get(motionKey(lay.of, lay.how.streakBy))
  const by = shutter?.picture ?? 0
  const sum: [number, number, number] = [0, 0, 0]
  const add = (x: number, y: number): void => {
    sum[0] += x
    sum[1] += y
    sum[2] += Math.sqrt(x * x + y * y)
  }
  for (const { n, at } of pixelsOf(part, { plate, picture })) {
    const [x, y] = [motion?.data[at * 2] ?? 0, motion?.data[at * 2 + 1] ?? 0]
    if (by > 0 && (x !== 0 || y !== 0)) add(x / by, y / by)
    else if (own) {
      const k = own.width / plate.width
      const place = Math.floor(Math.floor(n / plate.width) * k) * own.width + Math.floor((n % plate.width) * k)
      add(own.u[place] ?? 0, own.v[place] ?? 0)
    }
  }
  const k = fullWidth / picture.width / Math.max(1, part.pixels)
  return { x: sum[0] * k, y: sum[1] * k, long: sum[2] * k, drawn: by > 0 && motion?.data.some((v) => v !== 0) === true }
}

/** How long a layer's streaks are, against what the plate's shutter makes of the same movement. */
export function blurLine(context: LineContext, lay: StackLay | undefined, part: Region): CheckLine[] {
  const { shutter } = context
  if (!shutter || !lay) return []
  const { x, y, long, drawn } = goes(context, lay, part)
  // Quick pictures see one moment; what is put back is drawn out once more: lengths add as their squares.
  const [made, put] = [drawn ? long * shutter.picture : 0, long * lay.how.streak]
  const layer = Math.sqrt(made * made + put * put)
  // What stands still has no streaks: nothing to tell.
  if (layer < LEAST_STREAK) return []
  const plate = long * shutter.plate
  const way = Math.round(degrees(atan2(-y, x)))
  const note = `${((way % 180) + 180) % 180}° from level`
  return [
    lineOf('blur', plate, layer, layer - plate, Math.max(LINE_KINDS.blur.most, 0.15 * plate), { note, parts: [long] }),
  ]
}

/** The halo of what a layer holds of highlights, against the plate's in an area, both as they are seen. */
export function haloLine({ laid, bare }: LineContext, part: Region, beside: Region | undefined): CheckLine[] {
  const own = haloOf(laid, part)
  const plate = own && haloOf(bare, beside)
  if (!own || !plate) return []
  const [a, b] = [100 * plate.level, 100 * own.level]
  return [lineOf('halo', a, b, b - a, LINE_KINDS.halo.most)]
}

/** What halation lays round all fires, against the halo of the plate's own highlights. */
export function fireHaloLine(context: LineContext, fires: readonly Cover[]): CheckLine[] {
  const { crew, settings, unspread, bare, laid } = context
  if (!fires.some(({ light }) => light.some((value) => value > 1))) return []
  const there = haloOf(bare)
  if (!there) return []
  const without = plateValues(crew, unspread, settings.sensor)
  const ring = haloOf(laid, undefined, without)
  if (!ring) return []
  const [a, b] = [100 * there.level, 100 * ring.level]
  return [lineOf('halo', a, b, b - a, LINE_KINDS.halo.most)]
}
