import type { FloatImage, Motion, PictureLayer } from '../data/index.ts'
import type { GrainLaw } from './grain.ts'
import type { SensorCurve } from './sensor.ts'

// What the stack is laid from.

/** What the stack takes of a picture. */
export interface StackPicture {
  width: number
  height: number
  layers: readonly PictureLayer[]
  sunlit: FloatImage
  /** Metres along the view axis; 0 where nothing is. */
  depth?: FloatImage
  /** Metres of heated air that are looked through. */
  heat?: FloatImage
  /** Which way what is seen faces, and how it moves while the shutter is open, px: for the check. */
  normal?: FloatImage
  motion?: FloatImage
}

export type StackBlend = 'over' | 'add' | 'screen' | 'multiply' | 'lighten' | 'soft light'
export type CurvePoints = readonly (readonly [number, number])[]
/** Curves on display values, 0 to 1, each rising in its first number. */
export interface StackCurves {
  all: CurvePoints
  red: CurvePoints
  green: CurvePoints
  blue: CurvePoints
}

/** A matte that scales what is laid: by its id. outside: where it does not cover. */
export interface StackMatte {
  id: string
  outside: boolean
}

/** How one layer is laid on. Exposures in stops; black, white and pivot in plate value; softness is a blur's standard deviation, defocus a disc's radius, both in px of the full frame. */
export interface StackLayer {
  shown: boolean
  blend: StackBlend
  amount: number
  mattes: readonly StackMatte[]
  exposure: number
  black: number
  white: number
  gamma: number
  contrast: number
  pivot: number
  saturation: number
  tint: readonly [number, number, number]
  curves?: StackCurves
  softness: number
  defocus: number
  /** Drawn out along its motion as by a shutter open for so many frames; samples along each way, 0: by its length. */
  streak: number
  streakBy: 'vectors' | 'pictures' | 'plate'
  streakSamples: number
  /** Light of the plate around that comes over its edge, and how far, px. */
  wrap: number
  wrapRadius: number
  /** Of the plate's own grain; and of its own, how much is taken out. */
  grain: number
  calm: number
  /** Its own light. */
  glow: number
  /** Hot air over its bright parts, times what a flame so wide has. */
  hotAir: number
  /** Moved, px of the full frame; scaled and turned (degrees, clockwise) about its middle. */
  nudgeX: number
  nudgeY: number
  size: number
  turned: number
  /** Its light on the set, and the blur of that. */
  light: number
  lightSoftness: number
  /** Its shadow on the plate, what is darker still near by, and the blur of both. */
  shadow: number
  contact: number
  shadowSoftness: number
}

/** What a layer's motion is found by among the stack's. */
export const motionKey = (layer: string, by: StackLayer['streakBy']): string => (by === 'plate' ? by : `${layer}/${by}`)

/** A layer of the picture as it is laid; one picture layer may be laid several times. */
export interface StackLay {
  /** The picture's layer. */
  of: string
  how: StackLayer
}

/** Haze between the camera and what is seen: optical depth a metre, and what is seen far away, plate value. */
export interface StackHaze {
  thickness: readonly [number, number, number]
  colour: readonly [number, number, number]
  /** Whether the set stands in it too. */
  onSet: boolean
}

/** How hot air bends what is seen through it. */
export interface StackShimmer {
  amount: number
  fine: number
  /** Focal length in px of the full frame, and how far the hot air is, m. */
  focal: number
  distance: number
  /** Seconds since the shot began. */
  time: number
  /** A matte over which hot air rises, and how many metres of it. */
  over?: { matte: string; metres: number }
}

/** The plate drawn out along its own motion, px a frame, for so many frames; stopped at a matte's edge. */
export interface PlateStreak {
  motion: Motion
  frames: number
  samples: number
  matte?: FloatImage
}

/** Light that spreads in lens and sensor: its share, the near part's radius over the picture's width, how red that is. */
export interface StackHalation {
  share: number
  radius: number
  red: number
}

export interface StackSettings {
  /** From the plate up; picture layers that are not here are laid as `plain` says. */
  lays: readonly StackLay[]
  plain: StackLayer
  /** Layers whose light is none of a fire's: the fires' exposure leaves it as it is. */
  lampLayers: ReadonlySet<string>
  /** Exposure of everything that fires give out, stops: flame and the light they throw, together. */
  fireExposure: number
  /** Exposure of all that is added, stops: as the plate's own drifts. */
  drift: number
  halation: StackHalation
  /** Share of the fire's light that lit air spreads, and the radii it spreads to, over the picture's width. */
  airGlow: number
  glowRadii: readonly number[]
  haze: StackHaze | undefined
  shimmer: StackShimmer
  grain: GrainLaw
  grainAmount: number
  /** The curve of the sensor that the plate went through, so that the plate here is the light of its scene (plateScene): its grain's law is of what the sensor makes of it. */
  sensor?: SensorCurve
  /** Colours of the plate's sun and sky: shadows take away of them. */
  sunColour: readonly [number, number, number]
  skyColour: readonly [number, number, number]
  /** Mattes by id, one channel over the whole frame. */
  mattes?: ReadonlyMap<string, FloatImage>
  /** Motions to the next frame that layers are drawn out along, by motionKey. */
  motions?: ReadonlyMap<string, Motion>
  plateStreak?: PlateStreak
  /** Hears of layers that hold no numbers; they are left out. */
  onBad?: (layer: string) => void
}

/** Pixels of this picture per pixel of the full frame: 1, 1/2, 1/4. */
export type StackScale = number

/** A layer as it is, laid over. */
export const BARE_LAYER: StackLayer = {
  shown: true,
  blend: 'over',
  amount: 1,
  mattes: [],
  exposure: 0,
  black: 0,
  white: 1,
  gamma: 1,
  contrast: 1,
  pivot: 0.18,
  saturation: 1,
  tint: [1, 1, 1],
  softness: 0,
  defocus: 0,
  streak: 0,
  streakBy: 'vectors',
  streakSamples: 0,
  wrap: 0,
  wrapRadius: 8,
  grain: 1,
  calm: 0,
  glow: 1,
  hotAir: 0,
  nudgeX: 0,
  nudgeY: 0,
  size: 1,
  turned: 0,
  light: 1,
  lightSoftness: 0,
  shadow: 1,
  contact: 0,
  shadowSoftness: 0,
}

/** A stack that lays layers as they are, without lens, air, grain or a camera's curve. */
export const BARE_STACK: StackSettings = {
  lays: [],
  plain: BARE_LAYER,
  lampLayers: new Set(),
  fireExposure: 0,
  drift: 0,
  halation: { share: 0, radius: 0.012, red: 1 },
  airGlow: 0,
  glowRadii: [],
  haze: undefined,
  shimmer: { amount: 0, fine: 0, focal: 1000, distance: 10, time: 0 },
  grain: { floor: [0, 0, 0], slope: [0, 0, 0], spread: 0 },
  grainAmount: 0,
  sunColour: [1, 1, 1],
  skyColour: [1, 1, 1],
}
