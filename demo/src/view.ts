import type { Crew } from '@lantern/core/base'
import { YARD_BYTES, type YardScene } from './scene/yardScene.ts'

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

/** Moments of one open shutter: their views and yard tables in the heap. */
export interface Moments {
  views: number
  yards: number
  count: number
}

/** A picture being drawn. */
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

/** Room for the views and the yard's tables of so many moments. */
export function newMoments(crew: Crew, count: number): Moments {
  return { views: crew.heap.alloc(VIEW_WORDS * 4 * count), yards: crew.heap.alloc(YARD_BYTES * count), count }
}

/** Sets one moment: the camera then, and the yard's table as it stands now. */
export function setMoment(
  crew: Crew,
  scene: YardScene,
  drawing: Drawing,
  moments: Moments,
  n: number,
  moment: Moment,
  lens: DrawnLens,
  seed: number,
  gain: number,
): void {
  const at = moments.views + n * VIEW_WORDS * 4
  const f = crew.heap.f32(at, VIEW_WORDS)
  f.set([
    ...moment.right,
    ...moment.up,
    ...moment.back,
    ...moment.position,
    lens.focalPx,
    drawing.width / 2,
    drawing.height / 2,
    lens.k1,
    lens.k2,
    lens.opening,
    lens.focus,
  ])
  crew.heap.i32(at, VIEW_WORDS).set([drawing.width, drawing.height, n, moments.count, seed], 19)
  f[24] = gain
  crew.heap.u8(moments.yards + n * YARD_BYTES, YARD_BYTES).set(crew.heap.u8(scene.yard, YARD_BYTES))
}

/** Draws the mean of the moments. */
export function drawMoments(crew: Crew, scene: YardScene, drawing: Drawing, moments: Moments): void {
  crew.run(
    'drawRows',
    [moments.yards, moments.views, moments.count, drawing.image, drawing.depth, scene.stacks],
    drawing.height,
    4,
  )
}
