import { type Crew, random } from '../../core/src/base/index.ts'
import {
  type Camera,
  type FloatImage,
  makeImage,
  type PictureLayer,
  pixelRay,
  projectPoint,
} from '../../core/src/data/index.ts'
import { dot, normalise, panTiltRoll, type Vec3 } from '../../core/src/math/index.ts'
import { FINAL } from '../../core/src/picture/index.ts'
import { lightOfPatches, plateLight, skySeen, sunAngles, sunOfLine } from '../../core/src/pipeline/index.ts'
import { makeItem, makeShot } from '../../core/src/shot/index.ts'
import { ball, ground, layer, render, thing } from '../../core/testing/frames.ts'
import { atLeast, type Row } from './row.ts'

// A real grey ball in a plate with exact light, traced here by itself. The light is then measured from the plate alone, by clicks that are off, and a ball added in its place must look the same.

const SEEDS = 20
const CLICK = 2
const GREY = 0.18
const FLOOR = 0.32
const RADIUS = 0.3
const MIDDLE: Vec3 = [1, RADIUS, 0.3]
/** The wall that throws the shadow: along the view, from the ground up; the sun comes from its far side. */
const WALL = { low: [-2.2, 0, -2.6] as Vec3, high: [-2, 1.3, -0.6] as Vec3 }
const camera: Camera = {
  position: [0, 1.5, 5],
  rotation: panTiltRoll(0, -0.17, 0),
  focalPx: 560,
  centre: [320, 180],
  k1: 0,
  k2: 0,
  width: 640,
  height: 360,
}
interface Sun {
  way: Vec3
  sun: Vec3
  sky: Vec3
}

const toBall = (from: Vec3, along: Vec3): number | undefined => {
  const o: Vec3 = [from[0] - MIDDLE[0], from[1] - MIDDLE[1], from[2] - MIDDLE[2]]
  const b = dot(o, along)
  const inside = b * b - dot(o, o) + RADIUS * RADIUS
  const t = -b - Math.sqrt(Math.max(0, inside))
  return inside > 0 && t > 1e-4 ? t : undefined
}
function toWall(from: Vec3, along: Vec3): number | undefined {
  let [near, far] = [-Infinity, Infinity]
  for (const a of [0, 1, 2] as const) {
    const [p, q] = [(WALL.low[a] - from[a]) / along[a], (WALL.high[a] - from[a]) / along[a]]
    near = Math.max(near, Math.min(p, q))
    far = Math.min(far, Math.max(p, q))
  }
  return near < far && near > 1e-4 ? near : undefined
}
const along = (from: Vec3, way: Vec3, t: number): Vec3 => [
  from[0] + t * way[0],
  from[1] + t * way[1],
  from[2] + t * way[2],
]
const blocked = (from: Vec3, way: Vec3): boolean => toBall(from, way) !== undefined || toWall(from, way) !== undefined

/** Light that a Lambert surface of reflectance 1 sends back: sun, even sky, and what ground and wall send on. */
function lightAt(at: Vec3, normal: Vec3, { way, sun, sky }: Sun, next: () => number, rays: number): Vec3 {
  const facing = Math.max(0, dot(normal, way))
  const lit = facing > 0 && !blocked(at, way) ? facing / way[1] : 0
  const sum = [sun[0] * lit, sun[1] * lit, sun[2] * lit]
  for (let n = 0; n < rays; n++) {
    // Cosine-weighted directions (Malley).
    const [a, z] = [2 * Math.PI * next(), 2 * next() - 1]
    const s = Math.sqrt(1 - z * z)
    const out = normalise([normal[0] + s * Math.cos(a), normal[1] + z, normal[2] + s * Math.sin(a)])
    const below = out[1] < 0 && !blocked(at, out)
    const floor = below ? along(at, out, -at[1] / out[1]) : undefined
    const seen = floor && !blocked(floor, way) ? 1 : 0
    for (const c of [0, 1, 2] as const)
      sum[c] =
        (sum[c] ?? 0) +
        (floor ? FLOOR * (sun[c] * seen + sky[c]) : blocked(at, out) ? 0.3 * FLOOR * (sun[c] + sky[c]) : sky[c]) / rays
  }
  return [sum[0] ?? 0, sum[1] ?? 0, sum[2] ?? 0]
}

