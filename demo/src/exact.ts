import { join } from 'node:path'
import { writeCameraGltf } from '@lantern/core/formats'
import { corners } from './figures.ts'
import { LENS_LOOK } from './lens.ts'
import { keep, readFloats } from './made.ts'
import { cameraOf, DEPTH_EVERY, framePath } from './making.ts'
import { focalPx, momentOf, type PlateSpec, project, straightened } from './plates.ts'
import { lie } from './scene/ground.ts'
import { ARCHES, BARROW, CHIMNEY, CRATES, DRUM, DRUM_SIZE, KILN, LAMP_POST } from './scene/places.ts'
import { duskSky, rainSky } from './scene/sky.ts'
import { SENSOR_LOOK } from './sensor.ts'

const LATER = 2 * DEPTH_EVERY
const MOST_LANDMARKS = 600

/** Corners of the first frame as points of the yard, of which those stay that are still seen LATER frames on (in a still or a short plate: all). */
function landmarks(spec: PlateSpec, seed: number, frames: number, linear: string): number[][] {
  const { values } = readFloats<object>(framePath(linear, spec.first))
  const data = Float32Array.from(
    { length: spec.width * spec.height },
    (_, n) => 0.2126 * (values[n * 3] ?? 0) + 0.7152 * (values[n * 3 + 1] ?? 0) + 0.0722 * (values[n * 3 + 2] ?? 0),
  )
  const depthAt = (frame: number): Float32Array => readFloats<object>(`${framePath(linear, frame)}-depth`).values
  const before = depthAt(spec.first)
  const after = frames > LATER ? depthAt(spec.first + LATER) : undefined
  const [from, to] = [momentOf(spec, 0, seed), momentOf(spec, LATER / spec.rate, seed)]
  return corners({ width: spec.width, height: spec.height, data })
    .flatMap(({ x, y }) => {
      const depth = before[y * spec.width + x] ?? 0
      if (!(depth < 200)) return []
      const [sx, sy] = straightened(spec, x + 0.5, y + 0.5)
      const p: [number, number, number] = [0, 0, 0]
      for (let c = 0; c < 3; c++)
        p[c] = Number(
          (
            (from.position[c] ?? 0) +
            depth * (sx * (from.right[c] ?? 0) - sy * (from.up[c] ?? 0) - (from.back[c] ?? 0))
          ).toFixed(4),
        )
      if (!after) return [p]
      const seen = project(spec, to, p)
      const there = seen ? (after[Math.floor(seen.y) * spec.width + Math.floor(seen.x)] ?? 0) : 0
      return seen && Math.abs(there - seen.depth) < 0.03 * seen.depth ? [p] : []
    })
    .slice(0, MOST_LANDMARKS)
}

/** Writes what is exactly so in a plate: its camera path as glTF, and lens, light, grain and geometry as JSON. Only tests may read it. */
export function writeExact(
  folder: string,
  spec: PlateSpec,
  seed: number,
  frames: number,
  lights: readonly (readonly number[])[],
  linear: string,
): void {
  const path = Array.from({ length: frames }, (_, n) => ({
    frame: spec.first + n,
    camera: cameraOf(spec, seed, spec.first + n),
  }))
  keep(join(folder, `${spec.name}-camera.gltf`), writeCameraGltf(spec.name, path, spec.rate))
  const sky = spec.day === 'dusk' ? duskSky() : rainSky()
  const ground = Array.from({ length: 60 }, (_, n) => {
    const [x, z] = [-4.5 + (n % 10) * 0.95, 1 + Math.floor(n / 10) * 1.1]
    return [x, lie(x, z), z].map((value) => Number(value.toFixed(4)))
  })
  const exact = {
    plate: spec.name,
    first: spec.first,
    frames,
    rate: spec.rate,
    width: spec.width,
    height: spec.height,
    seed,
    lens: {
      focalMm: spec.lens.focalMm,
      focalPx: focalPx(spec),
      k1: spec.lens.k1,
      k2: spec.lens.k2,
      centre: [spec.width / 2, spec.height / 2],
      fStop: spec.lens.fStop,
      focus: spec.lens.focus,
      shutter: spec.shutter,
      ...LENS_LOOK,
    },
    sensor: { ...SENSOR_LOOK, photon: SENSOR_LOOK.photon * spec.noise, read: SENSOR_LOOK.read * spec.noise },
    exposure: Array.from({ length: frames }, (_, n) =>
      Number((spec.exposure + spec.drift(n / spec.rate) + Math.log2(spec.light)).toFixed(4)),
    ),
    light: {
      sunDirection: sky.sun,
      sunSpread: sky.spread,
      sunLight: sky.sunLight,
      flame: Array.from({ length: frames }, (_, n) => lights[spec.flameFrom + n]?.map((x) => Number(x.toFixed(4)))),
    },
    geometry: {
      kiln: KILN,
      arches: ARCHES,
      chimney: CHIMNEY,
      drum: { at: DRUM, ...DRUM_SIZE },
      lampPost: LAMP_POST,
      barrow: BARROW,
      crates: CRATES,
      ground,
    },
    landmarks: landmarks(spec, seed, frames, linear),
  }
  keep(join(folder, `${spec.name}.json`), `${JSON.stringify(exact)}\n`)
}
