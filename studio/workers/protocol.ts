import type { Camera, FloatImage } from '@lantern/core/data'
import type { BreakSettings } from '@lantern/core/effects/breaking'
import type { GasSettings } from '@lantern/core/gas'
import type {
  CheckedLay,
  CheckInputs,
  FrameCheck,
  MatteWorld,
  PictureFrame,
  SlideInputs,
  StackExtras,
} from '@lantern/core/pipeline'
import type { ShotDocument } from '@lantern/core/shot'
import type { GrainLaw } from '@lantern/core/sit'

/** What shows at a frame, without what reads signals: the document that goes with it is settled. */
export type SettledFrame = Omit<PictureFrame, 'inputs'>

/** What a frame is laid from: kept passes by their result, gas rendered here (kept where there is a result's key for it, else drafts, by the drafts’ keys in `drafts`), or the bare plate. */
export type PassSource =
  | { kind: 'kept'; key: string }
  | { kind: 'runs'; at: SettledFrame; keys: Record<string, string>; drafts: Record<string, string> }
  | { kind: 'none' }

export interface ComposeRequest {
  what: 'compose'
  id: number
  frame: number
  document: ShotDocument
  grain: GrainLaw
  /** What its stack has from beside the document. */
  extras: StackExtras
  /** What the mattes that cut its layers are drawn from: the plate's camera, what they have from beside the document, and their kept runs by item. */
  cuts?: { camera: Camera; world: MatteWorld; keys: Readonly<Record<string, string>> }
  /** What the motions are found from that it is drawn out along: its shutter, the frame beside, and that one's kept picture. */
  motion?: { shutter: number; frame: number; after: boolean; key?: string; plate: boolean }
  source: PassSource
  size: 'full' | 'half' | 'quarter'
  exposure: number
  /** Only this part, in shares of the picture, as the final has it. */
  region?: { x: number; y: number; width: number; height: number }
  /** Only what light adds to it: one light's share. */
  dark?: boolean
}
export interface DraftRequest {
  what: 'draft'
  /** Key of the draft recipe; a newer request ends an older one. */
  key: string
  item: string
  settings: GasSettings
  /** The same made finer, burnt after the first draft while a person watches; none where it would be no finer. */
  finer?: GasSettings
  /** The run's first frame as numbered in the plate, frames a second, and how many of them are burnt. */
  first: number
  rate: number
  frames: number
}
/** A draft run of something that breaks. */
export interface DraftBreakRequest {
  what: 'draft-break'
  key: string
  item: string
  /** The shot, whose meshes it asks for. */
  shot: string
  settings: BreakSettings
  first: number
  frames: number
}
/** What a frame is laid from. */
export type LaidFrom = Omit<ComposeRequest, 'what' | 'id'>
export interface ProbeRequest {
  what: 'probe'
  id: number
  /** The frame that is read. */
  of?: LaidFrom
  x: number
  y: number
}
/** Checks a frame: how each layer sits in the plate. area: beside the effect, px of the full plate at this frame. */
export interface CheckRequest {
  what: 'check'
  id: number
  of: LaidFrom
  area?: CheckedLay['area']
  /** Layers' own areas, by lay. */
  areas: Readonly<Record<string, CheckedLay['area']>>
  /** Share of a frame's time with the plate's shutter open, where it was measured. */
  shutter?: number
  /** What slides are told from; key: of the other frame's kept picture. */
  slide?: Omit<SlideInputs, 'other' | 'standing'> & {
    other: { camera: Camera; frame: number; key?: string }
    standing: readonly string[]
  }
  speeds?: CheckInputs['speeds']
}
export type LookRequest =
  | ComposeRequest
  | DraftRequest
  | DraftBreakRequest
  | ProbeRequest
  | CheckRequest
  | { what: 'cancel-draft'; item: string }
  | { what: 'hash'; id: number; threads: number }
  | { what: 'linear'; id: number; of?: LaidFrom }

/** What the worker says. `passing`: laid of other burns than were asked for, so not to be kept as what was asked for. */
export type LookReply =
  | { what: 'here' }
  | {
      what: 'composed'
      id: number
      frame: number
      width: number
      height: number
      added: Uint8Array
      bare: Uint8Array
      milliseconds: number
      passing: boolean
      /** How bright its flame is before any exposure, times white. */
      flame?: number
      /** Layers that hold no numbers and were left out. */
      spoiled?: string
    }
  | {
      what: 'draft-frame'
      key: string
      item: string
      frame: number
      heatKw: number
      height: number
      axialFlameLength: number
      baseBuoyancy: number
      of: number
      milliseconds: number
      cell: number
      finer: boolean
    }
  | {
      what: 'draft-pieces'
      key: string
      item: string
      frame: number
      of: number
      pieces: number
      moving: number
      energy: number
      fastest: number
      missed: readonly string[]
      milliseconds: number
    }
  | { what: 'draft-done'; key: string; item: string }
  | { what: 'checked'; id: number; check: FrameCheck }
  | { what: 'probed'; id: number; rgb: [number, number, number] }
  | { what: 'linear'; id: number; image: FloatImage }
  | { what: 'hashed'; id: number; hash: string; breaks: string; threads: number }
  | { what: 'failed'; id?: number; message: string; remedy: string }
