import type { Crew } from '@lantern/core/base'
import type { Vec3 } from '@lantern/core/math'
import type { Parts } from './builder.ts'
import { type LaidScene, uploadScene } from './memory.ts'
import { DRUM, DRUM_SIZE } from './places.ts'
import { type Sky, skyPicture } from './sky.ts'

// Fields of the kernels' Yard, in its order (kernels/assembly/yard/yard.ts). i: whole number or pointer, f: f32.
const FIELDS = {
  nodes: 'i',
  triangles: 'i',
  vertices: 'i',
  charts: 'i',
  sky: 'i',
  skyWidth: 'i',
  skyHeight: 'i',
  movingNodes: 'i',
  movingTriangles: 'i',
  movingVertices: 'i',
  balls: 'i',
  ballCount: 'i',
  roundX: 'f',
  roundY: 'f',
  roundZ: 'f',
  roundR: 'f',
  sunX: 'f',
  sunY: 'f',
  sunZ: 'f',
  sunSpread: 'f',
  sunR: 'f',
  sunG: 'f',
  sunB: 'f',
  flameX: 'f',
  flameY: 'f',
  flameZ: 'f',
  flameLength: 'f',
  flameRadius: 'f',
  flameR: 'f',
  flameG: 'f',
  flameB: 'f',
  flameNow: 'f',
  lampX: 'f',
  lampY: 'f',
  lampZ: 'f',
  lampRadius: 'f',
  lampR: 'f',
  lampG: 'f',
  lampB: 'f',
  airR: 'f',
  airG: 'f',
  airB: 'f',
  airLoss: 'f',
} as const
export type YardField = keyof typeof FIELDS
const NAMES = Object.keys(FIELDS) as YardField[]
const WORDS = NAMES.length
export const YARD_BYTES = WORDS * 4

/** The brazier's flame as a light: radiant intensity / pi at its mean strength, where white in the open is about 1. */
export const FLAME_LIGHT: Vec3 = [0.95, 0.27, 0.035]
const FLAME_LENGTH = 0.75

export interface YardScene extends LaidScene {
  yard: number
  stacks: number
  set: (values: Partial<Record<YardField, number>>) => void
}

export interface LightPlan {
  /** Rays a texel in the last pass and in the coarse ones. */
  rays: number
  coarseRays: number
  passes: number
  flame: boolean
}
export const FULL_LIGHT: LightPlan = { rays: 20, coarseRays: 40, passes: 3, flame: true }

const COARSE_LEVEL = 3
const STACK_BYTES = 1024
const MOST_ROWS = 4096

const setter =
  (crew: Crew, yard: number) =>
  (values: Partial<Record<YardField, number>>): void => {
    for (const [name, value] of Object.entries(values) as [YardField, number][]) {
      const at = NAMES.indexOf(name)
      if (FIELDS[name] === 'i') crew.heap.i32(yard, WORDS)[at] = value
      else crew.heap.f32(yard, WORDS)[at] = value
    }
  }

