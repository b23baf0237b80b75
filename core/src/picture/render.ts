import { type Crew, type Progress, silent, stopIfCancelled } from '../base/index.ts'
import { type Camera, makeImage } from '../data/index.ts'
import { rotate, type Vec3 } from '../math/index.ts'
import { intoGas } from './gasBlock.ts'
import { inGas, inWorld, type LaidGas, uploadEmitters, uploadGas, uploadList } from './gases.ts'
import type { FrameScene, Passes, PictureEmitter } from './passes.ts'
import { spreadLight, surfacePoints } from './setLight.ts'

const FAR = 1e29

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

const newPasses = (width: number, height: number): Passes => ({
  fire: makeImage(width, height, 3),
  smoke: makeImage(width, height, 4),
  smokeLight: makeImage(width, height, 3),
  light: makeImage(width, height, 3),
  shadow: makeImage(width, height, 1),
  depth: makeImage(width, height, 1),
  heat: makeImage(width, height, 1),
})

/** What a frame's steps share: where the set was met, and the gases as they lie on the heap. */
interface Rendering extends FrameScene {
  crew: Crew
  progress: Progress
  passes: Passes
  rays: (x: number, y: number) => Vec3
  /** Distance and triangle of each pixel: as the heap has it now, and as the frame's own camera found them. */
  surfacesAt: number
  trace(seen: Camera): number
}

/** Traces the set through the frame's camera and writes its depth. Returns distance and triangle of each pixel. */
function traceSet({ crew, camera, passes, rays, surfacesAt, trace }: Rendering): Float32Array {
  const { width, height } = camera
  const pixels = width * height
  trace(camera)
  const surfaces = crew.heap.f32(surfacesAt, pixels * 2).slice()
  const forward = rotate(camera.rotation, [0, 0, -1])
  for (let n = 0; n < pixels; n++) {
    if ((surfaces[n * 2] ?? FAR) >= FAR) continue
    const along = rays((n % width) + 0.5, Math.floor(n / width) + 0.5)
    passes.depth.data[n] =
      (surfaces[n * 2] ?? 0) * (along[0] * forward[0] + along[1] * forward[1] + along[2] * forward[2])
  }
  return surfaces
}

/** Lights the smoke of every gas by all emitters, sun and sky. sun: room for a direction. */
function lightGases(
  { crew, light, quality, progress }: Rendering,
  laid: readonly LaidGas[],
  everyone: readonly PictureEmitter[],
  sun: number,
): void {
  laid.forEach(({ gas, place, blocks }, n) => {
    stopIfCancelled(progress)
    const mine = inGas(place, everyone)
    const emitters = uploadEmitters(crew, mine)
    crew.heap.f32(sun, 3).set(intoGas(place, light.sunDirection))
    for (const { block, coarse } of blocks)
      crew.run('lightGrid', [block, emitters, mine.length, sun, gas.albedo, quality.orders], coarse[2] + 2)
    progress.report(0.1 + (0.2 * (n + 1)) / laid.length, 'light in the gas')
  })
}

/** A pixel whose brightness is not known to this share of itself (and of LEVEL, plate value) after the first moments is looked at for as many again: the tips of flames. */
const GRAINY = 0.05
const LEVEL = 0.5

