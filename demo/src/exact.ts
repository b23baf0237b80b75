import { join } from 'node:path'
import { writeCameraGltf } from '@lantern/core/formats'
import { keep } from './made.ts'
import { cameraOf } from './making.ts'
import { focalPx, type PlateSpec } from './plates.ts'
import { lie } from './scene/ground.ts'
import { ARCHES, BARROW, CHIMNEY, CRATES, DRUM, DRUM_SIZE, KILN, LAMP_POST } from './scene/places.ts'
import { duskSky, rainSky } from './scene/sky.ts'
import { LENS_LOOK } from './lens.ts'
import { SENSOR_LOOK } from './sensor.ts'

/** Writes what is exactly so in a plate: its camera path as glTF, and lens, light, grain and geometry as JSON. Only tests may read it. */
export function writeExact(folder: string, spec: PlateSpec, seed: number, frames: number, lights: readonly (readonly number[])[]): void {
  const path = Array.from({ length: frames }, (_, n) => ({ frame: spec.first + n, camera: cameraOf(spec, seed, spec.first + n) }))
  keep(join(folder, `${spec.name}-camera.gltf`), writeCameraGltf(spec.name, path, spec.rate))
  const sky = spec.day === 'dusk' ? duskSky() : rainSky()
  const ground = Array.from({ length: 60 }, (_, n) => {
    const [x, z] = [-4.5 + (n % 10) * 0.95, 1 + Math.floor(n / 10) * 1.1]
    return [x, lie(x, z), z].map((value) => Number(value.toFixed(4)))
  })
  const exact = {
    plate: spec.name, first: spec.first, frames, rate: spec.rate, width: spec.width, height: spec.height, seed,
    lens: { focalMm: spec.lens.focalMm, focalPx: focalPx(spec), k1: spec.lens.k1, k2: spec.lens.k2, centre: [spec.width / 2, spec.height / 2], fStop: spec.lens.fStop, focus: spec.lens.focus, shutter: spec.shutter, ...LENS_LOOK },
    sensor: { ...SENSOR_LOOK, photon: SENSOR_LOOK.photon * spec.noise, read: SENSOR_LOOK.read * spec.noise },
    exposure: Array.from({ length: frames }, (_, n) => Number((spec.exposure + spec.drift(n / spec.rate) + Math.log2(spec.light)).toFixed(4))),
    light: { sunDirection: sky.sun, sunSpread: sky.spread, sunLight: sky.sunLight, flame: Array.from({ length: frames }, (_, n) => lights[spec.flameFrom + n]?.map((x) => Number(x.toFixed(4)))) },
    geometry: { kiln: KILN, arches: ARCHES, chimney: CHIMNEY, drum: { at: DRUM, ...DRUM_SIZE }, lampPost: LAMP_POST, barrow: BARROW, crates: CRATES, ground },
  }
  keep(join(folder, `${spec.name}.json`), `${JSON.stringify(exact, undefined, 1)}\n`)
}
