import { acos, cos, degrees, dot, radians, sin, type Vec3 } from '../../math/index.ts'

// Where the light on a thing comes from, by how bright it is on sides that face different ways.

/** A pixel of a thing: which way it faces, unit, world, and how bright it is. */
export interface FacingPixel {
  normal: Vec3
  light: number
  /** How bright the plate's sky makes what faces so. */
  sky: number
}

const MOST = 1600
const LEAST = 150
/** Sides must face at least so many ways: the least variance of normals along any direction. */
const LEAST_WAYS = 0.012
/** Normals within about 25 degrees count as one way; so many ways of at least such a share must be seen. */
const WAYS = 9
const LEAST_PART = 0.02
/** So many pixels that are darkest against a first fit stand in shadow. */
const SHADED = 0.3
/** A fit that explains less of the brightness than this tells no direction. */
const LEAST_TOLD = 0.75

const directionOf = (azimuth: number, height: number): Vec3 => {
  const [a, h] = [radians(azimuth), radians(height)]
  return [sin(a) * cos(h), sin(h), -cos(a) * cos(h)]
}

/** The least eigenvalue of a symmetric 3 x 3 matrix, by its characteristic polynomial (Smith 1961). */
function leastEigenvalue(m: readonly number[][]): number {
  const at = (i: number, j: number): number => m[i]?.[j] ?? 0
  const mean = (at(0, 0) + at(1, 1) + at(2, 2)) / 3
  const off = at(0, 1) ** 2 + at(0, 2) ** 2 + at(1, 2) ** 2
  const p = Math.sqrt(((at(0, 0) - mean) ** 2 + (at(1, 1) - mean) ** 2 + (at(2, 2) - mean) ** 2 + 2 * off) / 6)
  if (p < 1e-12) return mean
  const b = (i: number, j: number): number => (at(i, j) - (i === j ? mean : 0)) / p
  const det =
    b(0, 0) * (b(1, 1) * b(2, 2) - b(1, 2) * b(2, 1)) -
    b(0, 1) * (b(1, 0) * b(2, 2) - b(1, 2) * b(2, 0)) +
    b(0, 2) * (b(1, 0) * b(2, 1) - b(1, 1) * b(2, 0))
  const angle = acos(Math.min(1, Math.max(-1, det / 2))) / 3
  return mean + 2 * p * cos(angle + (2 * Math.PI) / 3)
}

/** How many ways pixels face. */
function waysOf(pixels: readonly FacingPixel[]): number {
  const counts = new Map<string, number>()
  for (const { normal } of pixels) {
    const key = normal.map((v) => Math.round(v * 2.2)).join()
    counts.set(key, (counts.get(key) ?? 0) + 1)
  }
  return [...counts.values()].filter((count) => count >= LEAST_PART * pixels.length).length
}

/** How little of the brightness is left over by so much sun x max(0, n . l) and so much of the plate's sky, both at least nothing. */
function leftOver(pixels: readonly FacingPixel[], l: Vec3): { left: number; sun: number; sky: number } {
  let [ss, sa, aa, sy, ay, yy] = [0, 0, 0, 0, 0, 0]
  for (const { normal, light, sky } of pixels) {
    const s = Math.max(0, dot(normal, l))
    const a = sky
    ss += s * s
    sa += s * a
    aa += a * a
    sy += s * light
    ay += a * light
    yy += light * light
  }
  const det = ss * aa - sa * sa
  let [sun, share] = det > 1e-9 ? [(sy * aa - ay * sa) / det, (ay * ss - sy * sa) / det] : [0, ay / Math.max(1e-9, aa)]
  if (sun < 0) [sun, share] = [0, ay / Math.max(1e-9, aa)]
  if (share < 0) [sun, share] = [sy / Math.max(1e-9, ss), 0]
  const left = yy - 2 * (sun * sy + share * ay) + sun * sun * ss + 2 * sun * share * sa + share * share * aa
  return { left, sun, sky: share }
}

/**
 * The direction that light on a thing comes from, unit, towards the light; undefined where its sides face too few ways, or are lit evenly.
 * Least squares of a sun and a sky on a matt surface over all directions, coarse to fine. What shades itself, or is of several colours, makes it rougher.
 */
export function lightFrom(all: readonly FacingPixel[]): Vec3 | undefined {
  if (all.length < LEAST) return undefined
  const step = Math.max(1, Math.floor(all.length / MOST))
  const pixels = all.filter((_, n) => n % step === 0)
  const n = pixels.length
  const mean = [0, 1, 2].map((c) => pixels.reduce((sum, { normal }) => sum + (normal[c as 0] ?? 0), 0) / n)
  const spread = [0, 1, 2].map((i) =>
    [0, 1, 2].map(
      (j) =>
        pixels.reduce(
          (sum, { normal }) => sum + (normal[i as 0] - (mean[i] ?? 0)) * (normal[j as 0] - (mean[j] ?? 0)),
          0,
        ) / n,
    ),
  )
  if (leastEigenvalue(spread) < LEAST_WAYS) return undefined
  if (waysOf(pixels) < WAYS) return undefined
  const first = bestOf(pixels)
  const lit = notShaded(pixels, directionOf(first.azimuth, first.height))
  const best = bestOf(lit, first)
  const level = lit.reduce((sum, { light }) => sum + light, 0) / lit.length
  const varied = lit.reduce((sum, { light }) => sum + (light - level) ** 2, 0)
  return varied > 0 && 1 - best.left / varied > LEAST_TOLD ? directionOf(best.azimuth, best.height) : undefined
}

interface Fit {
  azimuth: number
  height: number
  left: number
}

/** The direction that leaves least over; from all of them, or near one that is known. */
function bestOf(pixels: readonly FacingPixel[], near?: Fit): Fit {
  let best: Fit = near ? { ...near, left: Infinity } : { azimuth: 0, height: 45, left: Infinity }
  const look = (azimuth: number, height: number): void => {
    if (height < 0 || height > 90) return
    const left = leftOver(pixels, directionOf(azimuth, height)).left
    if (left < best.left) best = { azimuth, height, left }
  }
  if (near)
    for (let h = -20; h <= 20; h += 5) for (let a = -30; a <= 30; a += 6) look(near.azimuth + a, near.height + h)
  else for (let h = 5; h <= 85; h += 10) for (let a = 0; a < 360; a += 12) look(a, h)
  for (let size = 6; size > 0.4; size /= 2) {
    const { azimuth, height } = best
    for (const dh of [-1, 0, 1]) for (const da of [-1, 0, 1]) look(azimuth + da * size * 1.5, height + dh * size)
  }
  return best
}

/** Pixels without those that are darkest against a fit: they stand in shadow. */
function notShaded(pixels: readonly FacingPixel[], l: Vec3): FacingPixel[] {
  const { sun, sky } = leftOver(pixels, l)
  const off = pixels.map((pixel) => ({
    pixel,
    off: pixel.light - sun * Math.max(0, dot(pixel.normal, l)) - sky * pixel.sky,
  }))
  return off
    .sort((a, b) => a.off - b.off)
    .slice(Math.floor(SHADED * off.length))
    .map(({ pixel }) => pixel)
}

/** Degrees between two unit directions. */
export const degreesBetween = (a: Vec3, b: Vec3): number => degrees(acos(Math.min(1, Math.max(-1, dot(a, b)))))
