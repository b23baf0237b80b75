// What glass and sensor do to scene light, written for the demo plates alone: nothing here is shared with what the product measures.

export interface LensLook {
  /** Gaussian of lens and filter before the sensor, px. */
  blur: number
  /** Fall of light from the middle to the corner, share. */
  vignette: number
  /** Red's and blue's scale against green at the corner, px of a 1280-px frame. */
  fringe: number
  /** Share of light spread wide. */
  glow: number
}
export const LENS_LOOK: LensLook = { blur: 0.3, vignette: 0.3, fringe: 0.45, glow: 0.014 }

/** A row as the weighted sum of rows, three at a time. */
function weigh(out: Float32Array, weights: Float32Array, rowOf: (k: number) => Float32Array): void {
  for (let k = 0; k < weights.length; k += 3) {
    const [a, b, c] = [rowOf(k), rowOf(Math.min(k + 1, weights.length - 1)), rowOf(Math.min(k + 2, weights.length - 1))]
    const [wa, wb, wc] = [weights[k] as number, weights[k + 1] ?? 0, weights[k + 2] ?? 0]
    if (k === 0)
      for (let x = 0; x < out.length; x++)
        out[x] = wa * (a[x] as number) + wb * (b[x] as number) + wc * (c[x] as number)
    else
      for (let x = 0; x < out.length; x++)
        out[x] = (out[x] as number) + wa * (a[x] as number) + wb * (b[x] as number) + wc * (c[x] as number)
  }
}

/** Weights of a Gaussian to three of its deviations, adding up to one. */
export function gaussian(sigma: number): Float32Array {
  const reach = Math.max(1, Math.ceil(3 * sigma))
  const weights = Float32Array.from({ length: 2 * reach + 1 }, (_, n) =>
    Math.exp(-((n - reach) ** 2) / (2 * sigma * sigma)),
  )
  const total = weights.reduce((sum, w) => sum + w, 0)
  for (let n = 0; n < weights.length; n++) weights[n] = (weights[n] ?? 0) / total
  return weights
}

/** Separable Gaussian over one plane, in place. Edges repeat. */
export function blurPlane(plane: Float32Array, width: number, height: number, sigma: number): void {
  if (sigma <= 0) return
  const weights = gaussian(sigma)
  const reach = weights.length >> 1
  const row = new Float32Array(width + 2 * reach)
  for (let y = 0; y < height; y++) {
    const out = plane.subarray(y * width, (y + 1) * width)
    row.set(out, reach)
    row.fill(out[0] as number, 0, reach)
    row.fill(out[width - 1] as number, width + reach)
    weigh(out, weights, (k) => row.subarray(k, k + width))
  }
  // Columns, many at a time so that memory is read in rows.
  const lines: Float32Array[] = Array.from({ length: 2 * reach + 1 }, () => new Float32Array(width))
  const line = (y: number): Float32Array =>
    plane.subarray(Math.max(0, Math.min(height - 1, y)) * width, (Math.max(0, Math.min(height - 1, y)) + 1) * width)
  for (let k = 0; k < lines.length; k++) lines[k]?.set(line(k - reach))
  for (let y = 0; y < height; y++) {
    weigh(plane.subarray(y * width, (y + 1) * width), weights, (k) => lines[(y + k) % lines.length] as Float32Array)
    const next = lines[y % lines.length] as Float32Array
    // The oldest line makes room; what is ahead of us is not written yet.
    next.set(line(y + reach + 1))
  }
}

/** The wide glow is made at an eighth of the size. */
export const COARSE = 8
/** Its two Gaussians, px of a 1280-px picture, and their shares. */
export const GLOWS = [
  [22, 0.6],
  [90, 0.4],
] as const

/** Catmull–Rom weights at a fraction. */
const cubic = (t: number): [number, number, number, number] => [
  ((-0.5 * t + 1) * t - 0.5) * t,
  (1.5 * t - 2.5) * t * t + 1,
  ((-1.5 * t + 2) * t + 0.5) * t,
  (0.5 * t - 0.5) * t * t,
]

/** Where each of `size` places reads and its four weights, when scaled about the middle; the places lie two further on in a row with two repeated at either end. */
export function tapsOf(size: number, scale: number): { from: Int32Array; weights: Float32Array } {
  const from = new Int32Array(size)
  const weights = new Float32Array(size * 4)
  for (let n = 0; n < size; n++) {
    const p = (n + 0.5 - size / 2) / scale + size / 2 - 0.5
    const i = Math.max(-1, Math.min(size - 1, Math.floor(p)))
    from[n] = i + 1
    weights.set(cubic(p - i), n * 4)
  }
  return { from, weights }
}

/** Between coarse places: which, and how far to the next, for each of `size` fine ones. */
export function between(size: number, coarse: number): { at: Int32Array; share: Float32Array } {
  const at = new Int32Array(size)
  const share = new Float32Array(size)
  for (let n = 0; n < size; n++) {
    const u = Math.max(0, Math.min(coarse - 1, (n + 0.5) / COARSE - 0.5))
    at[n] = Math.max(0, Math.min(coarse - 2, Math.floor(u)))
    share[n] = u - (at[n] as number)
  }
  return { at, share }
}

export type Planes = [Float32Array, Float32Array, Float32Array]

/** Share of the light that comes through at each pixel, the same for every frame. */
export function fallOf(width: number, height: number, vignette: number): Float64Array {
  const fall = new Float64Array(width * height)
  const corner = Math.hypot(width, height) / 2
  const r2 = corner * corner
  const far2 = Float32Array.from({ length: width }, (_, x) => (x + 0.5 - width / 2) ** 2 / r2)
  for (let y = 0; y < height; y++) {
    const down2 = (y + 0.5 - height / 2) ** 2 / r2
    for (let x = 0; x < width; x++) {
      const d2 = (far2[x] as number) + down2
      fall[y * width + x] = 1 - vignette * d2 * (0.75 + 0.25 * d2)
    }
  }
  return fall
}
