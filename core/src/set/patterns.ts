import { hash01 } from '../base/index.ts'
import type { Texture } from '../data/index.ts'
import { pow, smooth01, type Vec3 } from '../math/index.ts'

// Made patterns as pictures that go on past their edges without a seam: bricks, tiles, cells and noise, in two colours and one for joints, with the relief as slopes.

export interface PatternSettings {
  pattern: 'brick' | 'tile' | 'cells' | 'noise'
  /** Metres: length of a brick, tile or cell, breadth of the largest lumps. */
  size: number
  first: Vec3
  second: Vec3
  joint: Vec3
  /** Metres from the joints to the top. */
  relief: number
  variant: number
}
/** A pattern as pictures, and the metres across and down that they cover. */
export interface PatternPictures {
  base: Texture
  normal: Texture
  metres: readonly [number, number]
}

/** Units of a pattern across and down one picture, and how high one is against its length. */
const LAYOUT = {
  brick: { across: 4, down: 8, shape: 0.3 },
  tile: { across: 4, down: 4, shape: 1 },
  cells: { across: 6, down: 6, shape: 1 },
  noise: { across: 4, down: 4, shape: 1 },
} as const
/** Breadth of a joint, and of the rounding beside it, as shares of a unit's shorter side. */
const JOINT = 0.09
const ROUND = 0.12
const WIDTH = 512
/** How much weaker the next finer octave of noise is. */
const WEAKER = 0.6

/** What a place of a pattern is: 0 in the joint to 1 on top, and where between the two colours it lies. */
interface Place {
  height: number
  mix: number
}

const wrap = (n: number, count: number): number => ((n % count) + count) % count

/** Numbers in [0, 1] on a lattice that comes again after so many steps. */
const lattice = (seed: number, across: number, down: number): Float32Array =>
  Float32Array.from({ length: across * down }, (_, n) => hash01(seed, n % across, Math.floor(n / across)))

/** Octaves of value noise on lattices that come again, each twice as fine and 0.6 times as strong; about [0, 1]. */
function wrappedFractal(seed: number, across: number, down: number, octaves: number): (x: number, y: number) => number {
  const lattices = Array.from({ length: octaves }, (_, o) => lattice(seed + o, across << o, down << o))
  const weights = lattices.map((_, o) => lattices.slice(0, o).reduce((weight) => weight * WEAKER, 1))
  const total = weights.reduce((sum, weight) => sum + weight, 0)
  return (x, y) => {
    let sum = 0
    for (let o = 0; o < octaves; o++) {
      const [wide, high, table] = [across << o, down << o, lattices[o] as Float32Array]
      const px = x * (1 << o)
      const py = y * (1 << o)
      const [i, j] = [Math.floor(px), Math.floor(py)]
      const u = smooth01(px - i)
      const v = smooth01(py - j)
      const [left, right] = [wrap(i, wide), wrap(i + 1, wide)]
      const [upper, lower] = [wrap(j, high) * wide, wrap(j + 1, high) * wide]
      const [a, b] = [table[upper + left] ?? 0, table[lower + left] ?? 0]
      const top = a + ((table[upper + right] ?? 0) - a) * u
      const foot = b + ((table[lower + right] ?? 0) - b) * u
      sum += (weights[o] ?? 0) * (top + (foot - top) * v)
    }
    return sum / total
  }
}

/** Rows of units, each row shifted by `bond` of a unit against the one above. x and y in units. */
function rows(x: number, y: number, across: number, shape: number, bond: number, variant: number): Place {
  const row = Math.floor(y)
  const along = x + bond * (row & 1)
  const unit = Math.floor(along)
  // Distances to the sides in shares of the shorter side.
  const [u, v] = [along - unit, y - row]
  const side = Math.min(Math.min(u, 1 - u) / shape, Math.min(v, 1 - v))
  return {
    height: smooth01((side - JOINT / 2) / ROUND),
    mix: hash01(variant, wrap(unit, across), row, 7),
  }
}

/** Cells round scattered places (Worley 1996): the joint lies where two are equally near. */
function cells(count: number, variant: number): (x: number, y: number) => Place {
  const scattered = [1, 2, 3].map((what) =>
    Float32Array.from({ length: count * count }, (_, n) => hash01(variant, n % count, Math.floor(n / count), what)),
  )
  const [right = scattered[0], below = right, mixes = right] = scattered
  return (x, y) => {
    let [first, second, mix] = [Infinity, Infinity, 0]
    const [i, j] = [Math.floor(x), Math.floor(y)]
    for (let b = -2; b <= 2; b++)
      for (let a = -2; a <= 2; a++) {
        const n = wrap(j + b, count) * count + wrap(i + a, count)
        const dx = i + a + 0.5 + 0.8 * ((right?.[n] ?? 0) - 0.5) - x
        const dy = j + b + 0.5 + 0.8 * ((below?.[n] ?? 0) - 0.5) - y
        const away = Math.sqrt(dx * dx + dy * dy)
        if (away < first) {
          second = first
          first = away
          mix = mixes?.[n] ?? 0
        } else if (away < second) second = away
      }
    return { height: smooth01((second - first - JOINT) / (2 * ROUND)), mix }
  }
}

