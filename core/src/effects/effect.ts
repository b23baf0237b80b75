import type { z } from 'zod'
import type { Crew, LanternError, Recipe } from '../base/index.ts'
import type { Camera, FloatImage, FormPlane, Material, Motion, SurfaceMesh } from '../data/index.ts'
import type { Deflate } from '../formats/index.ts'
import type { Vec3 } from '../math/index.ts'
import type { Drawable, Lens, Placement, Pose, Shutter } from '../picture/index.ts'
import type { ThingItem } from '../set/index.ts'
import type { Item, ItemDocument, SignalInputs } from '../settings/index.ts'

// The contract that every kind of effect keeps. What follows from it (schemas, forms, results, jobs, what is stale) is made from the list in index.ts.

/** What an effect may ask about a shot beside its document. What is not given is not known (yet). */
export interface EffectContext {
  inputs?: SignalInputs
  /** The camera of a frame. */
  camera?(frame: number): Camera | undefined
  /** The rows of a table of points: x, y, z and radius of each at a frame. */
  points?(blob: string, frame: number): readonly number[] | undefined
  /** The last run of another item's effect, which this one may take frames of; undefined where the item has none or can't be made. Throws LanternError 'circle' where it hangs on this one. */
  result?(item: string): Run | undefined
}

/** A run that another one takes frames of. */
export interface RunInput {
  /** Key of the run's result. */
  key: string
  /** Name of its item, for messages. */
  name: string
  first: number
  last: number
  /** Per frame the key of all that decides it. */
  frameKeys: ReadonlyMap<number, string>
}

/** Frames of one of a run's inputs. */
export interface InputFrames {
  /** Its place in `inputs`. */
  input: number
  frames: readonly number[]
}

/** One result of an item as the document has it now: frames first to last, each kept under `key`. */
export interface Run {
  item: string
  /** Name of the item. */
  name: string
  /** What it is: unique among the outputs of all effects; the result's kind in the store. */
  output: string
  recipe: Recipe
  /** The recipe's key. */
  key: string
  first: number
  last: number
  /** Frames that are computed before the first and not kept. */
  preRoll: number
  inputs: readonly RunInput[]
  /** The frames of its inputs that a frame is made from. They must be kept before it starts; others need not. */
  needs(frame: number): readonly InputFrames[]
  /** Per frame the key of all that decides it. Frames with equal keys are equal, of whatever run. */
  frameKeys: ReadonlyMap<number, string>
  /** Throws LanternError where it needs more than so many bytes of memory, saying what would fit. */
  checkMemory(bytes: number): void
  /** How much work a frame is, roughly, in units of its own output: for runs of which nothing more is known. */
  work?: number
  bake: Bake
}

/** The shot's plate at a size: frames as linear light, and the motion between them. */
export interface PlateReader {
  width: number
  height: number
  /** r, g, b of each pixel, row-major from the top left. */
  frame(frame: number): Promise<Float32Array>
  /** Motion from a frame to the next, and back. */
  motion(frame: number): Promise<{ to: Motion; back: Motion }>
}

/** What a run is made with. */
export interface BakeTools {
  crew: Crew
  /** The plate of the run's shot. */
  plate(size: 'full' | 'half' | 'quarter'): PlateReader
  deflate: Deflate
  /** A file that the recipe names. */
  blob(key: string): Promise<Uint8Array>
  /** Unpacks a Blosc block. */
  unblosc(packed: Uint8Array): Promise<Uint8Array>
}

/** A kept frame of an input. */
export interface InputFrame {
  input: number
  frame: number
  figures: Readonly<Record<string, unknown>>
  bytes(): Promise<Uint8Array>
}

/** A frame as it is kept. */
export interface MadeFrame {
  bytes: Uint8Array
  mediaType: string
  figures: Readonly<Record<string, unknown>>
}

/** A full state of a run, from which it goes on bit for bit: a small part as JSON, and large arrays. */
export interface BakeState {
  /** Frames done, pre-roll counted. */
  done: number
  small: unknown
  parts: readonly Uint8Array[]
}

