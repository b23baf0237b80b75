import { type FloatImage, makeImage } from '../data/index.ts'
import { acos, cos, exp, sin, type Vec3 } from '../math/index.ts'
import type { PlateLight } from './passes.ts'

// Light from all round as an equirectangular picture in plate value: from straight up at its top, its middle behind the set. What reaches level ground of its upper half is the sky's share of the plate's light.

const { PI } = Math
const WIDTH = 128
const HEIGHT = WIDTH / 2
/** A spot brighter than so many times the mean of the sky is the sun's, which shines by itself. */
const MOST = 10

/** Direction of a pixel's middle. */
function directionAt(x: number, y: number, width: number, height: number): Vec3 {
  const [from, down] = [((x + 0.5) / width - 0.5) * 2 * PI, ((y + 0.5) / height) * PI]
  return [sin(from) * sin(down), cos(down), -cos(from) * sin(down)]
}

/** Mean over level ground of the light of a picture's upper half, by luminance. */
function levelLight({ width, height, data }: FloatImage): number {
  let sum = 0
  for (let y = 0; y < height / 2; y++) {
    const down = ((y + 0.5) / height) * PI
    const weight = (cos(down) * sin(down) * 2 * PI * PI) / (width * height) / PI
    for (let x = 0; x < width; x++) {
      sum += weight * luminance(data, (y * width + x) * 3)
    }
  }
  return sum
}

/** Gradation and indicatrix of two skies of the CIE standard general sky (ISO 15469:2004): 12, clear; 1, overcast. */
const CLEAR = [-1, -0.32, 10, -3, 0.45] as const
const OVERCAST = [4, -0.7, 0, -1, 0] as const

function brightness([a, b, c, d, e]: readonly [number, number, number, number, number], up: number, away: number) {
  const gradation = 1 + a * exp(b / Math.max(0.01, up))
  return gradation * (1 + c * (exp(d * away) - exp((d * PI) / 2)) + e * cos(away) ** 2)
}

/** The sky that goes with a plate's light: clear as far as the sun shines, overcast where it does not; below the horizon what the ground sends back. */
export function modelSky({ sunDirection, sunShare, skyColour }: PlateLight, ground: Vec3): FloatImage {
  const image = makeImage(WIDTH, HEIGHT, 3)
  const clear = Math.min(1, sunShare / 0.6)
  const sky = makeImage(WIDTH, HEIGHT, 3)
  for (let y = 0; y < HEIGHT / 2; y++)
    for (let x = 0; x < WIDTH; x++) {
      const [dx, dy, dz] = directionAt(x, y, WIDTH, HEIGHT)
      const along = dx * sunDirection[0] + dy * sunDirection[1] + dz * sunDirection[2]
      const away = acos(Math.min(1, Math.max(-1, along)))
      const value = clear * brightness(CLEAR, dy, away) + (1 - clear) * brightness(OVERCAST, dy, away)
      for (let c = 0; c < 3; c++) sky.data[(y * WIDTH + x) * 3 + c] = value
    }
  const scale = (1 - sunShare) / Math.max(1e-6, levelLight(sky))
  for (let n = 0; n < WIDTH * HEIGHT; n++)
    for (let c = 0; c < 3; c++)
      image.data[n * 3 + c] =
        n < (WIDTH * HEIGHT) / 2 ? (sky.data[n * 3 + c] ?? 0) * scale * skyColour[c as 0 | 1 | 2] : (ground[c] ?? 0)
  return image
}

const luminance = (data: Float32Array, n: number): number =>
  0.2126 * (data[n] ?? 0) + 0.7152 * (data[n + 1] ?? 0) + 0.0722 * (data[n + 2] ?? 0)

/** The light on level ground when what is brighter than so many times that is held to it: a few rounds find it. */
function levelWithoutSun(picture: FloatImage): number {
  const { width, height, data } = picture
  let most = Infinity
  let mean = 0
  for (let round = 0; round < 6; round++) {
    const held = makeImage(width, height, 3)
    for (let n = 0; n < data.length; n += 3) held.data.fill(Math.min(most, luminance(data, n)), n, n + 3)
    mean = levelLight(held)
    most = MOST * mean
  }
  return mean
}

/** A surroundings picture turned by so many degrees to the right, without its sun, as bright as the plate's sky. */
export function picturedSky(picture: FloatImage, turn: number, { sunShare, skyColour }: PlateLight): FloatImage {
  const { width, height, data } = picture
  const mean = levelWithoutSun(picture)
  const image = makeImage(width, height, 3)
  const shift = Math.round((turn / 360) * width)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const from = (y * width + ((((x - shift) % width) + width) % width)) * 3
      const bright = luminance(data, from)
      const held = bright > MOST * mean ? (MOST * mean) / bright : 1
      for (let c = 0; c < 3; c++) image.data[(y * width + x) * 3 + c] = (data[from + c] ?? 0) * held
    }
  const scale = (1 - sunShare) / Math.max(1e-6, levelLight(image))
  for (let n = 0; n < image.data.length; n++)
    image.data[n] = (image.data[n] ?? 0) * scale * (skyColour[(n % 3) as 0 | 1 | 2] ?? 1)
  return image
}

/** The light of a picture of all round on a surface that faces any way, by luminance; of its upper half on level ground what levelLight says. Coarse: for what is compared, not drawn. */
export function lightOn(picture: FloatImage): (normal: Vec3) => number {
  const step = Math.max(1, Math.floor(picture.width / 48))
  const parts: { way: Vec3; light: number }[] = []
  for (let y = 0; y < picture.height; y += step)
    for (let x = 0; x < picture.width; x += step) {
      const down = ((y + step / 2) / picture.height) * PI
      const area = (sin(down) * 2 * PI * PI * step * step) / (picture.width * picture.height) / PI
      const at =
        (Math.min(picture.height - 1, y + (step >> 1)) * picture.width + Math.min(picture.width - 1, x + (step >> 1))) *
        3
      parts.push({
        way: directionAt(x + step / 2 - 0.5, y + step / 2 - 0.5, picture.width, picture.height),
        light: area * luminance(picture.data, at),
      })
    }
  return ([nx, ny, nz]) =>
    parts.reduce((sum, { way, light }) => sum + light * Math.max(0, way[0] * nx + way[1] * ny + way[2] * nz), 0)
}

/** Where a surroundings picture is brightest: degrees from behind the set to the right, and above the horizon. The middle of what shines there, so that a spot of several pixels counts as one. */
export function brightestSpot({ width, height, data }: FloatImage): { from: number; height: number } {
  let [best, atX, atY] = [-1, 0, 0]
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const own = luminance(data, (y * width + x) * 3)
      if (own > best) [best, atX, atY] = [own, x, y]
    }
  const reach = Math.ceil(width / 40)
  let [sum, right, down] = [0, 0, 0]
  for (let v = -reach; v <= reach; v++)
    for (let u = -reach; u <= reach; u++) {
      const [x, y] = [(atX + u + width) % width, atY + v]
      const own = y < 0 || y >= height ? 0 : luminance(data, (y * width + x) * 3)
      // What is less than half as bright is the sky round it.
      if (own < 0.5 * best) continue
      sum += own
      right += own * u
      down += own * v
    }
  const [x, y] = [atX + 0.5 + right / sum, atY + 0.5 + down / sum]
  return { from: ((x / width - 0.5) * 360 + 360) % 360, height: 90 - (y / height) * 180 }
}
