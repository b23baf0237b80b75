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
    if (k === 0) for (let x = 0; x < out.length; x++) out[x] = wa * (a[x] as number) + wb * (b[x] as number) + wc * (c[x] as number)
    else for (let x = 0; x < out.length; x++) out[x] = (out[x] as number) + wa * (a[x] as number) + wb * (b[x] as number) + wc * (c[x] as number)
  }
}

/** Separable Gaussian over one plane, in place. Edges repeat. */
export function blurPlane(plane: Float32Array, width: number, height: number, sigma: number): void {
  if (sigma <= 0) return
  const reach = Math.max(1, Math.ceil(3 * sigma))
  const weights = Float32Array.from({ length: 2 * reach + 1 }, (_, n) => Math.exp(-((n - reach) ** 2) / (2 * sigma * sigma)))
  const total = weights.reduce((sum, w) => sum + w, 0)
  for (let n = 0; n < weights.length; n++) weights[n] = (weights[n] ?? 0) / total
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
  const line = (y: number): Float32Array => plane.subarray(Math.max(0, Math.min(height - 1, y)) * width, (Math.max(0, Math.min(height - 1, y)) + 1) * width)
  for (let k = 0; k < lines.length; k++) lines[k]?.set(line(k - reach))
  for (let y = 0; y < height; y++) {
    weigh(plane.subarray(y * width, (y + 1) * width), weights, (k) => lines[(y + k) % lines.length] as Float32Array)
    const next = lines[y % lines.length] as Float32Array
    // The oldest line makes room; what is ahead of us is not written yet.
    next.set(line(y + reach + 1))
  }
}

const COARSE = 8

/** What glow spreads of a plane: two wide Gaussians, made at an eighth of its size; returned at that size. */
function spreadWide(plane: Float32Array, width: number, height: number, sigmas: readonly (readonly [sigma: number, share: number])[]): { small: Float32Array; w: number; h: number } {
  const w = Math.ceil(width / COARSE)
  const h = Math.ceil(height / COARSE)
  const small = new Float32Array(w * h)
  for (let y = 0; y < height; y++) {
    const row = (y >> 3) * w
    const line = plane.subarray(y * width, (y + 1) * width)
    for (let x = 0; x < width; x++) small[row + (x >> 3)] = (small[row + (x >> 3)] as number) + (line[x] as number)
  }
  for (let n = 0; n < small.length; n++) small[n] = (small[n] as number) / (COARSE * COARSE)
  const sum = new Float32Array(w * h)
  for (const [sigma, share] of sigmas) {
    const one = small.slice()
    blurPlane(one, w, h, sigma / COARSE)
    for (let n = 0; n < sum.length; n++) sum[n] = (sum[n] as number) + share * (one[n] as number)
  }
  return { small: sum, w, h }
}

/** Catmull–Rom weights at a fraction. */
const cubic = (t: number): [number, number, number, number] => [((-0.5 * t + 1) * t - 0.5) * t, (1.5 * t - 2.5) * t * t + 1, ((-1.5 * t + 2) * t + 0.5) * t, (0.5 * t - 0.5) * t * t]