/** A state as it is read back: the arrays to fill first, then the state that they are part of. */
export interface StateReader {
  parts: readonly Uint8Array[]
  state: BakeState
}

/** A run whose frames are made each from the one before. */
export interface StepBaker {
  /** Frames done, pre-roll counted. */
  readonly done: number
  /** Begins the next frame. The generator yields between steps, so that it may be broken off (then the baker is spent), and returns the frame's work. */
  advance(inputs: readonly InputFrame[]): Promise<Generator<unknown, number>>
  /** The frame that was done last. */
  encode(): MadeFrame
  state(): BakeState
}

/** A run whose frames are made each by itself. */
export interface FrameBaker {
  frame(frame: number, inputs: readonly InputFrame[]): Promise<MadeFrame>
}

/** What a run whose frames are made together tells and asks while it is made. */
export interface WholeRun {
  /** Frames that are kept already. */
  have: ReadonlySet<number>
  /** A kept frame of whatever run by the key of all that decided it. */
  kept(chain: string): Promise<Uint8Array | undefined>
  keep(frame: number, made: MadeFrame): Promise<void>
  /** Tells how far it is, 0 to 1, and lets others have the machine. Throws Cancelled where it is to stop. */
  say(share: number, what: string): Promise<void>
}
/** A run whose frames are made together, each from many. */
export interface WholeBake {
  way: 'whole'
  make(tools: BakeTools, run: WholeRun): Promise<void>
}

export type Bake =
  | WholeBake
  | {
      way: 'steps'
      /** Prepares the run, from a state where it goes on. */
      prepare(tools: BakeTools, state?: BakeState): Promise<StepBaker>
      /** Reads the small part of a state. Throws where it is none of this run's. */
      readState(done: number, small: unknown): StateReader
      /** Work of each frame, pre-roll counted, told ahead by a rough run; yields as it goes. */
      estimate?(tools: BakeTools): Generator<number>
    }
  | { way: 'frames'; prepare(tools: BakeTools): Promise<FrameBaker> }

/** Figures of a run's kept frames, by frame, as they were kept. */
export type FigureTable = ReadonlyMap<number, Readonly<Record<string, unknown>>>

/** A value per frame that a signal can follow. */
export interface Figure {
  name: string
  /** As the interface calls it, with its unit. */
  label: string
  unit: string
  /** Its value at a frame; undefined where it is not known. rate: frames a second. */
  value(table: FigureTable, frame: number, rate: number): number | undefined
}

/** What a person does to place a preset: click a place, draw a line in the set, click a set piece, draw an area on the plate; or nothing, for what has no place. */
export type PlacingTool = 'place' | 'line' | 'piece' | 'area' | 'at once'

/** Where it was placed. */
export interface PresetPlace {
  position: [number, number, number]
  /** Corners of a drawn line, from the place. */
  line?: [number, number, number][]
  piece?: string
  /** The camera that it was seen through. */
  camera?: Camera
  /** Outward direction of the surface there, unit. */
  normal?: [number, number, number]
  drawn?: { frame: number; shapes: [number, number][][] }
  /** The frame that is shown: where a burst begins. */
  frame: number
}

/** Ready settings to start from, in real sizes. */
export interface Preset {
  id: string
  name: string
  hint: string
  tool: PlacingTool
  /** A merge patch that puts it into a shot where it was placed; `id` is the new item's. */
  place(document: ItemDocument, id: string, at: PresetPlace): Record<string, unknown>
}

/** One kept frame that an instance is made from. */
export interface ShownFrame {
  /** As numbered in the run. */
  frame: number
  weight: number
  /** Seconds by which its velocity carries it; later is positive. */
  ahead: number
  /** Frames just before it that a final is made from too: what moves on from frame to frame. */
  trail?: readonly number[]
}

