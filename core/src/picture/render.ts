import { type Crew, type Progress, silent, stopIfCancelled } from '../base/index.ts'
import { type Camera, type FloatImage, type GasFrame, makeImage } from '../data/index.ts'
import { rotate, type Vec3 } from '../math/index.ts'
import {
  AT_HOME,
  type GasBlock,
  intoGas,
  type Placement,
  placeInGas,
  placeInWorld,
  uploadGasFrame,
} from './gasBlock.ts'
import type { Scene } from './scene.ts'

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
  frames: readonly { frame: GasFrame; weight: number; ahead: number }[]
  place?: Placement
  emitters: readonly PictureEmitter[]
  /** Plate value of a black body by temperature: from (K), step (K), four floats an entry. */
  glow: { from: number; step: number; table: Float32Array }
  /** Light that smoke scatters instead of swallowing, 0 to 1, and how much of it forward (Henyey–Greenstein g). */
  albedo: number
  forward: number
  /** m^2/kg. */
  extinctionPerSoot: number
  /** Glow of the burning itself, plate value a metre at 1 g/m^3 of burning fuel. */
  blue?: readonly [number, number, number]
}

/** Whatever an effect has the picture draw. */
export type Drawable = GasVolume

/** The plate's own light. */
export interface PlateLight {
  /** Unit, towards the sun. */
  sunDirection: Vec3
  /** Share of the illuminance on level ground that comes from the sun, 0 to 1. */
  sunShare: number
  sunColour: readonly [number, number, number]
  skyColour: readonly [number, number, number]
}

export interface PictureQuality {
  /** March step, cells. */
  step: number
  /** Pixels between points at which the light on the set is computed. */
  lightStride: number
  /** Orders of scattering, 1 to 4. */
  orders: number
  /** Moments of the open shutter that are seen; 1: the middle one alone, without blur. */
  shutterSamples: number
}

export const LOOK: PictureQuality = { step: 0.5, lightStride: 4, orders: 4, shutterSamples: 1 }
export const FINAL: PictureQuality = { step: 0.5, lightStride: 2, orders: 4, shutterSamples: 8 }

/** The open shutter: how long, s, and the camera at a share of it, 0 its opening and 1 its closing. */
export interface Shutter {
  seconds: number
  camera(share: number): Camera
}

/** The passes of one frame; colours premultiplied, in plate value at exposure 0. */
export interface Passes {
  fire: FloatImage
  /** r g b lit by sun and sky, alpha. */
  smoke: FloatImage
  /** r g b that the fire adds to the smoke. */
  smokeLight: FloatImage
  /** r g b: the fire's light on the set, as share of the plate's white light. */
  light: FloatImage
  /** Share of the plate's own light that the smoke lets through to the set. */
  shadow: FloatImage
  /** Distance to the set along the view axis, m; 0 where there is none. */
  depth: FloatImage
  /** Metres of heated air that are looked through, each counted by how much thinner it is than the air: what shimmers. */
  heat: FloatImage
}

const FAR = 1e29
const GROUND_BOUNCE = 0.18

function uploadCamera(crew: Crew, camera: Camera): number {
  const pointer = crew.heap.alloc(17 * 4)
  const right = rotate(camera.rotation, [1, 0, 0])
  const up = rotate(camera.rotation, [0, 1, 0])
  const forward = rotate(camera.rotation, [0, 0, -1])
  crew.heap
    .f32(pointer, 17)
    .set([...camera.position, ...right, ...up, ...forward, camera.focalPx, ...camera.centre, camera.k1, camera.k2])
  return pointer
}

function uploadEmitters(crew: Crew, emitters: readonly PictureEmitter[]): number {
  const pointer = crew.heap.alloc(Math.max(1, emitters.length) * 32)
  const floats = crew.heap.f32(pointer, emitters.length * 8)
  emitters.forEach((emitter, n) => floats.set([...emitter.at, ...emitter.intensity, emitter.radius, 0], n * 8))
  return pointer
}

function uploadLook(crew: Crew, gas: GasVolume, light: PlateLight, orders: number): number {
  const table = crew.heap.alloc(gas.glow.table.byteLength)
  crew.heap.f32(table, gas.glow.table.length).set(gas.glow.table)
  const pointer = crew.heap.alloc(76)
  const floats = crew.heap.f32(pointer, 19)
  const words = crew.heap.i32(pointer, 19)
  // Value that a white surface square to the sun would have, from the sun's share of level ground's light; held where it stands so low that the division would blow up.
  const normal = light.sunShare / Math.max(0.1, light.sunDirection[1])
  const sky = light.skyColour.map((part) => part * 0.5 * (1 - light.sunShare + GROUND_BOUNCE))
  floats.set([
    gas.albedo,
    gas.forward,
    ...light.sunColour.map((part) => part * normal),
    ...sky,
    ...light.sunDirection,
    0,
    gas.glow.from,
    1 / gas.glow.step,
  ])
  words[11] = orders
  words.set([gas.glow.table.length / 4, table], 14)
  floats.set(gas.blue ?? [0, 0, 0], 16)
  return pointer
}

