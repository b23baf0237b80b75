import { type Camera, pixelRay, rayToSolid } from '../data/index.ts'
import { acos, asin, atan2, cos, degrees, dot, normalise, sin, subtract, type Vec3 } from '../math/index.ts'
import { piecesAt, solidOf, thingBounds, thingsAt } from '../set/index.ts'
import type { ItemDocument } from '../settings/index.ts'
import type { PlateLightSettings, SunLine } from '../shot/index.ts'
import { pickSurface } from './pick.ts'

// The sun from the plate: its direction by an upright thing and its shadow, its share and hue by a lit and a shaded patch.

/** Where the upright through a place passes nearest to a pixel's ray; undefined where the ray runs along it. */
function onUpright(camera: Camera, foot: Vec3, [x, y]: readonly [number, number]): Vec3 | undefined {
  const { from, along } = pixelRay(camera, x, y)
  const d = normalise(along)
  const across = 1 - d[1] * d[1]
  if (across < 1e-6) return undefined
  const o = subtract(from, foot)
  // Least distance between foot + h (0, 1, 0) and from + t d.
  const h = (o[1] - d[1] * dot(o, d)) / across
  return [foot[0], foot[1] + h, foot[2]]
}

/** Unit direction to the sun, by a line from an upright thing's foot to its top and on to its shadow's tip; undefined where one of them does not lie on the set, or the sun would stand below the horizon. */
export function sunOfLine(document: ItemDocument, camera: Camera, line: SunLine): Vec3 | undefined {
  const foot = pickSurface(document, camera, line.foot[0], line.foot[1], line.frame)?.point
  const tip = pickSurface(document, camera, line.tip[0], line.tip[1], line.frame)?.point
  const top = foot && onUpright(camera, foot, line.top)
  if (!tip || !top) return undefined
  const way = subtract(top, tip)
  if (way[1] <= 1e-3 || dot(way, way) < 1e-6) return undefined
  return normalise(way)
}

/** A direction to the sun as the document has it, degrees: where it comes from, and its height. */
export function sunAngles(direction: Vec3): { sunFrom: number; sunHeight: number } {
  const from = degrees(atan2(direction[0], -direction[2]))
  return { sunFrom: (from + 360) % 360, sunHeight: degrees(asin(Math.min(1, Math.max(-1, direction[1])))) }
}

/** The sun by all of a shot's lines: their mean direction, and by how many degrees the worst of them is off that. camera: of a frame. */
export function sunOfLines(
  document: ItemDocument & { light: Pick<PlateLightSettings, 'sunLines'> },
  camera: (frame: number) => Camera | undefined,
): { direction: Vec3; apart: number; used: number } | undefined {
  const all: Vec3[] = []
  for (const line of document.light.sunLines) {
    const seen = camera(line.frame)
    const way = seen && sunOfLine(document, seen, line)
    if (way) all.push(way)
  }
  if (all.length === 0) return undefined
  const direction = normalise(
    [0, 1, 2].map((axis) => all.reduce((sum, one) => sum + (one[axis] ?? 0), 0)) as unknown as Vec3,
  )
  const apart = Math.max(...all.map((one) => degrees(acos(Math.min(1, dot(one, direction))))))
  return { direction, apart, used: all.length }
}

const luminance = (c: readonly number[]): number => 0.2126 * (c[0] ?? 0) + 0.7152 * (c[1] ?? 0) + 0.0722 * (c[2] ?? 0)

/** Rays by which it is seen how much of the sky a place has. */
const SKY_RAYS = 256
/** What hides the sky sends on so much of its light. */
const SENT_ON = 0.25

/** The share of an even sky's light on level ground that a place has: its surface may lean, and pieces and things of the set may hide some of the sky. */
export function skySeen(document: ItemDocument, at: Vec3, normal: Vec3, frame: number): number {
  const solids = [
    ...piecesAt(document, frame).map(([, item]) => solidOf(item)),
    ...thingsAt(document, frame).map(([, item]) => thingBounds(item)),
  ].filter(({ kind }) => kind !== 'halfspace')
  const from: Vec3 = [at[0] + 0.01 * normal[0], at[1] + 0.01 * normal[1], at[2] + 0.01 * normal[2]]
  let seen = 0
  for (let n = 0; n < SKY_RAYS; n++) {
    // Cosine-weighted about the normal: a place on the unit sphere added to it (Malley), the sphere filled by a golden spiral.
    const z = 1 - (2 * n + 1) / SKY_RAYS
    const [round, a] = [Math.sqrt(1 - z * z), n * Math.PI * (3 - Math.sqrt(5))]
    const way = normalise([normal[0] + round * cos(a), normal[1] + z, normal[2] + round * sin(a)])
    if (way[1] <= 0) continue
    seen += solids.some((solid) => rayToSolid(solid, from, way) !== undefined) ? SENT_ON : 1
  }
  return seen / SKY_RAYS
}

/**
 * The sun's share of the light on level ground, and both hues, from a lit and a shaded patch of one surface in linear light.
 * normal: of that surface; direction: to the sun; open: the shares of the sky's light that the lit and the shaded patch have (skySeen), as an open place of that normal where it is not known. What the shaded patch has is the sky's, the rest of the lit one the sun's; together they are white. Undefined where the lit patch is not the brighter.
 */
export function lightOfPatches(
  lit: readonly [number, number, number],
  shaded: readonly [number, number, number],
  normal: Vec3,
  direction: Vec3,
  open: readonly [number, number] = [0.5 + 0.5 * normal[1], 0.5 + 0.5 * normal[1]],
): Pick<PlateLightSettings, 'sunShare' | 'sunColour' | 'skyColour'> | undefined {
  // The shaded patch as it would be with as much sky as the lit one.
  const more = open[0] / Math.max(0.05, open[1])
  const left = lit.map((value, c) => Math.min(0.999, Math.max(1e-3, (more * (shaded[c] ?? 0)) / Math.max(1e-6, value))))
  const sky = luminance(left)
  const cosine = dot(normal, direction)
  if (luminance(shaded) >= luminance(lit) || sky >= 0.995 || cosine <= 0.02) return undefined
  // On a surface that is not level both fall otherwise: the sun by its cosine, an even sky by how much of it is seen.
  const ratio = (((1 - sky) / sky) * open[0]) / cosine
  const level = ratio * direction[1]
  const hue = (part: (k: number) => number): [number, number, number] => {
    const colour = left.map(part)
    const whole = Math.max(1e-6, luminance(colour))
    return colour.map((value) => Math.min(4, Math.round((value / whole) * 1000) / 1000)) as [number, number, number]
  }
  return {
    sunShare: Math.round((level / (1 + level)) * 1000) / 1000,
    sunColour: hue((k) => 1 - k),
    skyColour: hue((k) => k),
  }
}

/** Illuminance that exposes a white for 1.0, lux, from camera notes: E = C N^2 / (t S), C = 250 (ISO 2720, flat receptor). shutter: s. */
export const illuminanceOfNotes = (fNumber: number, shutterSeconds: number, iso: number): number =>
  (250 * fNumber * fNumber) / (shutterSeconds * iso)
