import type { FloatImage } from '../../data/index.ts'

// Parts of a picture that are measured.

/** A part of a picture: a byte a pixel within its bounds, 1 where it is looked at. */
export interface Region {
  x: number
  y: number
  width: number
  height: number
  mask: Uint8Array
  /** Pixels in it. */
  pixels: number
}

export const NO_REGION: Region = { x: 0, y: 0, width: 0, height: 0, mask: new Uint8Array(), pixels: 0 }

/** The region of a test of pixels, within bounds of a picture. */
export function regionWhere(
  width: number,
  height: number,
  test: (n: number) => boolean,
  within: { x: number; y: number; width: number; height: number } = { x: 0, y: 0, width, height },
): Region {
  let [left, top, right, bottom] = [width, height, -1, -1]
  const x1 = Math.min(width, within.x + within.width)
  const y1 = Math.min(height, within.y + within.height)
  for (let y = Math.max(0, within.y); y < y1; y++)
    for (let x = Math.max(0, within.x); x < x1; x++)
      if (test(y * width + x)) {
        left = Math.min(left, x)
        right = Math.max(right, x)
        top = Math.min(top, y)
        bottom = y
      }
  if (right < 0) return NO_REGION
  const region = { x: left, y: top, width: right - left + 1, height: bottom - top + 1 }
  const mask = new Uint8Array(region.width * region.height)
  let pixels = 0
  for (let y = 0; y < region.height; y++)
    for (let x = 0; x < region.width; x++)
      if (test((y + top) * width + x + left)) {
        mask[y * region.width + x] = 1
        pixels++
      }
  return { ...region, mask, pixels }
}

/** Whether a pixel of the picture is in a region. */
export const isIn = ({ x, y, width, height, mask }: Region, px: number, py: number): boolean =>
  px >= x && py >= y && px < x + width && py < y + height && mask[(py - y) * width + px - x] === 1

/** A region without what lies nearer than `by` px to its edge. */
export function eroded(region: Region, by: number, width: number, height: number): Region {
  if (region.pixels === 0 || by < 1) return region
  // First along rows, then along columns: the square of side 2 by + 1.
  const { x, y, width: w, height: h, mask } = region
  const rows = new Uint8Array(mask.length)
  for (let j = 0; j < h; j++) {
    let run = 0
    for (let i = 0; i < w; i++) {
      run = mask[j * w + i] === 1 ? run + 1 : 0
      if (run > 2 * by) rows[j * w + i - by] = 1
    }
  }
  const kept = new Uint8Array(mask.length)
  for (let i = 0; i < w; i++) {
    let run = 0
    for (let j = 0; j < h; j++) {
      run = rows[j * w + i] === 1 ? run + 1 : 0
      if (run > 2 * by) kept[(j - by) * w + i] = 1
    }
  }
  return regionWhere(width, height, (n) => kept[(Math.floor(n / width) - y) * w + (n % width) - x] === 1, {
    x,
    y,
    width: w,
    height: h,
  })
}

/** A region with what lies within `by` px of it. */
export function grown(region: Region, by: number, width: number, height: number): Region {
  if (region.pixels === 0) return region
  const { x, y, width: w, height: h, mask } = region
  const [x0, y0] = [Math.max(0, x - by), Math.max(0, y - by)]
  const [wide, high] = [Math.min(width, x + w + by) - x0, Math.min(height, y + h + by) - y0]
  const rows = new Uint8Array(wide * high)
  for (let j = 0; j < h; j++)
    for (let i = 0; i < w; i++) {
      if (mask[j * w + i] !== 1) continue
      const at = (j + y - y0) * wide
      rows.fill(1, at + Math.max(0, i + x - x0 - by), at + Math.min(wide, i + x - x0 + by + 1))
    }
  const all = new Uint8Array(wide * high)
  for (let i = 0; i < wide; i++) {
    let [above, below] = [-Infinity, Infinity]
    for (let j = 0; j < high; j++) {
      if (rows[j * wide + i] === 1) above = j
      if (j - above <= by) all[j * wide + i] = 1
    }
    for (let j = high - 1; j >= 0; j--) {
      if (rows[j * wide + i] === 1) below = j
      if (below - j <= by) all[j * wide + i] = 1
    }
  }
  return regionWhere(width, height, (n) => all[(Math.floor(n / width) - y0) * wide + (n % width) - x0] === 1, {
    x: x0,
    y: y0,
    width: wide,
    height: high,
  })
}

/** What lies within corners, px. */
export function regionOf(corners: readonly (readonly [number, number])[], width: number, height: number): Region {
  const [xs, ys] = [corners.map(([x]) => x), corners.map(([, y]) => y)]
  const bounds = { x: Math.floor(Math.min(...xs)), y: Math.floor(Math.min(...ys)), width: 0, height: 0 }
  bounds.width = Math.ceil(Math.max(...xs)) - bounds.x
  bounds.height = Math.ceil(Math.max(...ys)) - bounds.y
  const inside = (n: number): boolean => {
    const [px, py] = [(n % width) + 0.5, Math.floor(n / width) + 0.5]
    let odd = false
    for (const [k, [ax, ay]] of corners.entries()) {
      const [bx, by] = corners[(k + 1) % corners.length] as readonly [number, number]
      if (ay > py !== by > py && px < ax + ((py - ay) * (bx - ax)) / (by - ay)) odd = !odd
    }
    return odd
  }
  return regionWhere(width, height, inside, bounds)
}

/** Brightness of r g b (Rec. 709) at a pixel of a picture of 3 or 4 channels. */
export const lightAt = ({ data, channels }: FloatImage, n: number): number =>
  0.2126 * (data[n * channels] ?? 0) + 0.7152 * (data[n * channels + 1] ?? 0) + 0.0722 * (data[n * channels + 2] ?? 0)
