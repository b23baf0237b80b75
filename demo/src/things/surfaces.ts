import { random } from '@lantern/core/base'
import sharp from 'sharp'

// Pictures of surfaces, drawn by noise: weathered boards, burnt brick, rusted iron. Each repeats at its edges.

export const SIDE = 512
type Colour = readonly [number, number, number]

/** Noise that repeats after SIDE pixels; so many cells across and down, octaves each twice as fine. */
function tiled(seed: number, across: number, down: number, octaves: number): (x: number, y: number) => number {
  const layers = Array.from({ length: octaves }, (_, o) => {
    const [w, h] = [across << o, down << o]
    const stream = random(seed + o * 101)
    const values = Float32Array.from({ length: w * h }, () => stream.next() * 2 - 1)
    return { w, h, values }
  })
  return (x, y) => {
    let sum = 0
    layers.forEach(({ w, h, values }, o) => {
      const [u, v] = [(x / SIDE) * w, (y / SIDE) * h]
      const [i, j] = [Math.floor(u), Math.floor(v)]
      const [fx, fy] = [u - i, v - j].map((t) => t * t * (3 - 2 * t)) as [number, number]
      const at = (a: number, b: number): number => values[(b % h) * w + (a % w)] ?? 0
      const upper = at(i, j) * (1 - fx) + at(i + 1, j) * fx
      const lower = at(i, j + 1) * (1 - fx) + at(i + 1, j + 1) * fx
      sum += (upper * (1 - fy) + lower * fy) * 0.55 ** o
    })
    return sum
  }
}

const mix = (a: Colour, b: Colour, t: number): Colour =>
  [0, 1, 2].map((c) => (a[c] ?? 0) + ((b[c] ?? 0) - (a[c] ?? 0)) * t) as unknown as Colour

async function picture(colour: (x: number, y: number) => Colour): Promise<Uint8Array> {
  const data = new Uint8Array(SIDE * SIDE * 3)
  for (let y = 0; y < SIDE; y++)
    for (let x = 0; x < SIDE; x++) {
      const c = colour(x, y)
      for (let n = 0; n < 3; n++) data[(y * SIDE + x) * 3 + n] = Math.round(Math.min(255, Math.max(0, c[n] ?? 0)))
    }
  const jpeg = await sharp(data, { raw: { width: SIDE, height: SIDE, channels: 3 } })
    .jpeg({ quality: 86 })
    .toBuffer()
  return new Uint8Array(jpeg)
}

/** A normal map of a height in texels. */
const normals = (height: (x: number, y: number) => number, deep: number): Promise<Uint8Array> =>
  picture((x, y) => {
    const [dx, dy] = [
      height((x + 1) % SIDE, y) - height((x + SIDE - 1) % SIDE, y),
      height(x, (y + 1) % SIDE) - height(x, (y + SIDE - 1) % SIDE),
    ]
    const n = [-dx * deep, dy * deep, 1]
    const l = Math.sqrt(n.reduce((sum, part) => sum + part * part, 0))
    return n.map((part) => 127.5 + (127.5 * part) / l) as unknown as Colour
  })

/** Boards whose grain runs across the picture. */
export async function boards(): Promise<{ base: Uint8Array; normal: Uint8Array }> {
  const [grain, patch, fine] = [tiled(3, 3, 60, 3), tiled(7, 4, 4, 4), tiled(11, 40, 160, 2)]
  const height = (x: number, y: number): number => grain(x, y) + 0.4 * fine(x, y)
  const base = await picture((x, y) => {
    const g = 0.5 + 0.5 * grain(x, y)
    const worn = Math.min(1, Math.max(0, 0.45 + 0.6 * patch(x, y)))
    const wood = mix([78, 60, 42], [124, 102, 76], g)
    return mix(wood, mix([92, 84, 74], [116, 108, 98], g), worn).map(
      (v) => v * (1 + 0.1 * fine(x, y)),
    ) as unknown as Colour
  })
  return { base, normal: await normals(height, 1.2) }
}

export async function brick(): Promise<{ base: Uint8Array; normal: Uint8Array }> {
  const [tone, speck, soot] = [tiled(21, 3, 3, 4), tiled(23, 64, 64, 3), tiled(29, 2, 2, 4)]
  const base = await picture((x, y) => {
    const red = mix([92, 48, 36], [134, 74, 52], 0.5 + 0.5 * tone(x, y))
    const pale = Math.max(0, speck(x, y) - 0.55)
    const dark = Math.min(0.7, Math.max(0, soot(x, y) - 0.15))
    return mix(mix(red, [170, 140, 116], pale), [46, 40, 38], dark)
  })
  return { base, normal: await normals((x, y) => speck(x, y) + 0.6 * tone(x, y), 1.5) }
}

export async function rust(): Promise<{ base: Uint8Array; normal: Uint8Array }> {
  const [tone, fine] = [tiled(31, 5, 5, 5), tiled(37, 90, 90, 2)]
  const base = await picture((x, y) =>
    mix(mix([58, 42, 36], [122, 70, 42], 0.5 + 0.5 * tone(x, y)), [34, 30, 30], Math.max(0, fine(x, y) * 0.5)),
  )
  return { base, normal: await normals((x, y) => fine(x, y) + tone(x, y), 1) }
}
