import type { ShotDocument } from '@lantern/core/shot'
import type { GrainLaw } from '@lantern/core/sit'
import type { Camera, FloatImage } from '@lantern/core/data'

/** What a frame is laid from: kept passes by their result, kept gas (keys in the roster's order) or thin gas rendered here, or the bare plate. */
export type PassSource = { kind: 'kept'; key: string } | { kind: 'gas'; camera: Camera; keys: string[] } | { kind: 'thin'; camera: Camera } | { kind: 'none' }

export interface ComposeRequest {
  what: 'compose'
  id: number
  frame: number
  document: ShotDocument
  grain: GrainLaw
  source: PassSource
  size: 'half' | 'quarter'
  exposure: number
  way: 'plain' | 'soft'
}
export interface ThinRequest {
  what: 'thin'
  /** Key of the thin recipe; a newer request ends an older one. */
  key: string
  item: string
  document: ShotDocument
  frames: number
}
export interface ProbeRequest {
  what: 'probe'
  id: number
  x: number
  y: number
}
export type LookRequest = ComposeRequest | ThinRequest | ProbeRequest | { what: 'hash'; id: number; threads: number } | { what: 'linear'; id: number }

export type LookReply =
  | { what: 'here' }
  | { what: 'composed'; id: number; frame: number; width: number; height: number; added: Uint8Array; bare: Uint8Array; milliseconds: number }
  | { what: 'thin-frame'; key: string; item: string; frame: number; heatKw: number; of: number; milliseconds: number }
  | { what: 'thin-done'; key: string; item: string }
  | { what: 'probed'; id: number; rgb: [number, number, number] }
  | { what: 'linear'; id: number; image: FloatImage }
  | { what: 'hashed'; id: number; hash: string; threads: number }
  | { what: 'failed'; id?: number; message: string; remedy: string }
