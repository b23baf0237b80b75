import type { FloatImage } from '../data/index.ts'

// Places for flat tracks: where a square of the plate has contrast both ways and looks the same some frames later.

/** A place for a flat track, px of the picture that was looked at. */
export interface PatchPlace {
  x: number
  y: number
  /** Of its side. */
  side: number
  /** How much it is like what is found there later: 1 the same. */
  likeness: number
}

/** Below this a patch does not hold: foliage, water, a face of many leaves. */
export const HOLDS = 0.8

/** Side of a patch and reach of what moves, shares of the picture's width. */
const SIDE = 0.08
const REACH = 0.05
/** Best candidates that are followed; how many are proposed. */
const CANDIDATES = 40

/** Brightness as it is seen: its root, smoothed over 3 x 3 px. */
function seen({ width, height, channels, data }: FloatImage): Float32Array {
  const root = new Float32Array(width * height)
  for (let n = 0; n < root.length; n++) {
    const at = n * channels
    const level = 0.2126 * (data[at] as number) + 0.7152 * (data[at + 1] as number) + 0.0722 * (data[at + 2] as number)
    root[n] = Math.sqrt(Math.max(0, level))
  }
  const out = new Float32Array(root.length)
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let sum = 0
      for (let j = -1; j <= 1; j++)
        for (let i = -1; i <= 1; i++) {
          const [u, v] = [Math.min(width - 1, Math.max(0, x + i)), Math.min(height - 1, Math.max(0, y + j))]
          sum += root[v * width + u] as number
        }
      out[y * width + x] = sum / 9
    }
  return out
}

/** The least eigenvalue of the structure tensor over each square (Shi & Tomasi 1994), on a grid of half a side. */
function contrasts(
  image: Float32Array,
  width: number,
  height: number,
  side: number,
): { x: number; y: number; least: number }[] {
  const found: { x: number; y: number; least: number }[] = []
  const step = Math.max(1, side >> 1)
  for (let y = 1; y + side < height - 1; y += step)
    for (let x = 1; x + side < width - 1; x += step) {
      let [xx, xy, yy] = [0, 0, 0]
      for (let v = y; v < y + side; v++)
        for (let u = x; u < x + side; u++) {
          const n = v * width + u
          const gx = ((image[n + 1] as number) - (image[n - 1] as number)) / 2
          const gy = ((image[n + width] as number) - (image[n - width] as number)) / 2
          xx += gx * gx
          xy += gx * gy
          yy += gy * gy
        }
      const half = (xx - yy) / 2
      found.push({ x, y, least: (xx + yy) / 2 - Math.sqrt(half * half + xy * xy) })
    }
  return found
}

/** How much a square is like the best of the squares round its place in another picture: their correlation about their means. */
function likeness(
  a: Float32Array,
  b: Float32Array,
  width: number,
  height: number,
  x: number,
  y: number,
  side: number,
): number {
  const reach = Math.round(REACH * width)
  const count = side * side
  let best = -1
  for (let dy = -reach; dy <= reach; dy++)
    for (let dx = -reach; dx <= reach; dx++) {
      if (x + dx < 0 || y + dy < 0 || x + dx + side > width || y + dy + side > height) continue
      let [sa, sb, saa, sbb, sab] = [0, 0, 0, 0, 0]
      for (let v = 0; v < side; v++)
        for (let u = 0; u < side; u++) {
          const p = a[(y + v) * width + x + u] as number
          const q = b[(y + dy + v) * width + x + dx + u] as number
          sa += p
          sb += q
          saa += p * p
          sbb += q * q
          sab += p * q
        }
      const own = (saa - (sa * sa) / count) * (sbb - (sb * sb) / count)
      if (own > 0) best = Math.max(best, (sab - (sa * sb) / count) / Math.sqrt(own))
    }
  return best
}

/** How well a square of one frame is found again in a later one; -1 where it has no contrast. x, y: its corner, px. */
export function patchHolds(frame: FloatImage, later: FloatImage, x: number, y: number, side: number): number {
  const { width, height } = frame
  const s = Math.max(4, Math.min(Math.round(side), width - 2, height - 2))
  const [u, v] = [Math.min(width - s, Math.max(0, Math.round(x))), Math.min(height - s, Math.max(0, Math.round(y)))]
  return likeness(seen(frame), seen(later), width, height, u, v, s)
}

/**
 * Places for flat tracks in a frame, the best first, none over another: of the squares with most contrast in their weaker direction (Shi & Tomasi 1994) those that are found again, alike, in a later frame of the same size.
 * allowed: whether a place may be taken (px).
 */
export function patchPlaces(
  frame: FloatImage,
  later: FloatImage,
  most: number,
  allowed: (x: number, y: number) => boolean = () => true,
): PatchPlace[] {
  const { width, height } = frame
  const side = Math.max(8, Math.round(SIDE * width))
  const [a, b] = [seen(frame), seen(later)]
  const candidates = contrasts(a, width, height, side)
    .filter(({ x, y }) => allowed(x + side / 2, y + side / 2))
    .sort((p, q) => q.least - p.least)
    .slice(0, CANDIDATES)
    .map(({ x, y, least }) => ({ x, y, least, likeness: likeness(a, b, width, height, x, y, side) }))
    .filter((one) => one.likeness >= HOLDS)
    // How alike it stays counts before how much contrast it has.
    .sort((p, q) => q.likeness ** 8 * q.least - p.likeness ** 8 * p.least)
  const taken: PatchPlace[] = []
  for (const { x, y, likeness: alike } of candidates) {
    if (taken.some((one) => Math.abs(one.x - x) < side && Math.abs(one.y - y) < side)) continue
    taken.push({ x, y, side, likeness: alike })
    if (taken.length === most) break
  }
  return taken
}