/** Lays the scene and its sky in the crew's heap, not yet lit. */
export function uploadYard(
  crew: Crew,
  parts: Parts,
  sky: Sky,
  skyWidth: number,
  flame: boolean,
  say?: (text: string) => void,
): YardScene {
  const yard = crew.heap.alloc(WORDS * 4)
  crew.heap.i32(yard, WORDS).fill(0)
  const scene = uploadScene(crew, parts, say)
  const picture = skyPicture(sky, skyWidth)
  const skyAt = crew.heap.alloc(picture.byteLength)
  crew.heap.f32(skyAt, picture.length).set(picture)
  const stacks = crew.heap.alloc(MOST_ROWS * STACK_BYTES)
  const set = setter(crew, yard)
  const [r, g, b] = flame ? FLAME_LIGHT : [0, 0, 0]
  set({
    nodes: scene.tree.nodes,
    triangles: scene.tree.triangles,
    vertices: scene.vertices,
    charts: scene.charts,
    sky: skyAt,
    skyWidth,
    skyHeight: skyWidth / 2,
    sunX: sky.sun[0],
    sunY: sky.sun[1],
    sunZ: sky.sun[2],
    sunSpread: sky.spread,
    sunR: sky.sunLight[0],
    sunG: sky.sunLight[1],
    sunB: sky.sunLight[2],
    flameX: DRUM[0],
    flameY: DRUM_SIZE.height + 0.02,
    flameZ: DRUM[2],
    flameLength: FLAME_LENGTH,
    flameRadius: 0.2,
    flameR: r,
    flameG: g,
    flameB: b,
    flameNow: 1,
    airR: sky.air.colour[0],
    airG: sky.air.colour[1],
    airB: sky.air.colour[2],
    airLoss: sky.air.loss,
  })
  return { ...scene, yard, stacks, set }
}

/** A scene whose heap was put back from a file: the same pointers, the same set. */
export const heldYard = (crew: Crew, kept: Omit<YardScene, 'set'>): YardScene => ({
  ...kept,
  set: setter(crew, kept.yard),
})

const VERTICES_A_CHUNK = 512

/** Lights vertices that lie at `pointer`, twice where they light one another. */
export function lightMesh(
  crew: Crew,
  scene: YardScene,
  pointer: number,
  count: number,
  rays: number,
  moving: boolean,
): void {
  // Each chunk of vertices has its own stack.
  const stacks = Math.ceil(count / VERTICES_A_CHUNK)
  if (stacks > MOST_ROWS) throw new Error(`${count} vertices need more than ${MOST_ROWS} stacks`)
  crew.run(
    'lightVertices',
    [scene.yard, pointer, rays, COARSE_LEVEL, 77, scene.stacks, moving ? 1 : 0, VERTICES_A_CHUNK],
    count,
    VERTICES_A_CHUNK,
  )
  crew.run('takeVertices', [pointer], count, VERTICES_A_CHUNK)
}

/** Lights everything that stands: several coarse passes in which light goes on from surface to surface, then one at full fineness that gathers from them. */
export function lightYard(
  crew: Crew,
  scene: YardScene,
  plan: LightPlan,
  say: (share: number) => void = () => undefined,
): void {
  const halve = (chart: LaidScene['list'][number], from: number, lightOnly: boolean): void => {
    for (let level = from; level < chart.levels; level++)
      crew.run('halveChart', [scene.yard, chart.index, level, lightOnly ? 1 : 0], Math.max(1, chart.height >> level), 8)
  }
  for (const chart of scene.list) halve(chart, 1, false)
  for (let pass = 0; pass < plan.passes; pass++) {
    for (const chart of scene.list) {
      const level = Math.min(COARSE_LEVEL, chart.levels - 2)
      if (level < 0) continue
      crew.run(
        'lightChart',
        [scene.yard, chart.index, level, plan.coarseRays, COARSE_LEVEL + 1, 11 + pass, scene.stacks],
        Math.max(1, chart.height >> level),
        1,
      )
    }
    for (const chart of scene.list) halve(chart, Math.min(COARSE_LEVEL, Math.max(0, chart.levels - 2)) + 1, true)
    lightMesh(
      crew,
      scene,
      scene.vertices,
      scene.vertexCount,
      pass === plan.passes - 1 ? plan.rays : Math.ceil(plan.coarseRays / 4),
      false,
    )
  }
  const all = scene.list.reduce((sum, chart) => sum + chart.width * chart.height, 0)
  let done = 0
  for (const chart of scene.list) {
    crew.run('lightChart', [scene.yard, chart.index, 0, plan.rays, COARSE_LEVEL, 5, scene.stacks], chart.height, 2)
    done += chart.width * chart.height
    say(done / all)
  }
  for (const chart of scene.list) halve(chart, 1, true)
}
