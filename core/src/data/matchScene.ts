import type { Vec3 } from '../math/index.ts'
import type { Camera } from './camera.ts'
import type { Track } from './track.ts'

/** A match as it goes out to other programs: everything in our world (Y up, metres), frames as numbered in the plate. */
export interface MatchScene {
  name: string
  /** Frames a second. */
  rate: number
  cameras: { frame: number; camera: Camera }[]
  /** Solved points by their track, and how far off each lands, px. */
  points: { track: number; at: Vec3; px: number }[]
  tracks: { track: Track; name: string }[]
  /** First frame of the plate: tracks count from it. */
  first: number
  /** Test objects as triangles. */
  objects: { name: string; positions: Vec3[]; triangles: [number, number, number][] }[]
}