/** A gas laid out: a block for every frame that it is blended from, its emitters in its own space and in the world. */
interface LaidGas {
  gas: GasVolume
  place: Placement
  blocks: GasBlock[]
}

function uploadGas(crew: Crew, gas: GasVolume, light: PlateLight, quality: PictureQuality): LaidGas {
  const place = gas.place ?? AT_HOME
  const look = uploadLook(crew, gas, light, quality.orders)
  const blocks = gas.frames.map(({ frame, weight, ahead }) => {
    const laid = uploadGasFrame(crew, frame, {
      extinctionPerSoot: gas.extinctionPerSoot,
      weight,
      ahead,
      place,
      moves: quality.shutterSamples > 1 || ahead !== 0,
      burns: (gas.blue?.[2] ?? 0) > 0,
    })
    crew.heap.i32(laid.block, 40)[39] = look
    return laid
  })
  return { gas, place, blocks }
}

const inWorld = (place: Placement, emitters: readonly PictureEmitter[]): PictureEmitter[] =>
  emitters.map(({ at, intensity, radius }) => ({
    at: placeInWorld(place, at),
    intensity: intensity.map((part) => part * place.scale ** 2) as [number, number, number],
    radius: radius * place.scale,
  }))
const inGas = (place: Placement, emitters: readonly PictureEmitter[]): PictureEmitter[] =>
  emitters.map(({ at, intensity, radius }) => ({
    at: placeInGas(place, at),
    intensity: intensity.map((part) => part / place.scale ** 2) as [number, number, number],
    radius: radius / place.scale,
  }))

/** A list of blocks for the kernels. */
function uploadList(crew: Crew, blocks: readonly GasBlock[]): number {
  const list = crew.heap.alloc(Math.max(1, blocks.length) * 4)
  crew.heap.i32(list, blocks.length).set(blocks.map(({ block }) => block))
  return list
}

/** Surface points at every `stride`-th pixel, for relight. Wanted only where a receiving piece shows. */
function surfacePoints(
  scene: Scene,
  camera: Camera,
  surfaces: Float32Array,
  triangles: Int32Array,
  stride: number,
  rays: (x: number, y: number) => Vec3,
): { points: Float32Array; columns: number; rows: number } {
  const columns = Math.ceil(camera.width / stride) + 1
  const rows = Math.ceil(camera.height / stride) + 1
  const points = new Float32Array(columns * rows * 8)
  for (let r = 0; r < rows; r++)
    for (let c = 0; c < columns; c++) {
      const x = Math.min(camera.width - 1, c * stride)
      const y = Math.min(camera.height - 1, r * stride)
      const pixel = y * camera.width + x
      const triangle = triangles[pixel * 2 + 1] ?? -1
      const piece = scene.pieces[scene.pieceOf[triangle] ?? -1]
      if (triangle < 0 || !piece?.receives) continue
      const distance = surfaces[pixel * 2] ?? 0
      const along = rays(x + 0.5, y + 0.5)
      const n = scene.normals[triangle] ?? [0, 1, 0]
      const facing = along[0] * n[0] + along[1] * n[1] + along[2] * n[2] > 0 ? -1 : 1
      points.set(
        [
          camera.position[0] + along[0] * distance,
          camera.position[1] + along[1] * distance,
          camera.position[2] + along[2] * distance,
          0,
          n[0] * facing,
          n[1] * facing,
          n[2] * facing,
          1,
        ],
        (r * columns + c) * 8,
      )
    }
  return { points, columns, rows }
}

