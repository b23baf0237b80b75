import type { Crew } from '@lantern/core/base'
import { focalPx, momentOf, type PlateSpec } from './cameras.ts'
import { meshTriangles, uploadTree, uploadVertices } from './scene/memory.ts'
import { FLAME_LIGHT, lightMesh, type YardScene } from './scene/yardScene.ts'
import { type Drawing, drawMoments, newMoments, setMoment } from './view.ts'
import { type Walk, worker } from './worker.ts'

/** The lantern's intensity over pi where white is 1, and how bright its glass looks. */
const LANTERN: readonly [number, number, number] = [0.15, 0.083, 0.03]
const GLASS: readonly [number, number, number] = [9, 4.6, 1.5]
const WORKER_RAYS = 72

/** Stands the worker in the scene at a time; lit: the light of the whole frame's figure, taken over by its moments. */
function standWorker(
  crew: Crew,
  scene: YardScene,
  walk: Walk,
  time: number,
  lit: Float32Array | undefined,
): Float32Array {
  const figure = worker(walk, time)
  const { pointer, count } = uploadVertices(crew, figure.mesh)
  const tree = uploadTree(crew, meshTriangles(figure.mesh))
  const balls = crew.heap.alloc(figure.balls.length * 16)
  crew.heap.f32(balls, figure.balls.length * 4).set(figure.balls.flat())
  const [x, , z] = figure.balls[4] ?? [0, 0, 0]
  scene.set({
    movingNodes: tree.nodes,
    movingTriangles: tree.triangles,
    movingVertices: pointer,
    balls,
    ballCount: figure.balls.length,
    roundX: x,
    roundY: 0.92,
    roundZ: z,
    roundR: 1.25,
    lampX: figure.lantern[0],
    lampY: figure.lantern[1],
    lampZ: figure.lantern[2],
    lampRadius: 0.035,
    lampR: LANTERN[0],
    lampG: LANTERN[1],
    lampB: LANTERN[2],
  })
  const floats = crew.heap.f32(pointer, count * 32)
  if (lit) {
    for (let n = 0; n < count; n++) floats.set(lit.subarray(n * 9, n * 9 + 9), n * 32 + 11)
    return lit
  }
  lightMesh(crew, scene, pointer, count, 16, true)
  lightMesh(crew, scene, pointer, count, WORKER_RAYS, true)
  const light = new Float32Array(count * 9)
  for (let n = 0; n < count; n++) {
    const glows = n >= figure.glowFrom && n < figure.glowTo
    for (let c = 0; c < 9; c++)
      light[n * 9 + c] = glows ? (c < 3 ? (GLASS[c] ?? 0) * 2 : 0) : (floats[n * 32 + 11 + c] ?? 0)
  }
  return light
}

/** Draws the scene light of one frame of a plate into the drawing (no flame, no lens yet). flame: the brazier's red light this frame. */
export function shoot(
  crew: Crew,
  scene: YardScene,
  drawing: Drawing,
  spec: PlateSpec,
  seed: number,
  frame: number,
  flame: number,
): void {
  const mark = crew.heap.mark()
  const middle = (frame - spec.first) / spec.rate
  const open = spec.shutter / spec.rate
  scene.set({ flameNow: flame / FLAME_LIGHT[0], movingNodes: 0, ballCount: 0, lampR: 0, lampG: 0, lampB: 0 })
  const lit = spec.worker ? standWorker(crew, scene, spec.worker, middle, undefined) : undefined
  const lens = {
    focalPx: focalPx(spec),
    k1: spec.lens.k1,
    k2: spec.lens.k2,
    opening: (0.001 * spec.lens.focalMm) / spec.lens.fStop / 2,
    focus: spec.lens.focus,
  }
  const moments = newMoments(crew, spec.slices)
  for (let slice = 0; slice < spec.slices; slice++) {
    const time = middle + open * ((slice + 0.5) / spec.slices - 0.5)
    if (spec.worker) standWorker(crew, scene, spec.worker, time, lit)
    setMoment(crew, scene, drawing, moments, slice, momentOf(spec, time, seed), lens, spec.seed * 7919 + frame, 1)
  }
  drawMoments(crew, scene, drawing, moments)
  crew.heap.release(mark)
}