/** Where each of `size` places reads and its four weights, when scaled about the middle; the places lie two further on in a row with two repeated at either end. */
function tapsOf(size: number, scale: number): { from: Int32Array; weights: Float32Array } {
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

/** A plane scaled about the middle by `scale` (a hair more or less than 1). */
function rescaled(plane: Float32Array, width: number, height: number, scale: number): Float32Array {
  const wide = new Float32Array(plane.length)
  const out = new Float32Array(plane.length)
  const across = tapsOf(width, scale)
  const row = new Float32Array(width + 4)
  for (let y = 0; y < height; y++) {
    const line = plane.subarray(y * width, (y + 1) * width)
    row.set(line, 2)
    row.fill(line[0] as number, 0, 2)
    row.fill(line[width - 1] as number, width + 2)
    const { from, weights: w } = across
    for (let x = 0, k = 0; x < width; x++, k += 4) {
      const i = from[x] as number
      wide[y * width + x] = (w[k] as number) * (row[i] as number) + (w[k + 1] as number) * (row[i + 1] as number) + (w[k + 2] as number) * (row[i + 2] as number) + (w[k + 3] as number) * (row[i + 3] as number)
    }
  }
  const down = tapsOf(height, scale)
  for (let y = 0; y < height; y++) {
    const lines = [0, 1, 2, 3].map((k) => Math.max(0, Math.min(height - 1, (down.from[y] ?? 0) - 2 + k)) * width)
    const [a, b, c, d] = lines.map((at) => wide.subarray(at, at + width)) as [Float32Array, Float32Array, Float32Array, Float32Array]
    const [wa, wb, wc, wd] = [...down.weights.subarray(y * 4, y * 4 + 4)] as [number, number, number, number]
    const line = out.subarray(y * width, (y + 1) * width)
    for (let x = 0; x < width; x++) line[x] = wa * (a[x] as number) + wb * (b[x] as number) + wc * (c[x] as number) + wd * (d[x] as number)
  }
  return out
}

/** Between coarse places: which, and how far to the next, for each of `size` fine ones. */
function between(size: number, coarse: number): { at: Int32Array; share: Float32Array } {
  const at = new Int32Array(size)
  const share = new Float32Array(size)
  for (let n = 0; n < size; n++) {
    const u = Math.max(0, Math.min(coarse - 1, (n + 0.5) / COARSE - 0.5))
    at[n] = Math.max(0, Math.min(coarse - 2, Math.floor(u)))
    share[n] = u - (at[n] as number)
  }
  return { at, share }
}

/** Scene light (r g b in rows) through the lens: three planes. */
export function throughLens(image: Float32Array, width: number, height: number, look: LensLook): [Float32Array, Float32Array, Float32Array] {
  const scale = width / 1280
  const planes = [0, 1, 2].map((c) => {
    const plane = new Float32Array(width * height)
    for (let n = 0; n < plane.length; n++) plane[n] = image[n * 3 + c] as number
    return plane
  })
  return planes.map((plane, c) => {
    const corner = Math.hypot(width, height) / 2
    const moved = c === 1 || look.fringe === 0 ? plane : rescaled(plane, width, height, 1 + ((c === 0 ? 1 : -0.8) * look.fringe * scale) / corner)
    blurPlane(moved, width, height, look.blur)
    const { small, w, h } = spreadWide(moved, width, height, [[22 * scale, 0.6], [90 * scale, 0.4]])
    const r2 = corner * corner
    const columns = between(width, w)
    const rows = between(height, h)
    const far2 = Float32Array.from({ length: width }, (_, x) => (x + 0.5 - width / 2) ** 2 / r2)
    const line = new Float32Array(w + 1)
    for (let y = 0; y < height; y++) {
      const j = (rows.at[y] as number) * w
      const fy = rows.share[y] as number
      for (let i = 0; i < w; i++) line[i] = (small[j + i] as number) * (1 - fy) + (small[j + w + i] ?? 0) * fy
      line[w] = line[w - 1] as number
      const down2 = (y + 0.5 - height / 2) ** 2 / r2
      const out = moved.subarray(y * width, (y + 1) * width)
      for (let x = 0; x < width; x++) {
        const i = columns.at[x] as number
        const fx = columns.share[x] as number
        const wide = (line[i] as number) * (1 - fx) + (line[i + 1] as number) * fx
        const d2 = (far2[x] as number) + down2
        out[x] = Math.max(0, (out[x] as number) * (1 - look.glow) + look.glow * wide) * (1 - look.vignette * d2 * (0.75 + 0.25 * d2))
      }
    }
    return moved
  }) as [Float32Array, Float32Array, Float32Array]
}
