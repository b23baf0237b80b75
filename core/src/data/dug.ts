import { decodeBase64 } from '../base/index.ts'
import { atan2, cos, noise3, sin, smooth01, type Vec3 } from '../math/index.ts'

// A hole or heap in level ground, as heights over it.

/** Heights of a grey picture: rows from the far side to the near one, as 16-bit numbers, low byte first, in base64. */
export interface HeightGrid {
  width: number
  height: number
  values: string
}
const heights = new WeakMap<HeightGrid, Float32Array>()
/** Its heights, 0 to 1. */
function heightsOf(grid: HeightGrid): Float32Array {
  const known = heights.get(grid)
  if (known) return known
  const bytes = decodeBase64(grid.values) ?? new Uint8Array()
  const made = Float32Array.from(
    { length: grid.width * grid.height },
    (_, n) => ((bytes[2 * n] ?? 0) + 256 * (bytes[2 * n + 1] ?? 0)) / 65_535,
  )
  heights.set(grid, made)
  return made
}

export interface Dug {
  /** Its middle on the ground, x and z, m, and how it is turned about the upright axis, radians. */
  x: number
  z: number
  turn: number
  /** Half width and half depth of what is changed; nothing beyond, m. */
  half: readonly [number, number]
  /** By how much of itself the outline goes in and out, and how far the surface does, m. */
  irregular: number
  rough: number
  /** m across of what is rough. */
  grain: number
  seed: number
  shape:
    | {
        kind: 'crater'
        /** To the rim's crest, m. */
        radius: number
        /** Below the ground and over it, m. */
        depth: number
        rim: number
        /** From the floor (0) to the rim (1): shares of the radius and of the height, rising in radius. */
        stops: readonly (readonly [number, number])[]
      }
    /** height: m of a white pixel; negative digs. */
    | { kind: 'picture'; grid: HeightGrid; height: number }
}

/** A curve through stops, level beyond them, without overshoot (monotone cubic: Fritsch & Carlson 1980). */
export function stopsAt(stops: readonly (readonly [number, number])[], x: number): number {
  const n = stops.findIndex(([at]) => at > x)
  if (n === 0) return stops[0]?.[1] ?? 0
  if (n < 0) return stops.at(-1)?.[1] ?? 0
  const slope = (k: number): number => {
    const [a, b] = [stops[k], stops[k + 1]]
    return a && b && b[0] > a[0] ? (b[1] - a[1]) / (b[0] - a[0]) : 0
  }
  const tangent = (k: number): number => {
    if (k <= 0 || k >= stops.length - 1) return k <= 0 ? slope(0) : slope(stops.length - 2)
    const [a, b] = [slope(k - 1), slope(k)]
    return a * b <= 0 ? 0 : (2 * a * b) / (a + b)
  }
  const [from, to] = [stops[n - 1] as readonly [number, number], stops[n] as readonly [number, number]]
  const span = to[0] - from[0]
  const t = (x - from[0]) / span
  const [t2, t3] = [t * t, t * t * t]
  return (
    (2 * t3 - 3 * t2 + 1) * from[1] +
    (t3 - 2 * t2 + t) * span * tangent(n - 1) +
    (3 * t2 - 2 * t3) * to[1] +
    (t3 - t2) * span * tangent(n)
  )
}

/** A place of a grid between its pixels, 0 beyond its edge; u, v: 0 to 1. */
function gridAt(grid: HeightGrid, u: number, v: number): number {
  const { width, height } = grid
  const values = heightsOf(grid)
  const [x, y] = [u * width - 0.5, v * height - 0.5]
  const [i, j] = [Math.floor(x), Math.floor(y)]
  const at = (a: number, b: number): number =>
    a < 0 || b < 0 || a >= width || b >= height ? 0 : (values[b * width + a] ?? 0)
  const [fx, fy] = [x - i, y - j]
  return (at(i, j) * (1 - fx) + at(i + 1, j) * fx) * (1 - fy) + (at(i, j + 1) * (1 - fx) + at(i + 1, j + 1) * fx) * fy
}