/** What every place of a pattern is, in its units. */
function placesOf(pattern: PatternSettings['pattern'], variant: number): (x: number, y: number) => Place {
  const { across, down, shape } = LAYOUT[pattern]
  if (pattern === 'cells') return cells(across, variant)
  if (pattern !== 'noise') return (x, y) => rows(x, y, across, shape, pattern === 'brick' ? 0.5 : 0, variant)
  const noise = wrappedFractal(variant, across, down, 6)
  return (x, y) => {
    const value = smooth01(1.6 * (noise(x, y) - 0.5) + 0.5)
    return { height: value, mix: value }
  }
}

const byte = (value: number): number => Math.round(255 * Math.min(1, Math.max(0, value)))
const STEPS = 4096
const SRGB = Uint8Array.from({ length: STEPS }, (_, n) => {
  const light = n / (STEPS - 1)
  return byte(light <= 0.0031308 ? light * 12.92 : 1.055 * pow(light, 1 / 2.4) - 0.055)
})
const srgbByte = (light: number): number => SRGB[Math.round(Math.min(1, Math.max(0, light)) * (STEPS - 1))] ?? 0

/** The colour of a place: noise goes through three colours, the others from the joint's to the unit's. grain: a little unevenness, about 0. */
function colourAt({ pattern, first, second, joint }: PatternSettings, { height, mix }: Place, grain: number): number[] {
  return [0, 1, 2].map((c) => {
    const [a = 0, b = 0, other = 0] = [first[c], second[c], joint[c]]
    const light =
      pattern === 'noise'
        ? mix < 0.5
          ? a + (b - a) * 2 * mix
          : b + (other - b) * (2 * mix - 1)
        : other + (a + (b - a) * mix - other) * height
    return srgbByte(light * (1 + grain))
  })
}

/** Heights (row by row from the top, metres) of a picture without seams as a normal map. metres: what it covers. */
export function normalMap(
  heights: Float32Array,
  width: number,
  height: number,
  [across, down]: readonly [number, number],
): Uint8Array {
  const data = new Uint8Array(width * height * 4)
  const at = (x: number, y: number): number => heights[wrap(y, height) * width + wrap(x, width)] ?? 0
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const dx = ((at(x + 1, y) - at(x - 1, y)) * width) / (2 * across)
      // The map's second axis goes up, rows go down.
      const dy = ((at(x, y - 1) - at(x, y + 1)) * height) / (2 * down)
      const norm = 1 / Math.sqrt(1 + dx * dx + dy * dy)
      const n = (y * width + x) * 4
      data[n] = byte(0.5 - 0.5 * dx * norm)
      data[n + 1] = byte(0.5 - 0.5 * dy * norm)
      data[n + 2] = byte(0.5 + 0.5 * norm)
      data[n + 3] = 255
    }
  return data
}

const kept = new Map<string, PatternPictures>()
const MOST_KEPT = 16

/** A pattern's pictures; those made last are kept. */
export function patternPictures(settings: PatternSettings): PatternPictures {
  const key = JSON.stringify(settings)
  const known = kept.get(key)
  if (known) return known
  const { across, down, shape } = LAYOUT[settings.pattern]
  const metres = [across * settings.size, down * shape * settings.size] as const
  const [width, height] = [WIDTH, Math.round((WIDTH * metres[1]) / metres[0])]
  const base = new Uint8Array(width * height * 4)
  const heights = new Float32Array(width * height)
  const variant = Math.round(settings.variant)
  const placeAt = placesOf(settings.pattern, variant)
  const grained = wrappedFractal(variant + 91, across * 6, down * 6, 3)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const [u, v] = [((x + 0.5) / width) * across, ((y + 0.5) / height) * down]
      const place = placeAt(u, v)
      const grain = 0.25 * (grained(u * 6, v * 6) - 0.5)
      const n = y * width + x
      base.set([...colourAt(settings, place, grain), 255], n * 4)
      heights[n] = settings.relief * (place.height + 0.15 * grain)
    }
  const whole = { width, height, wrap: ['repeat', 'repeat'] } as const
  const made: PatternPictures = {
    base: { ...whole, data: base, srgb: true },
    normal: { ...whole, data: normalMap(heights, width, height, metres), srgb: false },
    metres,
  }
  for (const oldest of kept.keys()) if (kept.size >= MOST_KEPT) kept.delete(oldest)
  kept.set(key, made)
  return made
}
