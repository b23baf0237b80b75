import type { Crew } from '../../core/src/base/index.ts'
import { type FloatImage, makeImage, type PictureLayer } from '../../core/src/data/index.ts'
import { composeFrame } from '../../core/src/pipeline/index.ts'
import {
  BARE_LAYER,
  encodeSrgb,
  fromSensor,
  plateScene,
  plateValues,
  type StackSettings,
} from '../../core/src/sit/index.ts'
import { atMost, type Row } from './row.ts'
import type { PatchSet } from './sitPatches.ts'

// A picture laid at half the plate's size, as it is while one works, against the delivered one boxed down.

const [WIDTH, HEIGHT] = [1280, 720]

/** Means of 2 x 2 pixels. */
function boxed({ width, height, channels, data }: FloatImage): FloatImage {
  const half = makeImage(width / 2, height / 2, channels)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      for (let c = 0; c < channels; c++) {
        const n = ((y >> 1) * half.width + (x >> 1)) * channels + c
        half.data[n] = (half.data[n] ?? 0) + 0.25 * (data[(y * width + x) * channels + c] ?? 0)
      }
  return half
}

/** A part of the plate as a soft-edged thing elsewhere, and a flame. */
function layersOf(values: FloatImage): PictureLayer[] {
  const size = { width: 300, height: 240 }
  const [colour, alpha, emission] = [makeImage(300, 240, 3), makeImage(300, 240, 1), makeImage(300, 240, 3)]
  for (let y = 0; y < size.height; y++)
    for (let x = 0; x < size.width; x++) {
      const n = y * size.width + x
      const [u, v] = [(2 * x) / size.width - 1, (2 * y) / size.height - 1]
      const away = Math.sqrt(u * u + v * v)
      const share = Math.max(0, Math.min(1, 8 * (1 - away)))
      alpha.data[n] = share
      const at = 3 * ((y + 420) * WIDTH + x + 220)
      const rgb = [0, 1, 2].map((c) => values.data[at + c] ?? 0) as [number, number, number]
      fromSensor(rgb).forEach((light, c) => (colour.data[3 * n + c] = share * light))
      const flame = Math.max(0, 1 - 3 * Math.abs(u)) * Math.max(0, 1 - Math.abs(v))
      emission.data.set([6 * flame, 2.5 * flame, 0.6 * flame], 3 * n)
    }
  return [
    { id: 'thing', x: 760, y: 380, ...size, colour, alpha },
    { id: 'flame', x: 420, y: 300, ...size, emission },
  ]
}

export function sizeRows(crew: Crew, set: PatchSet): Row[] {
  const { plate: values, settings } = set
  const layers = layersOf(values)
  const picture = { width: WIDTH, height: HEIGHT, layers, sunlit: makeImage(WIDTH, HEIGHT, 1) }
  const how = { ...BARE_LAYER, softness: 0.6, saturation: 0.9, contrast: 1.1 }
  const all: StackSettings = {
    ...settings,
    lays: layers.map(({ id }) => ({ of: id, how })),
    halation: { share: 0.05, radius: 0.012, red: 1 },
  }
  const codes = (light: FloatImage): FloatImage => plateValues(crew, light, settings.sensor)
  const plate = plateScene(crew, values)
  const whole = boxed(codes(composeFrame(crew, plate, picture, all, WIDTH, 1)))
  const half = codes(composeFrame(crew, plateScene(crew, boxed(values)), picture, all, WIDTH, 1))
  const off: number[] = []
  for (let n = 0; n < half.width * half.height; n++)
    for (let c = 0; c < 3; c++) {
      const code = ({ data, channels }: FloatImage): number => 255 * encodeSrgb(data[n * channels + c] ?? 0)
      off.push(Math.abs(code(whole) - code(half)))
    }
  off.sort((a, b) => a - b)
  const at = (share: number): number => off[Math.floor(share * off.length)] ?? Number.NaN
  return [
    atMost('half size against delivered, boxed down: median, 8-bit codes', 'the delivered picture', 1, at(0.5)),
    atMost('half size against delivered, boxed down: 99.9 %, 8-bit codes', 'the delivered picture', 4, at(0.999)),
  ]
}