/** Marches all gases through the open shutter into fire, smoke, its light and heat. */
function marchGases(rendering: Rendering, list: number, count: number): void {
  const { crew, scene, camera, quality, shutter, progress, surfacesAt, trace, passes } = rendering
  const { heap } = crew
  const { width, height } = camera
  const pixels = width * height
  const marched = heap.alloc(pixels * 48)
  const state = heap.alloc(height * Math.max(1, count) * 64 + 64)
  heap.f32(marched, pixels * 12).fill(0)
  const samples = shutter && shutter.seconds > 0 ? quality.shutterSamples : 1
  // Where a piece does not hold out, gas is not stopped by it, but the light on it still counts.
  const letThrough = (found: Int32Array): void => {
    const limits = heap.f32(surfacesAt, pixels * 2)
    for (let n = 0; n < pixels; n++)
      if (found[n * 2 + 1] !== -1 && !scene.pieces[scene.pieceOf[found[n * 2 + 1] ?? -1] ?? -1]?.holdsOut)
        limits[n * 2] = 1e30
  }
  const late = (share: number): number => (samples > 1 && shutter ? (share - 0.5) * shutter.seconds : 0)
  /** All moments of the shutter, `share` of the picture each. spread, mask: marchGas's. */
  const look = (share: number, salt: number, spread: number, mask: number, done: (part: number) => void): void => {
    for (let m = 0; m < samples; m++) {
      stopIfCancelled(progress)
      const middle = (m + 0.5) / samples
      const block = trace(shutter && samples > 1 ? within(shutter.camera(middle), m, samples) : camera)
      letThrough(heap.i32(surfacesAt, pixels * 2).slice())
      const [opens, closes] = [late(m / samples), late((m + 1) / samples)]
      const gases = [block, list, count, state, quality.step, opens, closes, share, salt + m]
      crew.run('marchGas', [...gases, surfacesAt, marched, spread, mask, width], height, 4)
      done((m + 1) / samples)
    }
  }
  if (count > 0 && samples === 1) look(1, 0, 0, 0, (part) => progress.report(0.3 + 0.4 * part, 'gas'))
  if (count > 0 && samples > 1) {
    const spread = heap.alloc(pixels * 8)
    const mask = heap.alloc(pixels)
    heap.f32(spread, pixels * 2).fill(0)
    look(1 / samples, 0, spread, 0, (part) => progress.report(0.3 + 0.3 * part, 'gas'))
    crew.run('markGrainy', [marched, spread, mask, samples, LEVEL, GRAINY, 0.5, width], height, 8)
    if (heap.u8(mask, pixels).some((one) => one !== 0))
      look(0.5 / samples, samples, 0, mask, (part) => progress.report(0.6 + 0.1 * part, 'gas'))
  }
  takeMarch(passes, heap.f32(marched, pixels * 12))
}

/** Lights the set by the emitters and shadows it by the smoke. */
function lightSet(
  rendering: Rendering,
  surfaces: Float32Array,
  { list, count, everyone, sun }: { list: number; count: number; everyone: readonly PictureEmitter[]; sun: number },
): void {
  const { crew, scene, camera, light, quality, rays, passes, progress } = rendering
  const { heap } = crew
  const triangles = new Int32Array(surfaces.buffer)
  const stride = quality.lightStride
  const { points, columns, rows } = surfacePoints(scene, camera, surfaces, triangles, stride, rays)
  const pointsAt = heap.alloc(points.byteLength)
  const litAt = heap.alloc(points.byteLength / 2)
  const stack = heap.alloc(rows * 256 + 256)
  heap.f32(pointsAt, points.length).set(points)
  heap.f32(sun, 3).set(light.sunDirection)
  const lamps = uploadEmitters(crew, everyone)
  const tree = [scene.nodes, scene.positions, scene.indices, stack]
  crew.run(
    'relight',
    [list, count, lamps, everyone.length, sun, light.sunShare, ...tree, pointsAt, litAt, columns],
    rows,
  )
  const lit = heap.f32(litAt, points.length / 2).slice()
  progress.report(0.95, 'light on the set')
  spreadLight(scene, camera, triangles, lit, columns, stride, passes.light.data, passes.shadow.data)
}

/**
 * Renders the passes of one frame. Gases are marched together, so that they may stand in one another.
 * The heap is left as it was found. Throws Cancelled.
 */
export function renderPasses(crew: Crew, frame: FrameScene, progress: Progress = silent): Passes {
  const { scene, camera, straightenPixel, drawables: gases, light, quality } = frame
  const { heap } = crew
  const mark = heap.mark()
  const { width, height } = camera
  try {
    const surfacesAt = heap.alloc(width * height * 8)
    const stack = heap.alloc(Math.max(height, 1) * 256 + 256)
    const trace = (seen: Camera): number => {
      const block = uploadCamera(crew, seen)
      crew.run('traceScene', [block, scene.nodes, scene.positions, scene.indices, stack, surfacesAt, width], height, 4)
      return block
    }
    const passes = newPasses(width, height)
    const rays = rayThrough(camera, straightenPixel)
    const rendering: Rendering = { ...frame, crew, progress, passes, rays, surfacesAt, trace }
    const surfaces = traceSet(rendering)
    progress.report(0.1, 'set')
    const sun = heap.alloc(12)
    const lights = gases.reduce((sum, { emitters }) => sum + emitters.length, 0)
    const laid = gases.map((gas) => uploadGas(crew, gas, light, quality, lights))
    const blocks = laid.flatMap((one) => one.blocks)
    const list = uploadList(crew, blocks)
    const everyone = laid.flatMap(({ place, gas }) => inWorld(place, gas.emitters))
    lightGases(rendering, laid, everyone, sun)
    marchGases(rendering, list, blocks.length)
    stopIfCancelled(progress)
    lightSet(rendering, surfaces, { list, count: blocks.length, everyone, sun })
    progress.report(1, 'done')
    return passes
  } finally {
    heap.release(mark)
  }
}