/** A kept run as it is shown at a frame of the plate. */
export interface EffectInstance<Look = unknown> {
  /** The item that shows it, and the one whose run it is. */
  item: string
  of: string
  frames: readonly ShownFrame[]
  place: Placement
  /** All else that decides how it looks: goes into the picture's recipe. */
  look: Look
}

/** The materials of a taken-in mesh, as one of its things has them. */
export interface WornSurface {
  blob: string
  standIn: string
  tint: readonly [number, number, number]
  roughness: number
}

/** A frame of another shot's plate, and how its levels become light. */
export interface OtherFrame {
  asset: string
  frame: number
  encoding: 'srgb' | 'rec709' | 'linear'
  curve: 'sensor' | 'clip'
  /** Whether it is wanted at its full size; else at half. */
  whole?: boolean
  /** How its colours stand to its alpha, where that is wanted as a fourth channel. */
  alpha?: 'straight' | 'premultiplied'
  /** The channels of its file that are wanted as they are, in place of its light. */
  passes?: readonly string[]
}

/** What a matte covers at a frame, and how far along the view it stands, m. */
export interface MatteAt {
  image: FloatImage
  stands?: number
}

/** What drawables are made for. */
export interface DrawContext {
  /** Light on the set that makes white 1.0, lux. */
  illuminance: number
  /** The most lights that an effect may be taken for. */
  emitters: number
  /** The camera that sees it, and how long a frame is, s. */
  camera: Camera
  seconds: number
  /** The open shutter, where there is one, and the lens where it defocuses. */
  shutter?: Shutter
  lens?: Lens
  /** The sun as it lights the shot: towards it (unit), and its share of the light on level ground. */
  sun?: { direction: Vec3; share: number }
  /** How far along the view the nearest of what is added lies at a place (shares of the picture's width and height), m; Infinity where nothing is. */
  added?(x: number, y: number): number
  /** The frame's plate as light, where something of the picture needs it. */
  plate?: FloatImage
  /** The frame of the plate that the item has on it. */
  frozen?: NonNullable<Material['plate']>
  /** The materials of a taken-in mesh, the last for triangles that have none; undefined where it is not there. */
  worn?(surface: WornSurface): readonly Material[] | undefined
  /** Shapes of 1 m across that an item is cut into; none where it is none that breaks. */
  shapes?(item: string): readonly SurfaceMesh[]
  /** The camera of another frame that one of its items is seen through, at the picture's size. */
  cameraAt?(frame: number): Camera | undefined
  /** A filmed frame as light, 3 channels of any of its sizes, with straight alpha where that was asked for; undefined where it is not there. */
  clip?(of: OtherFrame): FloatImage | undefined
  /** A matte by its id as it is at a frame, drawn so many px wide, and how far along that frame's view it stands, m; undefined where it has nothing to say. */
  matte?(id: string, frame: number, width: number): MatteAt | undefined
  /** How far along the view an item of the set is at each pixel, m, shown or not; Infinity beside it. */
  shape?(item: string): Float32Array | undefined
  /** Items that effects draw themselves now. */
  replaced?: ReadonlySet<string>
  /** A taken-in mesh as a thing of it is trimmed, in its file's units; undefined where it is not there. */
  taken?(thing: ThingItem): SurfaceMesh | undefined
  /** What runs kernels, where they may be. */
  crew?: Crew
  /** Of finals: what works out detail that is finer than what is kept, and the kept frames of a trail. */
  finer?: { crew: Crew; frame(number: number): unknown }
}

/** How an item changes the set. */
export interface SetOpening {
  /** A piece that it draws itself, and rooms (planes in the world) that are taken out of others. */
  replaces?: string
  hole?: readonly (readonly FormPlane[])[]
  /** A ground, and the upright square of it (x and z of two corners) that it draws itself. */
  ground?: string
  square?: { low: readonly [number, number]; high: readonly [number, number] }
}
/** A frame of the plate on something, which stood so then. */
export interface FrozenPlate {
  frame: number
  pose: Pose
}

