import type { Crew } from '../base/index.ts'
import type { FloatImage } from '../data/index.ts'
import { pow } from '../math/index.ts'
import { PLAIN_SENSOR, putSensor } from './sensor.ts'

/** How a scene's light is brought to a screen: through the sensor of a camera, or cut at white; then sRGB's curve. */
export type CameraCurve = 'sensor' | 'clip'

const ENTRIES = 16384

/** sRGB's encoding (IEC 61966-2-1) of linear light 0 to 1. */
export const encodeSrgb = (v: number): number => (v <= 0.0031308 ? 12.92 * v : 1.055 * pow(v, 1 / 2.4) - 0.055)
/** And back. */
export const decodeSrgb = (v: number): number => (v <= 0.04045 ? v / 12.92 : pow((v + 0.055) / 1.055, 2.4))
/** Rec. 709's camera curve, inverted (ITU-R BT.709-6). */
export const decodeRec709 = (v: number): number => (v < 0.081 ? v / 4.5 : pow((v + 0.099) / 1.099, 1 / 0.45))

let encoded: Uint8Array | undefined

/** Bytes r g b 255 for a screen or a movie. image: 4 channels, linear; exposure in stops. */
export function toDisplay(
  crew: Crew,
  image: FloatImage,
  exposure: number,
  curve: CameraCurve,
  sensor = PLAIN_SENSOR,
): Uint8Array {
  encoded ??= Uint8Array.from({ length: ENTRIES }, (_, n) => Math.round(encodeSrgb(n / (ENTRIES - 1)) * 255))
  const { heap } = crew
  const mark = heap.mark()
  const pixels = image.width * image.height
  const source = heap.alloc(pixels * 16)
  const target = heap.alloc(pixels * 4)
  const table = heap.alloc(ENTRIES)
  heap.f32(source, pixels * 4).set(image.data)
  heap.u8(table, ENTRIES).set(encoded)
  crew.run(
    'display',
    [target, source, pow(2, exposure), curve === 'sensor' ? putSensor(crew, sensor) : 0, table, image.width],
    image.height,
    8,
  )
  const bytes = heap.u8(target, pixels * 4).slice()
  heap.release(mark)
  return bytes
}
