import type { Crew } from '@lantern/core/base'
import type { YardScene } from './scene/yardScene.ts'

/** One moment of a camera: a world-from-camera turn as its three axes, and its lens. */
export interface Moment {
  position: readonly [number, number, number]
  right: readonly [number, number, number]
  up: readonly [number, number, number]
  back: readonly [number, number, number]
}
export interface DrawnLens {
  focalPx: number
  k1: number
  k2: number
  /** Radius of the opening and distance in focus, m. */
  opening: number
  focus: number
}

const VIEW_WORDS = 25

/** A picture being drawn: moments of the open shutter add up in it. */
export interface Drawing {
  image: number
  depth: number
  width: number
  height: number
}

export function newDrawing(crew: Crew, width: number, height: number): Drawing {
  const image = crew.heap.alloc(width * height * 12)
  const depth = crew.heap.alloc(width * height * 4)
  return { image, depth, width, height }
}

/** Adds one moment of `slices` to the drawing; slice 0 clears it first. */
export function drawMoment(crew: Crew, scene: YardScene, view: number, drawing: Drawing, moment: Moment, lens: DrawnLens, slice: number, slices: number, seed: number, gain: number): void {
  const { width, height } = drawing
  if (slice === 0) crew.heap.f32(drawing.image, width * height * 3).fill(0)
  const f = crew.heap.f32(view, VIEW_WORDS)
  const i = crew.heap.i32(view, VIEW_WORDS)
  f.set([...moment.right, ...moment.up, ...moment.back, ...moment.position, lens.focalPx, width / 2, height / 2, lens.k1, lens.k2, lens.opening, lens.focus])
  i.set([width, height, slice, slices, seed], 19)
  f[24] = gain
  crew.run('drawRows', [scene.yard, view, drawing.image, drawing.depth, scene.stacks], height, 4)
}

export const newView = (crew: Crew): number => crew.heap.alloc(VIEW_WORDS * 4)