/** Spreads light from the sparse points to all pixels: bilinear among the points that lie on the same piece. */
function spreadLight(
  scene: Scene,
  camera: Camera,
  triangles: Int32Array,
  sparse: Float32Array,
  columns: number,
  stride: number,
  light: Float32Array,
  shadow: Float32Array,
): void {
  const { width, height } = camera
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const pixel = y * width + x
      const piece = scene.pieceOf[triangles[pixel * 2 + 1] ?? -1] ?? -1
      shadow[pixel] = 1
      if (!scene.pieces[piece]?.receives) continue
      const c = Math.floor(x / stride)
      const r = Math.floor(y / stride)
      const fx = x / stride - c
      const fy = y / stride - r
      let weight = 0
      let [red, green, blue, through] = [0, 0, 0, 0]
      for (let n = 0; n < 4; n++) {
        const px = Math.min(width - 1, (c + (n & 1)) * stride)
        const py = Math.min(height - 1, (r + (n >> 1)) * stride)
        if ((scene.pieceOf[triangles[(py * width + px) * 2 + 1] ?? -1] ?? -1) !== piece) continue
        const w = (n & 1 ? fx : 1 - fx) * (n >> 1 ? fy : 1 - fy) + 1e-4
        const o = ((r + (n >> 1)) * columns + c + (n & 1)) * 4
        weight += w
        red += w * (sparse[o] ?? 0)
        green += w * (sparse[o + 1] ?? 0)
        blue += w * (sparse[o + 2] ?? 0)
        through += w * (sparse[o + 3] ?? 0)
      }
      if (weight === 0) continue
      light[pixel * 3] = red / weight
      light[pixel * 3 + 1] = green / weight
      light[pixel * 3 + 2] = blue / weight
      shadow[pixel] = through / weight
    }
}

const rayThrough =
  (camera: Camera, straightenPixel: (x: number, y: number) => [number, number]) =>
  (x: number, y: number): Vec3 => {
    const [sx, sy] = straightenPixel(x, y)
    const d = rotate(camera.rotation, [sx, -sy, -1])
    const n = Math.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
    return [d[0] / n, d[1] / n, d[2] / n]
  }

/** The camera looking through another place of its pixels for each of so many moments, so that edges are smooth: even across, by the bit-reversed count down (Hammersley). */
function within(camera: Camera, m: number, shutterSamples: number): Camera {
  let down = 0
  for (let n = m, part = 0.5; n > 0; n >>= 1, part /= 2) if (n & 1) down += part
  return {
    ...camera,
    centre: [
      camera.centre[0] + (((m * 5) % shutterSamples) + 0.5) / shutterSamples - 0.5,
      camera.centre[1] + down + 0.5 / shutterSamples - 0.5,
    ],
  }
}

/** Takes the marched pixels (12 floats each) apart into the passes. */
function takeMarch(passes: Passes, marched: Float32Array): void {
  const pixels = passes.shadow.data.length
  const { fire, smoke, smokeLight, heat } = passes
  for (let n = 0; n < pixels; n++) {
    const m = n * 12
    for (let c = 0; c < 3; c++) {
      fire.data[n * 3 + c] = marched[m + c] ?? 0
      smoke.data[n * 4 + c] = marched[m + 4 + c] ?? 0
      smokeLight.data[n * 3 + c] = marched[m + 8 + c] ?? 0
    }
    smoke.data[n * 4 + 3] = marched[m + 3] ?? 0
    heat.data[n] = marched[m + 11] ?? 0
  }
}

/** What one frame's passes are rendered from. */
export interface FrameScene {
  scene: Scene
  /** Its width and height are the picture's. */
  camera: Camera
  /** px to straight normalised coordinates. */
  straightenPixel(x: number, y: number): [number, number]
  drawables: readonly Drawable[]
  light: PlateLight
  quality: PictureQuality
  /** Where it is given and the quality has several moments, gas and camera move while it is open. */
  shutter?: Shutter
}

/**
 * Renders the passes of one frame. Gases are marched together, so that they may stand in one another.
 * The heap is left as it was found. Throws Cancelled.
 */
