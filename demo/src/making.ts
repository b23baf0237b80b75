import {
  closeSync,
  existsSync,
  mkdirSync,
  openSync,
  readFileSync,
  readSync,
  renameSync,
  statSync,
  writeSync,
} from 'node:fs'
import { join } from 'node:path'
import type { Crew } from '@lantern/core/base'
import type { Camera } from '@lantern/core/data'
import { readGasFrame, writeGasFrame } from '@lantern/core/formats'
import { BRAZIER_GAS, burn, FLAME_EXPOSURE, flameLight, pictureFlame } from './brazier.ts'
import { focalPx, momentOf, type PlateSpec, quaternionOf } from './cameras.ts'
import { gasCrew, yardCrew } from './crew.ts'
import { keep, keepFloats, keyOf } from './made.ts'
import { yardParts } from './scene/parts.ts'
import { duskSky, rainSky } from './scene/sky.ts'
import { heldYard, type LightPlan, lightYard, uploadYard, type YardScene } from './scene/yardScene.ts'
import { shoot } from './shoot.ts'
import { type Drawing, newDrawing } from './view.ts'

/** How a making goes: where things are kept, on how many threads, how finely, and who is told. */
export interface Making {
  cache: string
  threads: number
  /** Share of the scene's full fineness. */
  detail: number
  light: LightPlan
  /** Frames that the brazier burns. */
  burnFrames: number
  /** Seconds that a piece of work is thought to take; `done` is told as pieces end. */
  say: (text: string, done: number) => void
}

/** What pieces of work cost on two threads, s: only for the time left. */
export const COST = { bake: 400, burn: 1.5, frame: 8, layer: 1, develop: 0.3 } as const

const SCENE_SOURCES = ['demo/src/scene', 'kernels/assembly/yard']
// The product's gas and picture: named, so that other kernels can change without a new burn.
const kernel = (name: string): string => `kernels/assembly/${name}.ts`
const GAS_SOURCES = [
  'demo/src/brazier.ts',
  'core/src/gas',
  'core/src/light',
  ...['grid', 'advect', 'combust', 'pressure', 'gaslight'].map(kernel),
]
const FLAME_SOURCES = [
  'demo/src/brazier.ts',
  'demo/src/cameras.ts',
  'core/src/picture',
  'core/src/light',
  ...['view', 'walk', 'gasAlong', 'tile', 'solids', 'gaslight'].map(kernel),
]
const BLOCK = 1 << 26
const WEATHER = { dusk: { water: -0.019, film: 0 }, rain: { water: -0.017, film: 0.85 } } as const
const SKY_WIDTH = 2048
const LEAST_SKY_WIDTH = 128
/** Pixels round the sky's picture: fewer where the yard is made less finely. */
const skyWidthOf = (detail: number): number =>
  Math.max(LEAST_SKY_WIDTH, 2 * Math.round((SKY_WIDTH / 2) * Math.min(1, detail)))
/** Distances are kept for every so many frames, for the figures. */
export const DEPTH_EVERY = 20
export const BURN_FRAMES = 158

/** The scene of a day, lit: put back from its file, or laid and lit and kept. */
export function litYard(making: Making, day: PlateSpec['day']): { crew: Crew; scene: YardScene } {
  const skyWidth = skyWidthOf(making.detail)
  const key = keyOf(SCENE_SOURCES, [day, making.detail, making.light, WEATHER[day], skyWidth])
  const path = join(making.cache, `yard-${day}-${key}`)
  const crew = yardCrew(making.threads)
  const base = crew.heap.alloc(64)
  if (existsSync(`${path}.json`)) {
    const kept = JSON.parse(readFileSync(`${path}.json`, 'utf8')) as Omit<YardScene, 'set'> & { base: number }
    const bytes = statSync(`${path}.heap`).size
    if (kept.base === base) {
      crew.heap.alloc(bytes)
      const file = openSync(`${path}.heap`, 'r')
      const block = Buffer.alloc(BLOCK)
      for (let at = 0; at < bytes; ) {
        const got = readSync(file, block, 0, Math.min(BLOCK, bytes - at), at)
        crew.heap.u8(base + at, got).set(block.subarray(0, got))
        at += got
      }
      closeSync(file)
      making.say(`yard, ${day}: taken from before`, COST.bake)
      return { crew, scene: heldYard(crew, kept) }
    }
  }
  const sky = day === 'dusk' ? duskSky() : rainSky()
  const scene = uploadYard(crew, yardParts(WEATHER[day], making.detail), sky, skyWidth, true)
  making.say(`yard, ${day}: ${scene.triangleCount} triangles laid`, COST.bake * 0.25)
  let told = 0
  lightYard(crew, scene, making.light, (share) => {
    if (share - told < 0.05 && share < 1) return
    making.say(`yard, ${day}: ${Math.round(share * 100)} % lit`, COST.bake * 0.75 * (share - told))
    told = share
  })
  mkdirSync(making.cache, { recursive: true })
  const end = crew.heap.mark()
  const file = openSync(`${path}.heap.part`, 'w')
  for (let at = base; at < end; at += BLOCK) writeSync(file, Buffer.from(crew.heap.u8(at, Math.min(BLOCK, end - at))))
  closeSync(file)
  renameSync(`${path}.heap.part`, `${path}.heap`)
  const { set: _, ...plain } = scene
  keep(`${path}.json`, JSON.stringify({ ...plain, base }))
  return { crew, scene }
}

/** The brazier's run, kept: frames as bytes, and each frame's light. */
export interface Brazier {
  key: string
  frame: (n: number) => Uint8Array
  lights: [number, number, number][]
}

