import type { Crew } from '../base/index.ts'
import { unmultiplied, withAlpha } from '../cards/index.ts'
import { type FloatImage, type Motion, makeImage, type PlateReport } from '../data/index.ts'
import { type SignalInputs, settledAt } from '../settings/index.ts'
import {
  effectOf,
  type Layer,
  layerIdOf,
  PLAIN_LAYER,
  type PlateInfo,
  SETTINGS,
  type ShotDocument,
  type SitSettings,
  shotLayers,
  sitAt,
} from '../shot/index.ts'
import {
  type AtHand,
  compositeStack,
  decodeRec709,
  decodeSrgb,
  type GrainLaw,
  type LaidAside,
  PLAIN_SENSOR,
  plateScene,
  type SensorCurve,
  type StackBlend,
  type StackLayer,
  type StackPicture,
  type StackSettings,
} from '../sit/index.ts'

export type StackDocument = Pick<ShotDocument, 'sit' | 'plate' | 'signals' | 'items' | 'light'>

/** No grain at all. */
export const NO_GRAIN: GrainLaw = { floor: [0, 0, 0], slope: [0, 0, 0], spread: 0 }
/** A plate's grain: of its report, which looked at many frames, else of the one frame that was looked at when the plate was read. */
export const plateGrain = (report: Pick<PlateReport, 'grain'> | undefined, read: GrainLaw | undefined): GrainLaw =>
  report?.grain ?? read ?? NO_GRAIN

/** What a frame's stack has from beside the document. */
export interface StackExtras {
  /** The plate's own drift of exposure at the frame, stops. */
  drift?: number
  /** For what shimmers: the camera's focal length, px of the full frame, and how far the hot air is, m. */
  hotAir?: { focal: number; distance: number }
  /** The mattes that the stack is cut by, drawn. */
  mattes?: ReadonlyMap<string, FloatImage>
  /** Motions that layers are drawn out along, and the plate's (motions.ts). */
  motions?: ReadonlyMap<string, Motion>
  onBad?: (layer: string) => void
}

/** The stack's settings at a frame, with what follows signals. */
export function stackSettingsAt(
  document: StackDocument,
  grain: GrainLaw,
  frame: number,
  inputs: SignalInputs = {},
  extras: StackExtras = {},
): StackSettings {
  const sit = sitAt(document, frame, inputs)
  const { follows } = document.light
  const light = settledAt(document, document.light, follows, SETTINGS.plateLight, frame, inputs)
  return stackSettings({ ...document, sit, light }, grain, frame, extras)
}

/** Whether a plate has been through a camera's curve, which is undone before anything is added: linear ones are their scene's light already. */
const isRecorded = (sit: Pick<SitSettings, 'curve'>, encoding: PlateInfo['encoding']): boolean =>
  sit.curve === 'sensor' && encoding !== 'linear'

type CameraLook = Pick<SitSettings, 'curve'> & Partial<Pick<SitSettings, 'knee' | 'shoulder'>>
/** The curve of the shot's camera; the usual one where it is told nowhere. */
export const sensorOf = ({ knee, shoulder }: Partial<Pick<SitSettings, 'knee' | 'shoulder'>>): SensorCurve => ({
  knee: knee ?? PLAIN_SENSOR.knee,
  top: shoulder ?? PLAIN_SENSOR.top,
})

/** Layers of lamps, and of what is as bright as it was filmed, alone. */
function lampLayers(items: ShotDocument['items']): Set<string> {
  const layers = new Map<string, boolean>()
  for (const [id, item] of Object.entries(items)) {
    const layer = layerIdOf(id, item)
    const own = item.kind === 'lamp' || effectOf(item)?.ownExposure === true
    layers.set(layer, (layers.get(layer) ?? true) && own)
  }
  return new Set([...layers].flatMap(([id, lamps]) => (lamps ? [id] : [])))
}

/** A layer of the document as the stack takes it, with its group. */
function stackLayer(layer: Layer, proposed: StackBlend, { groups }: SitSettings): StackLayer {
  const group = layer.within ? groups[layer.within] : undefined
  const cuts = [layer, group].flatMap((one) => (one?.matte ? [{ id: one.matte, outside: one.outside }] : []))
  return {
    ...layer,
    shown: layer.shown && (group?.shown ?? true),
    amount: layer.amount * (group?.amount ?? 1),
    blend: layer.blend === 'proposed' ? proposed : layer.blend,
    mattes: cuts,
  }
}