/** The plate: ground, wall and ball, with grain and 8 bits. */
function tracedPlate(sun: Sun, seed: number): FloatImage {
  const stream = random(seed)
  const next = (): number => stream.next()
  const image = makeImage(camera.width, camera.height, 3)
  for (let y = 0; y < camera.height; y++)
    for (let x = 0; x < camera.width; x++) {
      const ray = pixelRay(camera, x + 0.5, y + 0.5)
      const way = normalise(ray.along)
      const [b, w] = [toBall(ray.from, way), toWall(ray.from, way)]
      const g = way[1] < 0 ? -ray.from[1] / way[1] : undefined
      const t = Math.min(b ?? Infinity, w ?? Infinity, g ?? Infinity)
      const at = along(ray.from, way, t)
      const normal: Vec3 =
        t === b
          ? normalise([at[0] - MIDDLE[0], at[1] - MIDDLE[1], at[2] - MIDDLE[2]])
          : t === w
            ? Math.abs(at[0] - WALL.high[0]) < 1e-6
              ? [1, 0, 0]
              : [0, 0, 1]
            : [0, 1, 0]
      const light = Number.isFinite(t) ? lightAt(at, normal, sun, next, 12) : sun.sky
      const colour = t === b ? GREY : t === w ? 0.25 : Number.isFinite(t) ? FLOOR : 1
      for (const c of [0, 1, 2] as const) {
        const value = colour * light[c] * (1 + 0.02 * (next() + next() - 1))
        image.data[(y * camera.width + x) * 3 + c] = Math.round(255 * Math.min(1, value) ** (1 / 2.2)) / 255
      }
    }
  image.data.forEach((code, n) => (image.data[n] = code ** 2.2))
  return image
}

const meanRound = (
  { data, width }: FloatImage,
  [x, y]: readonly [number, number],
  half = 4,
): [number, number, number] => {
  const sum: [number, number, number] = [0, 0, 0]
  const count = (2 * half + 1) ** 2
  for (let v = -half; v <= half; v++)
    for (let u = -half; u <= half; u++)
      for (const c of [0, 1, 2] as const)
        sum[c] += (data[((Math.round(y) + v) * width + Math.round(x) + u) * 3 + c] ?? 0) / count
  return sum
}
const pixelOf = (at: Vec3): [number, number] => {
  const seen = projectPoint(camera, at)
  return [seen?.x ?? 0, seen?.y ?? 0]
}
const luminance = (c: readonly number[]): number => 0.2126 * (c[0] ?? 0) + 0.7152 * (c[1] ?? 0) + 0.0722 * (c[2] ?? 0)

const ofHue = (hue: Vec3, light: number): Vec3 => {
  const scale = light / luminance(hue)
  return [hue[0] * scale, hue[1] * scale, hue[2] * scale]
}

/** How far the added ball is off the real one on one of its sides, as a share. */
function sideOff(own: PictureLayer, plate: FloatImage, towards: Vec3, lit: boolean): number {
  let [added, real] = [0, 0]
  for (let y = 0; y < own.height; y++)
    for (let x = 0; x < own.width; x++) {
      const n = y * own.width + x
      if ((own.alpha?.data[n] ?? 0) < 0.999) continue
      const ray = pixelRay(camera, own.x + x + 0.5, own.y + y + 0.5)
      const way = normalise(ray.along)
      const at = along(ray.from, way, toBall(ray.from, way) ?? 0)
      const facing = dot(normalise([at[0] - MIDDLE[0], at[1] - MIDDLE[1], at[2] - MIDDLE[2]]), towards)
      if (lit ? facing < 0.3 : facing > -0.1) continue
      added += luminance(own.colour?.data.subarray(n * 3, n * 3 + 3) as unknown as number[])
      const p = ((own.y + y) * camera.width + own.x + x) * 3
      real += luminance([...plate.data.subarray(p, p + 3)])
    }
  return real > 0 ? added / real - 1 : 0
}

