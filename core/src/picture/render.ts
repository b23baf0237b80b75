import { type Crew, type Progress, silent, stopIfCancelled } from '../base/index.ts'
import { type Camera, type FloatImage, type GasFrame, makeImage } from '../data/index.ts'
import { rotate, type Vec3 } from '../math/index.ts'
import { type GasBlock, layGas } from './gasBlock.ts'
import type { Scene } from './scene.ts'

/** A glowing ball that stands for a part of a fire; intensity in plate value x m^2. */
export interface PictureEmitter {
  at: readonly [number, number, number]
  intensity: readonly [number, number, number]
  radius: number
}

/** One gas of the picture with all that decides how it looks. */
export interface PictureGas {
  frame: GasFrame
  emitters: readonly PictureEmitter[]
  /** Plate value of a black body by temperature: from (K), step (K), four floats an entry. */
  glow: { from: number; step: number; table: Float32Array }
  /** Light that smoke scatters instead of swallowing, 0 to 1, and how much of it forward (Henyey–Greenstein g). */
  albedo: number
  forward: number
  /** m^2/kg. */
  extinctionPerSoot: number
}

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
}

export const LOOK: PictureQuality = { step: 0.5, lightStride: 4 }
export const FINAL: PictureQuality = { step: 0.25, lightStride: 2 }

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
}

const FAR = 1e29
const GROUND_BOUNCE = 0.18

function layCamera(crew: Crew, camera: Camera): number {
  const pointer = crew.heap.alloc(17 * 4)
  const right = rotate(camera.rotation, [1, 0, 0])
  const up = rotate(camera.rotation, [0, 1, 0])
  const forward = rotate(camera.rotation, [0, 0, -1])
  crew.heap.f32(pointer, 17).set([...camera.position, ...right, ...up, ...forward, camera.focalPx, ...camera.centre, camera.k1, camera.k2])
  return pointer
}

function layEmitters(crew: Crew, emitters: readonly PictureEmitter[]): number {
  const pointer = crew.heap.alloc(Math.max(1, emitters.length) * 32)
  const floats = crew.heap.f32(pointer, emitters.length * 8)
  emitters.forEach((emitter, n) => floats.set([...emitter.at, ...emitter.intensity, emitter.radius, 0], n * 8))
  return pointer
}

function layLook(crew: Crew, gas: PictureGas, light: PlateLight, step: number): number {
  const table = crew.heap.alloc(gas.glow.table.byteLength)
  crew.heap.f32(table, gas.glow.table.length).set(gas.glow.table)
  const pointer = crew.heap.alloc(64)
  const floats = crew.heap.f32(pointer, 16)
  // Value that a white surface square to the sun would have, from the sun's share of level ground's light; held where it stands so low that the division would blow up.
  const normal = light.sunShare / Math.max(0.1, light.sunDirection[1])
  const sky = light.skyColour.map((part) => part * 0.5 * ((1 - light.sunShare) + GROUND_BOUNCE))
  floats.set([gas.albedo, gas.forward, ...light.sunColour.map((part) => part * normal), ...sky, ...light.sunDirection, step, gas.glow.from, 1 / gas.glow.step])
  crew.heap.i32(pointer, 16).set([gas.glow.table.length / 4, table], 14)
  return pointer
}

/** Surface points at every `stride`-th pixel, for relight. Wanted only where a receiving piece shows. */
function surfacePoints(scene: Scene, camera: Camera, surfaces: Float32Array, triangles: Int32Array, stride: number, rays: (x: number, y: number) => Vec3): { points: Float32Array; columns: number; rows: number } {
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
        [camera.position[0] + along[0] * distance, camera.position[1] + along[1] * distance, camera.position[2] + along[2] * distance, 0, n[0] * facing, n[1] * facing, n[2] * facing, 1],
        (r * columns + c) * 8,
      )
    }
  return { points, columns, rows }
}