/** Per metre, of what is told for a hundred. */
const HUNDRED_M = 0.01
/** How far hot air is that nothing tells the distance of, m. */
const SOME_WAY = 10

function airOf(sit: SitSettings, plate: PlateInfo, frame: number, { hotAir }: StackExtras) {
  const [r, g, b] = sit.thicknessColour.map((part) => part * sit.haze * HUNDRED_M) as [number, number, number]
  const haze =
    sit.haze > 0 ? { thickness: [r, g, b] as const, colour: sit.hazeColour, onSet: sit.hazeOnSet } : undefined
  const { focal = plate.width, distance = SOME_WAY } = hotAir ?? {}
  const time = ((frame - plate.first) * plate.rate[1]) / plate.rate[0]
  const over = sit.shimmerOver ? { over: { matte: sit.shimmerOver, metres: sit.shimmerOverHeat } } : {}
  return { haze, shimmer: { amount: sit.shimmer, fine: sit.shimmerFine, focal, distance, time, ...over } }
}

/** The plate drawn out along its own motion, where it is asked for and known. */
function plateStreakOf(sit: SitSettings, { motions, mattes }: StackExtras): Pick<StackSettings, 'plateStreak'> {
  const motion = motions?.get('plate')
  if (!motion || sit.plateStreak === 0) return {}
  const matte = mattes?.get(sit.plateStreakMatte)
  const streak = { motion, frames: sit.plateStreak, samples: sit.plateStreakSamples }
  return { plateStreak: { ...streak, ...(matte ? { matte } : {}) } }
}

/** The stack's settings of a document as it is at a frame. */
export function stackSettings(
  document: StackDocument,
  grain: GrainLaw,
  frame = document.plate.first,
  extras: StackExtras = {},
): StackSettings {
  const { sit, plate, light, items } = document
  const share = (sit.halationHeld ? Math.min(sit.halation, sit.halationMost) : sit.halation) / 100
  return {
    lays: shotLayers(document).map(({ of, settings, proposed }) => ({ of, how: stackLayer(settings, proposed, sit) })),
    plain: stackLayer(PLAIN_LAYER, 'over', sit),
    lampLayers: lampLayers(items),
    fireExposure: sit.fireExposure,
    drift: sit.drift ? (extras.drift ?? 0) : 0,
    halation: { share, radius: sit.halationRadius / 100, red: sit.halationRed },
    airGlow: sit.airGlow / 100,
    glowRadii: [sit.glow1, sit.glow2, sit.glow3, sit.glow4].map((part) => part / 100),
    ...airOf(sit, plate, frame, extras),
    grain,
    grainAmount: sit.grainAmount,
    ...(isRecorded(sit, plate.encoding) ? { sensor: sensorOf(sit) } : {}),
    sunColour: light.sunColour,
    skyColour: light.skyColour,
    ...(extras.mattes ? { mattes: extras.mattes } : {}),
    ...(extras.motions ? { motions: extras.motions } : {}),
    ...plateStreakOf(sit, extras),
    ...(extras.onBad ? { onBad: extras.onBad } : {}),
  }
}

/** The plate as light is added to it: of its scene where it has been through a sensor. */
export const lightOfPlate = (
  crew: Crew,
  plate: FloatImage,
  sit: CameraLook,
  encoding: PlateInfo['encoding'],
): FloatImage => (isRecorded(sit, encoding) ? plateScene(crew, plate, sensorOf(sit)) : plate)

/** A filmed frame with alpha as light: straight, however it was kept. frame: linear; alpha: its plane. */
export function lightWithAlpha(
  crew: Crew,
  frame: FloatImage,
  alpha: FloatImage,
  way: 'straight' | 'premultiplied',
  sit: CameraLook,
  encoding: PlateInfo['encoding'],
): FloatImage {
  const both = withAlpha(frame, alpha)
  const straight = way === 'premultiplied' ? unmultiplied(both) : both
  const colours = makeImage(frame.width, frame.height, 3)
  for (let n = 0; n < colours.data.length; n++) colours.data[n] = straight.data[n + Math.floor(n / 3)] ?? 0
  return withAlpha(lightOfPlate(crew, colours, sit, encoding), alpha)
}

