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
const REACH = 0.07
/** Squares with at least as much contrast as so many of all have enough of it; so many of them at most are looked for again. */
const ENOUGH = 0.6
/** And none has enough with less than this share of the most. */
const LEAST = 0.03
const CANDIDATES = 160

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

/** Sums of the structure tensor (Shi & Tomasi 1994) over a square. */
function tensor(image: Float32Array, width: number, x: number, y: number, side: number): [number, number, number] {
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
  return [xx, xy, yy]
}

/** Parts of a square each way of which a quarter may be plain. */
const PARTS = 4
/** How much contrast a square has in its weaker direction, times how much most of its parts have: squares on a grid of half a side. A silhouette has much at its edge, and none where only the sky is. */
function contrasts(
  image: Float32Array,
  width: number,
  height: number,
  side: number,
): { x: number; y: number; least: number }[] {
  const found: { x: number; y: number; least: number }[] = []
  const [half, part] = [side >> 1, Math.max(2, Math.floor(side / PARTS))]
  for (let y = 1; y + side < height - 1; y += half)
    for (let x = 1; x + side < width - 1; x += half) {
      const parts = Array.from({ length: PARTS * PARTS }, (_, n) =>
        tensor(image, width, x + (n % PARTS) * part, y + Math.floor(n / PARTS) * part, part),
      )
      const sum = (c: 0 | 1 | 2): number => parts.reduce((all, one) => all + one[c], 0)
      const [xx, xy, yy] = [sum(0), sum(1), sum(2)]
      const apart = (xx - yy) / 2
      const weaker = (xx + yy) / 2 - Math.sqrt(apart * apart + xy * xy)
      const plain = parts.map(([p, , q]) => p + q).sort((p, q) => p - q)[parts.length >> 2] ?? 0
      found.push({ x, y, least: Math.sqrt(Math.max(0, weaker) * plain) })
    }
  return found
}

/** How alike two squares are: their correlation about their means; -1 where one has no contrast, or does not lie in its picture. */
function alike(
  a: Float32Array,
  b: Float32Array,
  width: number,
  height: number,
  { x, y, side, dx, dy }: { x: number; y: number; side: number; dx: number; dy: number },
): number {
  if (x + dx < 0 || y + dy < 0 || x + dx + side > width || y + dy + side > height) return -1
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
  const count = side * side
  const own = (saa - (sa * sa) / count) * (sbb - (sb * sb) / count)
  return own > 1e-12 ? (sab - (sa * sb) / count) / Math.sqrt(own) : -1
}

/** Px between the places that are looked at first; the best is then looked at px by px. */
const COARSE = 2
/** How much a square is like the best of the squares round its place in another picture. */
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
  let best = { dx: 0, dy: 0, likeness: -1 }
  const look = (dx: number, dy: number): void => {
    const found = alike(a, b, width, height, { x, y, side, dx, dy })
    if (found > best.likeness) best = { dx, dy, likeness: found }
  }
  for (let dy = -reach; dy <= reach; dy += COARSE) for (let dx = -reach; dx <= reach; dx += COARSE) look(dx, dy)
  const { dx, dy } = best
  for (let j = 1 - COARSE; j < COARSE; j++) for (let i = 1 - COARSE; i < COARSE; i++) look(dx + i, dy + j)
  return best.likeness
}

/** How well a square of one frame is found again in a later one; -1 where it has no contrast. x, y: its corner, px. */
export function patchHolds(frame: FloatImage, later: FloatImage, x: number, y: number, side: number): number {
  const { width, height } = frame
  const s = Math.max(4, Math.min(Math.round(side), width - 2, height - 2))
  const [u, v] = [Math.min(width - s, Math.max(0, Math.round(x))), Math.min(height - s, Math.max(0, Math.round(y)))]
  return likeness(seen(frame), seen(later), width, height, u, v, s)
}

/**
 * Places for flat tracks in a frame, the best first, none over another: of the squares with contrast enough both ways, all over them, those that are found again most alike in a later frame of the same size.
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
  const squares = contrasts(a, width, height, side)
  const enough = squares.map(({ least }) => least).sort((p, q) => p - q)[Math.floor(ENOUGH * squares.length)] ?? 0
  const least = Math.max(enough, LEAST * Math.max(...squares.map((one) => one.least)))
  const fit = squares.filter(
    (one) => one.least > 0 && one.least >= least && allowed(one.x + side / 2, one.y + side / 2),
  )
  const each = Math.max(1, Math.ceil(fit.length / CANDIDATES))
  const candidates = fit
    .filter((_, n) => n % each === 0)
    .map(({ x, y, least }) => ({ x, y, least, likeness: likeness(a, b, width, height, x, y, side) }))
    .filter((one) => one.likeness >= HOLDS)
    // Where there is contrast enough, how alike it stays decides: what is not flat is seen otherwise from elsewhere.
    .sort((p, q) => q.likeness - p.likeness)
  const taken: PatchPlace[] = []
  for (const { x, y, likeness: alike } of candidates) {
    if (taken.some((one) => Math.abs(one.x - x) < side && Math.abs(one.y - y) < side)) continue
    taken.push({ x, y, side, likeness: alike })
    if (taken.length === most) break
  }
  return taken
}
