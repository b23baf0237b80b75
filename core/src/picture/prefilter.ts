import type { FloatImage } from '../data/index.ts'

// A picture made ready for being looked up between its pixels and averaged over pixels again: both blur it a little, which is undone here ahead of time.

/** The pole of the quadratic B-spline's inverse: looking up straight between pixels and taking the mean of a pixel is that spline (Unser 1999). */
const POLE = 2 * Math.SQRT2 - 3
const GAIN = 8
/** Light that counts at most, times white. */
const MOST = 16
/** Pixels after which the filter has forgotten. */
const REACH = 12

/** Filters a line of so many values that lie `step` apart, there and back. */
function filterLine(data: Float32Array, first: number, count: number, step: number): void {
  const at = (n: number): number => data[first + Math.min(count - 1, n) * step] as number
  // As if it went on mirrored before its beginning.
  let before = 0
  for (let n = Math.min(REACH, count - 1); n >= 0; n--) before = at(n) + POLE * before
  data[first] = before
  for (let n = 1; n < count; n++) {
    before = at(n) + POLE * before
    data[first + n * step] = before
  }
  let after = (POLE / (POLE * POLE - 1)) * (at(count - 1) + POLE * (count > 1 ? at(count - 2) : at(0)))
  data[first + (count - 1) * step] = GAIN * after
  for (let n = count - 2; n >= 0; n--) {
    after = POLE * (after - at(n))
    data[first + n * step] = GAIN * after
  }
}

const made = new WeakMap<FloatImage, FloatImage>()
/** The picture so sharpened; a new one, kept with it. Values below 0 are held at 0. */
export function prefiltered(image: FloatImage): FloatImage {
  const known = made.get(image)
  if (known) return known
  const { width, height, channels } = image
  // A clipped pixel may be without end, which would run along its whole line.
  const data = image.data.map((value) => (value > MOST ? MOST : value > 0 ? value : 0))
  for (let y = 0; y < height; y++)
    for (let c = 0; c < channels; c++) filterLine(data, y * width * channels + c, width, channels)
  for (let x = 0; x < width; x++)
    for (let c = 0; c < channels; c++) filterLine(data, x * channels + c, height, width * channels)
  for (let n = 0; n < data.length; n++) data[n] = Math.max(0, data[n] as number)
  const out = { ...image, data }
  made.set(image, out)
  return out
}
