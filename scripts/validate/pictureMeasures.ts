import type { FloatImage } from '../../core/src/data/index.ts'

// What makes a flame or smoke look filmed, measured on pictures of one value a pixel.

export interface Grey {
  width: number
  height: number
  data: Float32Array
}

export const luminance = ({ width, height, channels, data }: FloatImage): Grey => ({
  width,
  height,
  data: Float32Array.from(
    { length: width * height },
    (_, n) =>
      0.2126 * (data[n * channels] ?? 0) +
      0.7152 * (data[n * channels + 1] ?? 0) +
      0.0722 * (data[n * channels + 2] ?? 0),
  ),
})
export const alphaOf = ({ width, height, data }: FloatImage): Grey => ({
  width,
  height,
  data: Float32Array.from({ length: width * height }, (_, n) => data[n * 4 + 3] ?? 0),
})

/** The value that a share of all that shines lies below. */
export function brightLevel({ data }: Grey, share = 0.98): number {
  const shining = Array.from(data.filter((v) => v > 1e-3)).sort((a, b) => a - b)
  return shining[Math.floor(shining.length * share)] ?? 0
}

const slopeOf = (points: readonly (readonly [number, number])[]): number => {
  const [mx, my] = [0, 1].map((n) => points.reduce((sum, p) => sum + (p[n] ?? 0), 0) / points.length) as [
    number,
    number,
  ]
  const top = points.reduce((sum, [x, y]) => sum + (x - mx) * (y - my), 0)
  return top / points.reduce((sum, [x]) => sum + (x - mx) ** 2, 0)
}

/**
 * Dimension of the outline at half the bright level: how the count of boxes that it passes grows as they shrink. A box is passed where its pixels, one more than its edge has, are on both sides; each size is counted from four
 * corners. sizes: of the boxes, px.
 */
export function outlineDimension(image: Grey, sizes: readonly number[] = [2, 3, 4, 6, 8, 12, 16]): number {
  const { width, height, data } = image
  const level = brightLevel(image) / 2
  const passed = (x: number, y: number, size: number): boolean => {
    const first = (data[y * width + x] ?? 0) > level
    for (let b = y; b <= y + size; b++)
      for (let a = x; a <= x + size; a++) if ((data[b * width + a] ?? 0) > level !== first) return true
    return false
  }
  const count = (size: number): number => {
    let sum = 0
    for (const [dx, dy] of [
      [0, 0],
      [size >> 1, 0],
      [0, size >> 1],
      [size >> 1, size >> 1],
    ] as const)
      for (let y = dy; y + size < height; y += size)
        for (let x = dx; x + size < width; x += size) if (passed(x, y, size)) sum++
    return sum / 4
  }
  return slopeOf(sizes.map((size) => [Math.log(1 / size), Math.log(count(size))]))
}

/** Mean over a square of 2 half + 1 px. */
function meanOver({ width, height, data }: Grey, half: number): Float32Array {
  const sums = new Float64Array((width + 1) * (height + 1))
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      sums[(y + 1) * (width + 1) + x + 1] =
        (data[y * width + x] ?? 0) +
        (sums[y * (width + 1) + x + 1] ?? 0) +
        (sums[(y + 1) * (width + 1) + x] ?? 0) -
        (sums[y * (width + 1) + x] ?? 0)
  return Float32Array.from({ length: width * height }, (_, n) => {
    const [x, y] = [n % width, Math.floor(n / width)]
    const [a, b, c, d] = [
      Math.max(0, x - half),
      Math.min(width, x + half + 1),
      Math.max(0, y - half),
      Math.min(height, y + half + 1),
    ]
    const at = (u: number, v: number): number => sums[v * (width + 1) + u] ?? 0
    return (at(b, d) - at(a, d) - at(b, c) + at(a, c)) / ((b - a) * (d - c))
  })
}

/** Fine structure: the root mean square of what differs from the mean over a square, as a share of that mean, where it shines. */
export function fineStructure(image: Grey, half: number): number {
  const means = meanOver(image, half)
  const level = 0.05 * brightLevel(image)
  let [sum, count] = [0, 0]
  image.data.forEach((v, n) => {
    if (v < level) return
    sum += ((v - (means[n] ?? 0)) / (means[n] ?? 1)) ** 2
    count++
  })
  return Math.sqrt(sum / Math.max(1, count))
}

/** What of a picture is about so many px large: a mean over that less one over three times as much. */
export function structureAt(image: Grey, size: number): Grey {
  const [fine, coarse] = [meanOver(image, Math.round(size / 4)), meanOver(image, Math.round(0.75 * size))]
  return { ...image, data: fine.map((v, n) => v - (coarse[n] ?? 0)) }
}

/**
 * How well the structure of a picture is found again in the next, patch by patch wherever the flame is: the mean of the best normalised correlation of a patch within `reach` px round its place.
 * size: of the patches, px; where: brightness that tells what is flame.
 */
export function foundAgain(first: Grey, next: Grey, where: Grey, size: number, reach: number): number {
  const { width, height } = first
  const level = 0.2 * brightLevel(where)
  const half = Math.round(size / 2)
  const patch = (image: Grey, x: number, y: number): number[] => {
    const values: number[] = []
    for (let b = -half; b <= half; b++)
      for (let a = -half; a <= half; a++) values.push(image.data[(y + b) * width + x + a] ?? 0)
    const mean = values.reduce((sum, v) => sum + v, 0) / values.length
    const norm = Math.sqrt(values.reduce((sum, v) => sum + (v - mean) ** 2, 0))
    return values.map((v) => (norm > 0 ? (v - mean) / norm : 0))
  }
  let [sum, count] = [0, 0]
  const margin = half + reach + 1
  for (let y = margin; y < height - margin; y += half + 1)
    for (let x = margin; x < width - margin; x += half + 1) {
      if ((where.data[y * width + x] ?? 0) < level) continue
      const own = patch(first, x, y)
      let best = -1
      for (let b = -reach; b <= reach; b++)
        for (let a = -Math.round(reach / 2); a <= reach / 2; a++) {
          const other = patch(next, x + a, y + b)
          best = Math.max(
            best,
            own.reduce((total, v, n) => total + v * (other[n] ?? 0), 0),
          )
        }
      sum += best
      count++
    }
  return sum / Math.max(1, count)
}