/** The brazier's gas over BURN_FRAMES frames: taken from before, or burnt and kept. */
export function burntBrazier(making: Making, rate: number): Brazier {
  const key = keyOf(GAS_SOURCES, [BRAZIER_GAS, FLAME_EXPOSURE, rate, making.burnFrames])
  const folder = join(making.cache, `brazier-${key}`)
  const path = (n: number): string => join(folder, `${String(n).padStart(4, '0')}.clgf`)
  const lightsPath = join(folder, 'lights.json')
  if (!existsSync(lightsPath)) {
    const crew = gasCrew(making.threads)
    const lights: [number, number, number][] = []
    burn(crew, making.burnFrames, rate, (n, frame) => {
      keep(path(n), writeGasFrame(frame))
      lights.push(flameLight(frame).light)
      making.say(`brazier: ${n + 1} of ${making.burnFrames}`, COST.burn)
    })
    crew.end()
    keep(lightsPath, JSON.stringify(lights))
  } else making.say('brazier: taken from before', COST.burn * making.burnFrames)
  return {
    key,
    frame: (n) => new Uint8Array(readFileSync(path(n))),
    lights: JSON.parse(readFileSync(lightsPath, 'utf8')) as [number, number, number][],
  }
}

/** What the scene light of a plate hangs on; plates that differ in lens look or sensor alone share it. */
const specKey = (spec: PlateSpec, seed: number): unknown[] => [
  spec.width,
  spec.height,
  spec.lens,
  seed,
  spec.shutter,
  spec.slices,
  spec.worker,
  spec.rate,
  spec.flameFrom,
  spec.camera.toString(),
]

/** Folder of a plate's scene light, frame by frame. */
export function linearFolder(making: Making, spec: PlateSpec, seed: number): string {
  const key = keyOf(
    [...SCENE_SOURCES, 'demo/src/cameras.ts', 'demo/src/shoot.ts', 'demo/src/worker.ts'],
    [specKey(spec, seed), making.detail, making.light],
  )
  return join(making.cache, `linear-${key}`)
}
export const framePath = (folder: string, frame: number): string => join(folder, `${frame}.half`)

/** Whether the scene light of all these frames is kept, so that the yard itself is not needed. */
export const isDrawn = (making: Making, spec: PlateSpec, seed: number, frames: readonly number[]): boolean => {
  const folder = linearFolder(making, spec, seed)
  return frames.every((frame) => existsSync(framePath(folder, frame)))
}

/** Draws the scene light of the frames that are not kept yet. */
export function drawPlate(
  making: Making,
  yard: { crew: Crew; scene: YardScene },
  spec: PlateSpec,
  seed: number,
  frames: readonly number[],
  lights: readonly (readonly number[])[],
): string {
  const folder = linearFolder(making, spec, seed)
  const { crew, scene } = yard
  const mark = crew.heap.mark()
  const drawing: Drawing = newDrawing(crew, spec.width, spec.height)
  const cost = (COST.frame * spec.width * spec.height * spec.slices) / (1280 * 720 * 8)
  for (const frame of frames) {
    const path = framePath(folder, frame)
    if (!existsSync(path)) {
      shoot(
        crew,
        scene,
        drawing,
        spec,
        seed,
        frame,
        lights[(spec.flameFrom + frame - spec.first) % lights.length]?.[0] ?? 1,
      )
      keepFloats(
        path,
        { frame, width: spec.width, height: spec.height },
        crew.heap.f32(drawing.image, spec.width * spec.height * 3),
      )
      if ((frame - spec.first) % DEPTH_EVERY === 0)
        keepFloats(`${path}-depth`, { frame }, crew.heap.f32(drawing.depth, spec.width * spec.height))
    }
    making.say(`${spec.name}: frame ${frame}`, cost)
  }
  crew.heap.release(mark)
  return folder
}

/** The plate's camera as the product's picture takes it, for the flame's layer alone. */
export function cameraOf(spec: PlateSpec, seed: number, frame: number): Camera {
  const moment = momentOf(spec, (frame - spec.first) / spec.rate, seed)
  return {
    position: [...moment.position],
    rotation: quaternionOf(moment),
    focalPx: focalPx(spec),
    centre: [spec.width / 2, spec.height / 2],
    k1: spec.lens.k1,
    k2: spec.lens.k2,
    width: spec.width,
    height: spec.height,
  }
}

/** Pictures the brazier's flame through the plate's camera, frame by frame. */
export function flamePlate(
  making: Making,
  spec: PlateSpec,
  seed: number,
  frames: readonly number[],
  brazier: Brazier,
): string {
  const key = keyOf(FLAME_SOURCES, [specKey(spec, seed), brazier.key])
  const folder = join(making.cache, `flame-${key}`)
  const crew = gasCrew(making.threads)
  const sun = duskSky().sun
  const dusk = spec.day === 'dusk'
  for (const frame of frames) {
    const path = framePath(folder, frame)
    if (!existsSync(path)) {
      const layer = pictureFlame(
        crew,
        readGasFrame(brazier.frame((spec.flameFrom + frame - spec.first) % brazier.lights.length)),
        cameraOf(spec, seed, frame),
        { sunDirection: sun, sunShare: dusk ? 0.35 : 0, sunColour: [1.25, 0.85, 0.5], skyColour: [0.34, 0.36, 0.44] },
      )
      const { data, ...head } = layer
      keepFloats(path, head, data)
    }
    making.say(`${spec.name}: flame ${frame}`, (COST.layer * spec.width) / 1280)
  }
  crew.end()
  return folder
}