/** How far the added ball is off the real one on its lit and on its shaded side, and the sun's direction, degrees. */
function oneSeed(crew: Crew, seed: number): { lit: number; shaded: number; angle: number } {
  const stream = random(1000 + seed)
  const [share, height] = [0.45 + 0.35 * stream.next(), 28 + 30 * stream.next()]
  const from = 250 + 50 * stream.next()
  const [f, h] = [(from * Math.PI) / 180, (height * Math.PI) / 180]
  const warm = 0.9 + 0.1 * stream.next()
  const truth: Sun = {
    // Shadows fall to the right.
    way: [Math.sin(f) * Math.cos(h), Math.sin(h), -Math.cos(f) * Math.cos(h)],
    sun: ofHue([1, warm, warm * 0.9], share),
    sky: ofHue([0.92, 1, 1.12], 1 - share),
  }
  const plate = tracedPlate(truth, seed)
  const off = ([x, y]: [number, number]): [number, number] => [
    x + CLICK * (2 * stream.next() - 1),
    y + CLICK * (2 * stream.next() - 1),
  ]
  const corner: Vec3 = [WALL.high[0], 0, WALL.high[2]]
  const reach = WALL.high[1] / truth.way[1]
  const tip: Vec3 = [corner[0] - truth.way[0] * reach, 0, corner[2] - truth.way[2] * reach]
  const document = makeShot('grey', {
    asset: 'a',
    file: 'f',
    width: camera.width,
    height: camera.height,
    first: 1,
    last: 1,
    rate: [24, 1],
    encoding: 'linear',
  })
  document.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  document.items.wall = makeItem('box', {
    name: 'Wall',
    order: 2,
    position: [(WALL.low[0] + WALL.high[0]) / 2, 0, (WALL.low[2] + WALL.high[2]) / 2],
    width: WALL.high[0] - WALL.low[0],
    height: WALL.high[1],
    depth: WALL.high[2] - WALL.low[2],
  })
  const line = {
    frame: 1,
    foot: off(pixelOf(corner)),
    top: off(pixelOf([corner[0], WALL.high[1], corner[2]])),
    tip: off(pixelOf(tip)),
  }
  const direction = sunOfLine(document, camera, line)
  // Within the wall's shadow, half of its height down; and in the sun.
  const half = reach / 2
  const z = (WALL.low[2] + WALL.high[2]) / 2
  const middle: Vec3 = [WALL.high[0] - truth.way[0] * half, 0, z - truth.way[2] * half]
  const bare: Vec3 = [0.2, 0, 1.4]
  const open = [bare, middle].map((at) => skySeen(document, at, [0, 1, 0], 1)) as [number, number]
  const found =
    direction &&
    lightOfPatches(
      meanRound(plate, off(pixelOf(bare))),
      meanRound(plate, off(pixelOf(middle))),
      [0, 1, 0],
      direction,
      open,
    )
  if (!direction || !found) return { lit: 1, shaded: 1, angle: 180 }
  // The plate's sky is even, as the artist sees.
  const light = { ...document.light, ...sunAngles(direction), ...found, sky: 'even' as const }
  const picture = render(
    crew,
    {
      ball: [
        thing(
          ball(RADIUS),
          { opening: { rotation: [0, 0, 0, 1], place: MIDDLE, scale: 1 } },
          { base: [GREY, GREY, GREY, 1], roughness: 1 },
        ),
      ],
    },
    { camera, light: plateLight(light), pieces: [ground()], plate, quality: FINAL },
  )
  const own = layer(picture, 'ball')
  const angle = (Math.acos(Math.min(1, dot(direction, truth.way))) * 180) / Math.PI
  return { lit: sideOff(own, plate, truth.way, true), shaded: sideOff(own, plate, truth.way, false), angle }
}

/** The share of seeds whose ball is within the bars. */
export function greyBallRows(crew: Crew): Row[] {
  const all = Array.from({ length: SEEDS }, (_, seed) => oneSeed(crew, seed))

  const share = (good: (one: (typeof all)[number]) => boolean): number => all.filter(good).length / SEEDS
  const reference = `a real ball in ${SEEDS} traced plates, clicks off by up to ${CLICK} px`
  return [
    atLeast(
      'solids, grey ball: lit side within 10 %',
      reference,
      0.9,
      share(({ lit }) => Math.abs(lit) < 0.1),
    ),
    atLeast(
      'solids, grey ball: shaded side within 10 %',
      reference,
      0.9,
      share(({ shaded }) => Math.abs(shaded) < 0.1),
    ),
    atLeast(
      'solids, grey ball: sun within 3 degrees',
      reference,
      0.9,
      share(({ angle }) => angle < 3),
    ),
  ]
}
