import type { Camera, FloatImage, GasFrame, Material, SurfaceMesh, Whirls } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'
import type { Placement } from './gasBlock.ts'
import type { Pose } from './instances.ts'
import type { TreeStore } from './trees.ts'

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

/** A mesh as rays meet it, with its key: equal keys are equal meshes. */
export interface KeyedMesh {
  key: string
  mesh: SurfaceMesh
}

/** A shaded solid, where it stands when the shutter opens and closes. */
export interface Thing extends KeyedMesh {
  kind: 'thing'
  /** By the mesh's parts; one for all where it has none. */
  materials: readonly Material[]
  opening: Pose
  closing: Pose
  /** Whether it throws shadows; it does where nothing is said. */
  throwsShadow?: boolean
}

/** Many small particles, in the picture: each along its path while the shutter is open. */
export interface Splats {
  kind: 'splats'
  /** 16 numbers each (kernels/assembly/splats.ts), layers left 0. */
  data: Float32Array
}

/** A lamp that was set up beside the plate's own light. Intensity along its axis: plate value x m^2 (a white surface a metre away, facing it, has intensity / pi). */
export interface Lamp extends PictureEmitter {
  kind: 'lamp'
  shape: 'ball' | 'spot' | 'rectangle'
  /** Half edges of a rectangle, m: it shines along upward x across. */
  across?: Vec3
  upward?: Vec3
  /** Where a spot shines, unit; cosines of its half angles: full within the first, nothing beyond the second. */
  axis?: Vec3
  inner?: number
  outer?: number
  /** Whether it lights the set too: one that the plate shows does so already. */
  onSet: boolean
}

/** The form of what was filmed inside a mask, at points over it: light falls on it in place of the set behind it. */
export interface Relief {
  kind: 'relief'
  /** What it covers, and how much of the light it takes there: 1 channel, the picture's size. */
  mask: FloatImage
  share: FloatImage
  /** Its points: from a pixel on, so many px apart. */
  x: number
  y: number
  stride: number
  columns: number
  rows: number
  /** 8 numbers each: place, 1 where there is one, unit normal, how far off it shadows are looked for (m). */
  points: Float32Array
  /** How far light reaches round it, 0 to 1. */
  wrap: number
  /** Times the lamps' light. */
  amount: number
  /** Whether set and things keep light off it. */
  shadowed: boolean
  /** The one layer whose lamps light it; all of them where nothing is said. */
  only?: string
  /** A far light of its own: towards it (unit), and its colour as share of the plate's white light. */
  side?: { direction: Vec3; colour: Vec3 }
  /** What of light it sends back, 3 channels: of a layer that is drawn itself. Its light lies on that layer then, and the set keeps its own. */
  reflects?: FloatImage
  /** Towards the camera, where its form is shown as grey instead. */
  towards?: Vec3
}

/** Whatever an effect or an item has the picture draw. */
export type Drawable = GasVolume | Thing | Splats | Lamp | SetPiece | Relief

/** What is drawn into one layer. */
export interface LayerDrawables {
  /** Of the item or group that it is made of. */
  id: string
  drawables: readonly Drawable[]
}
/** A shadow ray tells layers apart by the bits of a word. */
export const MOST_LAYERS = 31

/** A set piece as the picture sees it. */
export interface ScenePiece extends KeyedMesh {
  opening: Pose
  closing: Pose
  /** Hides what is behind it. */
  holdsOut: boolean
  /** Shows the effects' light and their shadow on the plate. */
  receives: boolean
}

/** A part of the set that an effect stands for. */
export type SetPiece = ScenePiece & { kind: 'set' }

/** The plate's own light. */
export interface PlateLight {
  /** Unit, towards the sun. */
  sunDirection: Vec3
  /** Share of the illuminance on level ground that comes from the sun, 0 to 1. */
  sunShare: number
  sunColour: readonly [number, number, number]
  skyColour: readonly [number, number, number]
  /** How the sky's light is spread: evenly where nothing is said, as the model of a sky, or as a picture turned by so many degrees to the right. */
  sky?: 'even' | 'model' | { picture: FloatImage; turn: number }
  /** Tangent of the half angle that the sun fills; the sun's own where nothing is said. */
  sunDisc?: number
}

export interface PictureQuality {
  /** Samples of a pixel: at first, where things or edges are, and the most where those leave noise; the noise (plate value) that is good enough. */
  few: number
  many: number
  most: number
  noise: number
  /** Light by way of other surfaces, and reflections. */
  bounces: boolean
  /** Marches through gas of a pixel, and the most where those differ. */
  marches: number
  mostMarches: number
  /** March step, cells. */
  step: number
  /** Whether what moves is drawn out while the shutter is open. */
  blurs: boolean
  /** The most work for the light in a gas: cells times lights. */
  lightWork: number
  /** Pixels between points at which the light on the set is computed. */
  lightStride: number
  /** Orders of scattering, 1 to 4. */
  orders: number
}

export const LOOK: PictureQuality = {
  few: 1,
  many: 4,
  most: 4,
  noise: 0.05,
  bounces: false,
  marches: 1,
  mostMarches: 1,
  step: 0.5,
  blurs: false,
  lightWork: 1.5e6,
  lightStride: 4,
  orders: 4,
}
export const FINAL: PictureQuality = {
  few: 4,
  many: 16,
  most: 64,
  noise: 0.02,
  bounces: true,
  marches: 4,
  mostMarches: 16,
  step: 1,
  blurs: true,
  lightWork: 12e6,
  lightStride: 2,
  orders: 4,
}

/** The open shutter: how long, s, and the camera at a share of it, 0 its opening and 1 its closing. */
export interface Shutter {
  seconds: number
  camera(share: number): Camera
}

/** A lens that defocuses: its radius (m), what is sharp (m), blades of the iris (0: round), how many times taller than wide a blur disc is; disc: a square picture of it, a byte a pixel from the upper left, in place of the blades. */
export interface Lens {
  radius: number
  focus: number
  blades: number
  squeeze: number
  disc?: Uint8Array
}

/** A matte of what stands in front of everything beyond a distance. */
export interface SceneMatte {
  /** 1 channel, the picture's size. */
  image: FloatImage
  /** m along the view axis, and over how much of it it is soft. */
  distance: number
  soft?: number
  /** By pixel instead, m; 0 where it is not there. */
  distances?: FloatImage
  /** The layers that it takes away, so that what is behind them shows; all are held out where nothing is said. */
  cuts?: readonly string[]
}

/** What one frame is rendered from. */
export interface FrameScene {
  pieces: readonly ScenePiece[]
  layers: readonly LayerDrawables[]
  /** Its width and height are the picture's. */
  camera: Camera
  light: PlateLight
  quality: PictureQuality
  /** Where it is given and the quality blurs, all moves while it is open. */
  shutter?: Shutter
  lens?: Lens
  /** The plate as light, 3 channels of any of its sizes: what the set sends on. */
  plate?: FloatImage
  /** Sky within so many metres counts as contact. */
  contact?: number
  /** Trees that are kept from frame to frame. */
  trees?: TreeStore
  /** Only these pixels: the frame's tiles that touch them. */
  part?: { x: number; y: number; width: number; height: number }
  /** Only one tile in sixteen: how long all of them take is wanted. */
  trial?: boolean
  mattes?: readonly SceneMatte[]
}
