import type { Crew } from '../base/index.ts'
import type { FloatImage } from '../data/index.ts'

// What a camera's sensor makes of the light of a scene, and back; the kernels' twin (kernels/assembly/sensor.ts). A plate has been through one: light is added to what it saw, not to what it recorded.

type Rgb = readonly [number, number, number]

/** Straight up to here, and level from there on, in times white. */
export const SENSOR_KNEE = 0.7
export const SENSOR_TOP = 8
/** Its channels from Rec. 709's: they overlap, so that a bright orange clips to yellow and white (typical of sensors with colour filters in stripes or mosaics; rows sum to 1). */
const CHANNELS: readonly Rgb[] = [
  [0.72, 0.24, 0.04],
  [0.2, 0.68, 0.12],
  [0.05, 0.2, 0.75],
]
const BACK: readonly Rgb[] = [
  [1.53992395, -0.54499366, 0.00506971],
  [-0.45627376, 1.70468948, -0.24841572],
  [0.01901141, -0.41825095, 1.39923954],
]

/** Where a sensor bends and clips: plate value, and light in times white. */
export interface SensorCurve {
  knee: number
  top: number
}
export const PLAIN_SENSOR: SensorCurve = { knee: SENSOR_KNEE, top: SENSOR_TOP }
/** y = d (1 + a d) / (1 + b d) above the knee, of slope 1 there, level at `reach` above it: as the kernels take it. */
export function sensorNumbers({
  knee,
  top,
}: SensorCurve): readonly [knee: number, reach: number, a: number, b: number] {
  const [room, reach] = [1 - knee, top - knee]
  const b = 1 / room - 2 / reach
  return [knee, reach, -1 / (2 * reach + b * reach * reach), b]
}
/** A sensor's curve on the heap, for the kernels. */
export function putSensor(crew: Crew, curve: SensorCurve): number {
  const at = crew.heap.alloc(16)
  crew.heap.f32(at, 4).set(sensorNumbers(curve))
  return at
}

const through = (rows: readonly Rgb[], [r, g, b]: Rgb): [number, number, number] =>
  rows.map(([x, y, z]) => x * r + y * g + z * b) as [number, number, number]

function bend(v: number, curve: SensorCurve): number {
  const [knee, reach, a, b] = sensorNumbers(curve)
  if (v <= knee) return v
  const d = Math.min(reach, v - knee)
  return knee + (d * (1 + a * d)) / (1 + b * d)
}
function unbend(v: number, curve: SensorCurve): number {
  const [knee, , a, b] = sensorNumbers(curve)
  if (v <= knee) return v
  const y = Math.min(1 - knee, v - knee)
  const p = 1 - y * b
  return knee + (2 * y) / (p + Math.sqrt(Math.max(0, p * p + 4 * a * y)))
}

function passed(
  way: (v: number, curve: SensorCurve) => number,
  light: Rgb,
  curve: SensorCurve,
): [number, number, number] {
  const channels = through(CHANNELS, light)
  return channels.every((v) => v <= curve.knee)
    ? [light[0], light[1], light[2]]
    : through(BACK, channels.map((v) => way(v, curve)) as [number, number, number])
}

/** Plate value, linear and not held within 0 and 1, that light of a scene gives. */
export const throughSensor = (light: Rgb, curve = PLAIN_SENSOR): [number, number, number] => passed(bend, light, curve)
/** Light of the scene that gives a plate value; what is clipped comes back as bright as it clips at. */
export const fromSensor = (value: Rgb, curve = PLAIN_SENSOR): [number, number, number] => passed(unbend, value, curve)

/** A plate's picture (3 channels, linear plate values) as the light of its scene. */
export function plateScene(crew: Crew, plate: FloatImage, curve = PLAIN_SENSOR): FloatImage {
  const { width, height, data } = plate
  const mark = crew.heap.mark()
  const at = crew.heap.alloc(width * height * 16)
  const pixels = crew.heap.f32(at, width * height * 4)
  for (let n = 0; n < width * height; n++) for (let c = 0; c < 3; c++) pixels[n * 4 + c] = data[n * 3 + c] ?? 0
  crew.run('sensorBack', { image: at, curve: putSensor(crew, curve), width }, height, 8)
  const scene = new Float32Array(data.length)
  for (let n = 0; n < width * height; n++) for (let c = 0; c < 3; c++) scene[n * 3 + c] = pixels[n * 4 + c] ?? 0
  crew.heap.release(mark)
  return { ...plate, data: scene }
}

/** What a plate holds of a picture in its scene's light (4 channels): linear plate values, held within 0 and 1. curve: none where nothing bends. */
export function plateValues(crew: Crew, light: FloatImage, curve: SensorCurve | undefined): FloatImage {
  const { width, height, channels, data } = light
  const held = (value: number): number => Math.min(1, Math.max(0, value))
  if (!curve) return { ...light, data: data.map(held) }
  const mark = crew.heap.mark()
  const at = crew.heap.alloc(width * height * 16)
  const pixels = crew.heap.f32(at, width * height * 4)
  for (let n = 0; n < width * height; n++) for (let c = 0; c < 3; c++) pixels[n * 4 + c] = data[n * channels + c] ?? 0
  crew.run('sensorForward', { image: at, curve: putSensor(crew, curve), width }, height, 8)
  const values = new Float32Array(data.length)
  for (let n = 0; n < width * height; n++)
    for (let c = 0; c < channels; c++) values[n * channels + c] = c < 3 ? held(pixels[n * 4 + c] ?? 0) : 1
  crew.heap.release(mark)
  return { ...light, data: values }
}