const tables = new Map<string, Float32Array>()

/** 16-bit plate code values as linear light, by the plate's encoding. */
export function plateTable(encoding: PlateInfo['encoding']): Float32Array {
  const known = tables.get(encoding)
  if (known) return known
  const decode = encoding === 'srgb' ? decodeSrgb : encoding === 'rec709' ? decodeRec709 : (v: number) => v
  const table = Float32Array.from({ length: 65536 }, (_, n) => decode(n / 65535))
  tables.set(encoding, table)
  return table
}

/** Plate bytes (8- or 16-bit r g b) as linear light. */
export function plateImage(
  codes: Uint8Array | Uint16Array,
  width: number,
  height: number,
  encoding: PlateInfo['encoding'],
  channels = 3,
): FloatImage {
  const table = plateTable(encoding)
  const wide = codes instanceof Uint8Array ? 257 : 1
  const image = makeImage(width, height, 3)
  for (let n = 0; n < width * height; n++)
    for (let c = 0; c < 3; c++) image.data[n * 3 + c] = table[(codes[n * channels + c] ?? 0) * wide] ?? 0
  return image
}

/** The width in linear light of one 8-bit code value at a brightness, by the plate's encoding. */
export function codeWidth(encoding: PlateInfo['encoding']): (value: number) => number {
  const table = plateTable(encoding)
  return (value) => {
    let [low, high] = [0, 255]
    while (high - low > 1) {
      const middle = (low + high) >> 1
      if ((table[middle * 257] ?? 0) <= value) low = middle
      else high = middle
    }
    return (table[high * 257] ?? 0) - (table[low * 257] ?? 0)
  }
}

/** Resizes a picture by bilinear look-up or box means: only used between the plate's own sizes (1, 1/2, 1/4). */
export function resizeImage(image: FloatImage, width: number, height: number): FloatImage {
  if (image.width === width && image.height === height) return image
  const out = makeImage(width, height, image.channels)
  const { channels } = image
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const x0 = (x * image.width) / width
      const x1 = ((x + 1) * image.width) / width
      const y0 = (y * image.height) / height
      const y1 = ((y + 1) * image.height) / height
      if (x1 - x0 >= 1) {
        const [a0, a1, b0, b1] = [
          Math.floor(x0),
          Math.max(Math.floor(x0) + 1, Math.round(x1)),
          Math.floor(y0),
          Math.max(Math.floor(y0) + 1, Math.round(y1)),
        ]
        for (let c = 0; c < channels; c++) {
          let sum = 0
          for (let b = b0; b < b1; b++)
            for (let a = a0; a < a1; a++) sum += image.data[(b * image.width + a) * channels + c] ?? 0
          out.data[(y * width + x) * channels + c] = sum / ((a1 - a0) * (b1 - b0))
        }
      } else {
        const u = Math.min(image.width - 1, Math.max(0, (x0 + x1) / 2 - 0.5))
        const v = Math.min(image.height - 1, Math.max(0, (y0 + y1) / 2 - 0.5))
        const [i, j] = [Math.floor(u), Math.floor(v)]
        const [fx, fy] = [u - i, v - j]
        const [i1, j1] = [Math.min(image.width - 1, i + 1), Math.min(image.height - 1, j + 1)]
        for (let c = 0; c < channels; c++) {
          const at = (a: number, b: number): number => image.data[(b * image.width + a) * channels + c] ?? 0
          out.data[(y * width + x) * channels + c] =
            (at(i, j) * (1 - fx) + at(i1, j) * fx) * (1 - fy) + (at(i, j1) * (1 - fx) + at(i1, j1) * fx) * fy
        }
      }
    }
  return out
}

/** aside: takes what a check asks for besides, where it is given. The stack over a plate picture of any of its sizes, as lightOfPlate gives it; layers are brought to that size. */
export const composeFrame = (
  crew: Crew,
  plate: FloatImage,
  picture: StackPicture | undefined,
  settings: StackSettings,
  fullWidth: number,
  frame: number,
  aside?: LaidAside,
  atHand?: AtHand,
): FloatImage => compositeStack(crew, plate, picture, settings, plate.width / fullWidth, frame, aside, atHand)