export function renderPasses(crew: Crew, frame: FrameScene, progress: Progress = silent): Passes {
  const { scene, camera, straightenPixel, drawables: gases, light, quality, shutter } = frame
  const { heap } = crew
  const mark = heap.mark()
  const { width, height } = camera
  const pixels = width * height
  try {
    const passes: Passes = {
      fire: makeImage(width, height, 3),
      smoke: makeImage(width, height, 4),
      smokeLight: makeImage(width, height, 3),
      light: makeImage(width, height, 3),
      shadow: makeImage(width, height, 1),
      depth: makeImage(width, height, 1),
      heat: makeImage(width, height, 1),
    }
    const rays = rayThrough(camera, straightenPixel)
    const surfacesAt = heap.alloc(pixels * 8)
    const stack = heap.alloc(Math.max(height, 1) * 256 + 256)
    const trace = (seen: Camera): number => {
      const block = uploadCamera(crew, seen)
      crew.run('traceScene', [block, scene.nodes, scene.positions, scene.indices, stack, surfacesAt, width], height, 4)
      return block
    }
    // Where a piece does not hold out, gas is not stopped by it, but the light on it still counts.
    const letThrough = (found: Int32Array): void => {
      const limits = heap.f32(surfacesAt, pixels * 2)
      for (let n = 0; n < pixels; n++)
        if (found[n * 2 + 1] !== -1 && !scene.pieces[scene.pieceOf[found[n * 2 + 1] ?? -1] ?? -1]?.holdsOut)
          limits[n * 2] = 1e30
    }
    trace(camera)
    const surfaces = heap.f32(surfacesAt, pixels * 2).slice()
    const triangles = new Int32Array(surfaces.buffer)
    const forward = rotate(camera.rotation, [0, 0, -1])
    progress.report(0.1, 'set')
    for (let n = 0; n < pixels; n++) {
      if ((surfaces[n * 2] ?? FAR) >= FAR) continue
      const along = rays((n % width) + 0.5, Math.floor(n / width) + 0.5)
      passes.depth.data[n] =
        (surfaces[n * 2] ?? 0) * (along[0] * forward[0] + along[1] * forward[1] + along[2] * forward[2])
    }

    const sun = heap.alloc(12)
    const laid = gases.map((gas) => uploadGas(crew, gas, light, quality))
    const blocks = laid.flatMap((one) => one.blocks)
    const list = uploadList(crew, blocks)
    const everyone = laid.flatMap(({ place, gas }) => inWorld(place, gas.emitters))
    laid.forEach(({ gas, place, blocks: own }, n) => {
      stopIfCancelled(progress)
      const mine = inGas(place, everyone)
      const emitters = uploadEmitters(crew, mine)
      heap.f32(sun, 3).set(intoGas(place, light.sunDirection))
      for (const { block, coarse } of own)
        crew.run('lightGrid', [block, emitters, mine.length, sun, gas.albedo, quality.orders], coarse[2] + 2)
      progress.report(0.1 + (0.2 * (n + 1)) / laid.length, 'light in the gas')
    })
    const marched = heap.alloc(pixels * 48)
    const state = heap.alloc(height * Math.max(1, blocks.length) * 64 + 64)
    heap.f32(marched, pixels * 12).fill(0)
    const shutterSamples = shutter && shutter.seconds > 0 ? quality.shutterSamples : 1
    if (blocks.length > 0)
      for (let m = 0; m < shutterSamples; m++) {
        stopIfCancelled(progress)
        const share = (m + 0.5) / shutterSamples
        const block = trace(shutter && shutterSamples > 1 ? within(shutter.camera(share), m, shutterSamples) : camera)
        letThrough(heap.i32(surfacesAt, pixels * 2).slice())
        const late = (s: number): number => (shutterSamples > 1 && shutter ? (s - 0.5) * shutter.seconds : 0)
        crew.run(
          'marchGas',
          [
            block,
            list,
            blocks.length,
            state,
            quality.step,
            late(m / shutterSamples),
            late((m + 1) / shutterSamples),
            1 / shutterSamples,
            m,
            surfacesAt,
            marched,
            width,
          ],
          height,
          4,
        )
        progress.report(0.3 + (0.4 * (m + 1)) / shutterSamples, 'gas')
      }
    takeMarch(passes, heap.f32(marched, pixels * 12))

    stopIfCancelled(progress)
    const stride = quality.lightStride
    const { points, columns, rows } = surfacePoints(scene, camera, surfaces, triangles, stride, rays)
    const pointsAt = heap.alloc(points.byteLength)
    const litAt = heap.alloc(points.byteLength / 2)
    const rowStack = heap.alloc(rows * 256 + 256)
    heap.f32(pointsAt, points.length).set(points)
    heap.f32(sun, 3).set(light.sunDirection)
    const lamps = uploadEmitters(crew, everyone)
    crew.run(
      'relight',
      [
        list,
        blocks.length,
        lamps,
        everyone.length,
        sun,
        light.sunShare,
        scene.nodes,
        scene.positions,
        scene.indices,
        rowStack,
        pointsAt,
        litAt,
        columns,
      ],
      rows,
    )
    const lit = heap.f32(litAt, points.length / 2).slice()
    progress.report(0.95, 'light on the set')
    spreadLight(scene, camera, triangles, lit, columns, stride, passes.light.data, passes.shadow.data)
    progress.report(1, 'done')
    return passes
  } finally {
    heap.release(mark)
  }
}