/** A kind of effect: what its items are, what is computed of them, and how that looks. */
export interface Effect<Data = unknown, Look = unknown> {
  /** The kind of item whose runs it makes. */
  kind: string
  /** The station that its items are worked on at; Effects where nothing is said. */
  station?: 'Mattes' | 'Light'
  /** Whether runs are computed of an item of its kind; of all where nothing is said. */
  bakes?(item: Item): boolean
  /** Its kinds of item that are seen in the picture. */
  drawn: readonly string[]
  /** Schemas of its kinds of item, by kind: its own, and what belongs to it without a run of its own. */
  itemSchemas: Readonly<Record<string, z.ZodObject>>
  /** Of each output the version of its code: raised whenever the same recipe gives other bits. */
  versions: Readonly<Record<string, number>>
  presets: readonly Preset[]
  figures: readonly Figure[]
  /** The figures of a kept frame that the interface shows, by their names. */
  frameFigures: readonly string[]
  /** Kinds of asset that it reads. */
  assetKinds?: readonly string[]
  /** The runs of an item of its kind, in the order in which they are made; the last is what is shown. Throws LanternError naming what the item lacks. */
  resolve(document: ItemDocument, id: string, context: EffectContext): readonly Run[]
  /** What one of its items, of whatever of its kinds, shows at a frame. */
  instances(document: ItemDocument, id: string, frame: number, inputs: SignalInputs): readonly EffectInstance<Look>[]
  /** Whether an item of another of its kinds shows runs of this item, so that they are needed though it is hidden. */
  showsAgain?(item: Item, id: string): boolean
  /** What an item of its kind changes in the set at a frame. */
  opens?(document: ItemDocument, id: string, frame: number, inputs?: SignalInputs): SetOpening | undefined
  /** The frame of the plate that an item of its kind has on it, and how it stood then. */
  frozen?(document: ItemDocument, id: string, frame: number, inputs?: SignalInputs): FrozenPlate | undefined
  /** Frames of other plates that an item of its kinds shows at a frame. */
  clips?(document: ItemDocument, id: string, frame: number): readonly OtherFrame[]
  /** Frames through whose cameras an item of its kinds is seen too. */
  camerasOf?(document: ItemDocument, id: string, frame: number): readonly number[]
  /** Items of the set whose shapes an item of its kinds has, shown or not. */
  shapesOf?(item: Item): readonly string[]
  /** Mattes, and their frames, that an item of its kinds is drawn with at a frame. */
  mattesOf?(document: ItemDocument, id: string, frame: number): readonly { matte: string; frame: number }[]
  /** How a layer of such an item is best laid over the plate; over where it says nothing. */
  blend?(item: Item): 'over' | 'add' | 'multiply' | undefined
  /** Whether its light is as bright as it was filmed: the fires' exposure leaves it as it is. */
  ownExposure?: boolean
  /** Shapes of its pieces, 1 m across, for what is made of them. */
  shapes?(document: ItemDocument, id: string): readonly SurfaceMesh[]
  /** Things whose meshes an item of its kinds is drawn with, shown or not. */
  meshes?(item: Item): readonly string[]
  /** Whether an item of its kinds is drawn only before what is added. */
  onlyBeforeAdded?(item: Item): boolean
  /** Whether the look of an item of its kinds is made of the plate too. */
  usesPlate?(item: Item): boolean
  decode(bytes: Uint8Array, deflate: Deflate): Data
  /** Where something is seen of a kept frame, in the run's own space: boxes of x y z of the lower corner, then of the upper one, m. */
  extent?(data: Data): readonly number[]
  /** What the picture draws of an instance. frames: as the instance's. */
  draw(instance: EffectInstance<Look>, frames: readonly Data[], context: DrawContext): readonly Drawable[]
}

/** A run of an item, or why there is none. */
export interface ResolvedItem {
  item: string
  name: string
  kind: string
  runs: readonly Run[]
  error?: LanternError
}
