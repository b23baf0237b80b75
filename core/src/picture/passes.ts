import type { Camera, FloatImage, GasFrame, Whirls } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'
import type { Placement } from './gasBlock.ts'
import type { Scene } from './scene.ts'

/** A glowing ball that stands for a part of a fire, in its gas's own space; intensity in plate value x m^2. */
export interface PictureEmitter {
  at: readonly [number, number, number]
  intensity: readonly [number, number, number]
  radius: number
}

/** One gas of the picture with all that decides how it looks. */
export interface GasVolume {
  kind: 'gas'
  /** The frames that it is blended from: each with its share, and by how many seconds its own velocity carries it (later is positive). */
  frames: readonly { frame: GasFrame; weight: number; ahead: number; whirls?: Whirls }[]
  place?: Placement
  emitters: readonly PictureEmitter[]
  /** Plate value of a black body by temperature: from (K), step (K), four floats an entry; bodies: of black bodies alone, which flames' sheets shine by, without it the table's. */
  glow: { from: number; step: number; table: Float32Array; bodies?: Float32Array }
  /** What of each colour of the light the smoke scatters, r g b; white where it says nothing. */
  colour?: readonly [number, number, number]
  /** Light that smoke scatters instead of swallowing, 0 to 1, and how much of it forward (Henyey–Greenstein g). */
  albedo: number
  forward: number
  /** m^2/kg. */
  extinctionPerSoot: number
  /** Glow of the burning itself, plate value a metre at 1 g/m^3 of burning fuel. */
  blue?: readonly [number, number, number]
}

/** Whatever an effect has the picture draw. */
export type Drawable = GasVolume

/** The plate's own light. */
export interface PlateLight {
  /** Unit, towards the sun. */
  sunDirection: Vec3
  /** Share of the illuminance on level ground that comes from the sun, 0 to 1. */
  sunShare: number
  sunColour: readonly [number, number, number]
  skyColour: readonly [number, number, number]
}

export interface PictureQuality {
  /** March step, cells. */
  step: number
  /** The most work for the light in a gas: cells times lights. */
  lightWork: number
  /** Pixels between points at which the light on the set is computed. */
  lightStride: number
  /** Orders of scattering, 1 to 4. */
  orders: number
  /** Moments of the open shutter that are seen; 1: the middle one alone, without blur. */
  shutterSamples: number
}

export const LOOK: PictureQuality = { step: 0.5, lightWork: 1.5e6, lightStride: 4, orders: 4, shutterSamples: 1 }
export const FINAL: PictureQuality = { step: 0.5, lightWork: 12e6, lightStride: 2, orders: 4, shutterSamples: 8 }

/** The open shutter: how long, s, and the camera at a share of it, 0 its opening and 1 its closing. */
export interface Shutter {
  seconds: number
  camera(share: number): Camera
}

/** The passes of one frame; colours premultiplied, in plate value at exposure 0. */
export interface Passes {
  fire: FloatImage
  /** r g b lit by sun and sky, alpha. */
  smoke: FloatImage
  /** r g b that the fire adds to the smoke. */
  smokeLight: FloatImage
  /** r g b: the fire's light on the set, as share of the plate's white light. */
  light: FloatImage
  /** Share of the plate's own light that the smoke lets through to the set. */
  shadow: FloatImage
  /** Distance to the set along the view axis, m; 0 where there is none. */
  depth: FloatImage
  /** Metres of heated air that are looked through, each counted by how much thinner it is than the air: what shimmers. */
  heat: FloatImage
}

/** What one frame's passes are rendered from. */
export interface FrameScene {
  scene: Scene
  /** Its width and height are the picture's. */
  camera: Camera
  /** px to straight normalised coordinates. */
  straightenPixel(x: number, y: number): [number, number]
  drawables: readonly Drawable[]
  light: PlateLight
  quality: PictureQuality
  /** Where it is given and the quality has several moments, gas and camera move while it is open. */
  shutter?: Shutter
}