/** Spreads light from the sparse points to all pixels: bilinear among the points that lie on the same piece. */
function spreadLight(scene: Scene, camera: Camera, triangles: Int32Array, sparse: Float32Array, columns: number, stride: number, light: Float32Array, shadow: Float32Array): void {
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

/** Adds a nearer gas's march (12 floats a pixel) before what is there already. */
function layOver(passes: Passes, marched: Float32Array): void {
  const pixels = passes.shadow.data.length
  const { fire, smoke, smokeLight } = passes
  for (let n = 0; n < pixels; n++) {
    const m = n * 12
    const alpha = marched[m + 3] ?? 0
    const keep = 1 - alpha
    for (let c = 0; c < 3; c++) {
      fire.data[n * 3 + c] = (fire.data[n * 3 + c] ?? 0) * keep + (marched[m + c] ?? 0)
      smoke.data[n * 4 + c] = (smoke.data[n * 4 + c] ?? 0) * keep + (marched[m + 4 + c] ?? 0)
      smokeLight.data[n * 3 + c] = (smokeLight.data[n * 3 + c] ?? 0) * keep + (marched[m + 8 + c] ?? 0)
    }
    smoke.data[n * 4 + 3] = (smoke.data[n * 4 + 3] ?? 0) * keep + alpha
  }
}

/**
 * Renders the passes of one frame through `camera` (its width and height are the picture's). Gases are laid over one another from far to near by the distance of their boxes' middles.
 * straightenPixel: px to straight normalised coordinates. The heap is left as it was found. Throws Cancelled.
 */
export function renderPasses(
  crew: Crew, scene: Scene, camera: Camera, straightenPixel: (x: number, y: number) => [number, number], gases: readonly PictureGas[], light: PlateLight, quality: PictureQuality, progress: Progress = silent,
): Passes {
  const { heap } = crew
  const mark = heap.mark()
  const { width, height } = camera
  const pixels = width * height
  try {
    const passes: Passes = {
      fire: makeImage(width, height, 3), smoke: makeImage(width, height, 4), smokeLight: makeImage(width, height, 3),
      light: makeImage(width, height, 3), shadow: makeImage(width, height, 1), depth: makeImage(width, height, 1),
    }
    const rays = rayThrough(camera, straightenPixel)
    const cameraBlock = layCamera(crew, camera)
    const surfacesAt = heap.alloc(pixels * 8)
    const stack = heap.alloc(Math.max(height, 1) * 256 + 256)
    crew.run('traceScene', [cameraBlock, scene.nodes, scene.positions, scene.indices, stack, surfacesAt, width], height, 4)
    const surfaces = heap.f32(surfacesAt, pixels * 2).slice()
    const triangles = new Int32Array(surfaces.buffer)
    const forward = rotate(camera.rotation, [0, 0, -1])
    progress.report(0.1, 'set')

    // Where a piece does not hold out, gas is not stopped by it, but the light on it still counts.
    const limits = heap.f32(surfacesAt, pixels * 2)
    for (let n = 0; n < pixels; n++) {
      const piece = scene.pieces[scene.pieceOf[triangles[n * 2 + 1] ?? -1] ?? -1]
      if ((surfaces[n * 2] ?? FAR) >= FAR) continue
      if (!piece?.holdsOut) limits[n * 2] = 1e30
      const x = n % width
      const along = rays(x + 0.5, Math.floor(n / width) + 0.5)
      passes.depth.data[n] = (surfaces[n * 2] ?? 0) * (along[0] * forward[0] + along[1] * forward[1] + along[2] * forward[2])
    }

    const sun = heap.alloc(12)
    heap.f32(sun, 3).set(light.sunDirection)
    const blocks: { gas: PictureGas; block: GasBlock; distance: number }[] = gases.map((gas) => {
      const { box } = gas.frame
      const middle = box.origin.map((o, axis) => (o + (box.size[axis] ?? 0) / 2) * box.cell - (camera.position[axis] ?? 0))
      return { gas, block: layGas(crew, gas.frame, gas.extinctionPerSoot), distance: Math.sqrt(middle.reduce((sum, d) => sum + d * d, 0)) }
    })
    const all = gases.flatMap((gas) => gas.emitters)
    const emitters = layEmitters(crew, all)
    const marched = heap.alloc(pixels * 48)
    blocks.sort((a, b) => b.distance - a.distance).forEach(({ gas, block }, n) => {
      stopIfCancelled(progress)
      crew.run('lightGrid', [block.block, emitters, all.length, sun], block.coarse[2] + 2)
      const look = layLook(crew, gas, light, quality.step)
      crew.run('marchGas', [cameraBlock, block.block, look, surfacesAt, marched, width], height, 4)
      layOver(passes, heap.f32(marched, pixels * 12))
      progress.report(0.2 + (0.4 * (n + 1)) / blocks.length, 'gas')
    })

    stopIfCancelled(progress)
    const stride = quality.lightStride
    const { points, columns, rows } = surfacePoints(scene, camera, surfaces, triangles, stride, rays)
    const pointsAt = heap.alloc(points.byteLength)
    const litAt = heap.alloc(points.byteLength / 2)
    const rowStack = heap.alloc(rows * 256 + 256)
    heap.f32(pointsAt, points.length).set(points)
    passes.shadow.data.fill(1)
    const lit = new Float32Array(points.length / 2)
    for (let n = 0; n < lit.length; n += 4) lit[n + 3] = 1
    blocks.forEach(({ gas, block }, n) => {
      const own = layEmitters(crew, gas.emitters)
      crew.run('relight', [block.block, own, gas.emitters.length, sun, light.sunShare, scene.nodes, scene.positions, scene.indices, rowStack, pointsAt, litAt, columns], rows)
      const result = heap.f32(litAt, lit.length)
      for (let o = 0; o < lit.length; o += 4) {
        for (let c = 0; c < 3; c++) lit[o + c] = (lit[o + c] ?? 0) + (result[o + c] ?? 0)
        lit[o + 3] = (lit[o + 3] ?? 1) * (result[o + 3] ?? 1)
      }
      progress.report(0.6 + (0.35 * (n + 1)) / blocks.length, 'light on the set')
    })
    spreadLight(scene, camera, triangles, lit, columns, stride, passes.light.data, passes.shadow.data)
    progress.report(1, 'done')
    return passes
  } finally {
    heap.release(mark)
  }
}