/** How far from its middle a hole or heap reaches at most, m. */
export const dugReach = ({ half, shape }: Dug): number =>
  shape.kind === 'crater' ? Math.max(half[0], half[1]) : Math.sqrt(half[0] * half[0] + half[1] * half[1])

/** How far past the rim the flank goes on, in radii: there it is flat. */
export const FLANK = 2.2

/** Height over the level ground at a place, m; exactly 0 beyond its edge. */
export function dugHeight(dug: Dug, x: number, z: number): number {
  const { turn, half, irregular, rough, grain, seed, shape } = dug
  const [dx, dz] = [x - dug.x, z - dug.z]
  const [c, s] = [cos(turn), sin(turn)]
  const [px, pz] = [c * dx - s * dz, s * dx + c * dz]
  if (Math.abs(px) >= half[0] || Math.abs(pz) >= half[1]) return 0
  if (shape.kind === 'picture') {
    const [u, v] = [0.5 + px / (2 * half[0]), 0.5 + pz / (2 * half[1])]
    const edge = smooth01(Math.min(u, v, 1 - u, 1 - v) / 0.04)
    const value = gridAt(shape.grid, u, v) * edge
    return shape.height * value + roughness(rough, grain, seed, px, pz) * Math.min(1, 4 * value)
  }
  const { radius, depth, rim, stops } = shape
  const away = Math.sqrt(px * px + pz * pz)
  const angle = atan2(pz, px)
  const wave = noise3(seed, 1.6 * cos(angle) + 7, 1.6 * sin(angle) + 3, 0.5)
  const own = radius * (1 + irregular * wave)
  const r = away / own
  if (r >= FLANK) return 0
  const height =
    r < 1
      ? -depth + (depth + rim) * stopsAt(stops, r)
      : // A blanket that thins out by the cube of the distance (McGetchin et al. 1973), brought to nothing at its edge.
        (rim / (r * r * r)) * (1 - smooth01((r - 1) / (FLANK - 1)))
  const share = r < 1 ? 1 : 1 - smooth01((r - 1) / (FLANK - 1))
  return height + share * roughness(rough, grain, seed, px, pz)
}

function roughness(rough: number, grain: number, seed: number, x: number, z: number): number {
  if (rough <= 0) return 0
  const k = 1 / Math.max(1e-3, grain)
  return rough * (noise3(seed + 1, k * x, k * z, 0.3) + 0.5 * noise3(seed + 2, 2.3 * k * x, 2.3 * k * z, 0.7))
}

/** Outward direction of the surface at a place, unit. */
export function dugNormal(dug: Dug, x: number, z: number): Vec3 {
  const step = 0.01 * Math.max(0.1, Math.min(dug.half[0], dug.half[1]))
  const sx = (dugHeight(dug, x + step, z) - dugHeight(dug, x - step, z)) / (2 * step)
  const sz = (dugHeight(dug, x, z + step) - dugHeight(dug, x, z - step)) / (2 * step)
  const length = Math.sqrt(1 + sx * sx + sz * sz)
  return [-sx / length, 1 / length, -sz / length]
}

/** Volumes below the ground and over it, m^3: sums over a raster. */
export function dugVolumes(dug: Dug, steps = 400): { hole: number; heap: number } {
  const reach = Math.sqrt(dug.half[0] ** 2 + dug.half[1] ** 2)
  const cell = (2 * reach) / steps
  let [hole, heap] = [0, 0]
  for (let j = 0; j < steps; j++)
    for (let i = 0; i < steps; i++) {
      const height = dugHeight(dug, dug.x - reach + (i + 0.5) * cell, dug.z - reach + (j + 0.5) * cell)
      if (height < 0) hole -= height
      else heap += height
    }
  return { hole: hole * cell * cell, heap: heap * cell * cell }
}
