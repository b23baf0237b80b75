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

/** Separable Gaussian over one plane, in place. Edges repeat. */
export function blurPlane(plane: Float32Array, width: number, height: number, sigma: number): void {
  if (sigma <= 0) return
  const reach = Math.max(1, Math.ceil(3 * sigma))
  const weights = Float32Array.from({ length: 2 * reach + 1 }, (_, n) => Math.exp(-((n - reach) ** 2) / (2 * sigma * sigma)))
  const total = weights.reduce((sum, w) => sum + w, 0)
  for (let n = 0; n < weights.length; n++) weights[n] = (weights[n] ?? 0) / total
  const row = new Float32Array(width + 2 * reach)
  for (let y = 0; y < height; y++) {
    const at = y * width
    for (let x = 0; x < row.length; x++) row[x] = plane[at + Math.max(0, Math.min(width - 1, x - reach))] as number
    for (let x = 0; x < width; x++) {
      let sum = 0
      for (let k = 0; k < weights.length; k++) sum += (weights[k] as number) * (row[x + k] as number)
      plane[at + x] = sum
    }
  }
  // Columns, many at a time so that memory is read in rows.
  const lines: Float32Array[] = Array.from({ length: 2 * reach + 1 }, () => new Float32Array(width))
  const line = (y: number): Float32Array => plane.subarray(Math.max(0, Math.min(height - 1, y)) * width, (Math.max(0, Math.min(height - 1, y)) + 1) * width)
  for (let k = 0; k < lines.length; k++) lines[k]?.set(line(k - reach))
  for (let y = 0; y < height; y++) {
    const out = plane.subarray(y * width, (y + 1) * width)
    out.fill(0)
    for (let k = 0; k < lines.length; k++) {
      const from = lines[(y + k) % lines.length] as Float32Array
      const w = weights[k] as number
      for (let x = 0; x < width; x++) out[x] = (out[x] as number) + w * (from[x] as number)
    }
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
    for (let x = 0; x < width; x++) small[row + (x >> 3)] = (small[row + (x >> 3)] as number) + (plane[y * width + x] as number) / (COARSE * COARSE)
  }
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

/** A plane scaled about the middle by `scale` (a hair more or less than 1). */
function rescaled(plane: Float32Array, width: number, height: number, scale: number): Float32Array {
  const wide = new Float32Array(plane.length)
  const out = new Float32Array(plane.length)
  const at = (n: number, size: number): number => Math.max(0, Math.min(size - 1, n))
  const tapsOf = (size: number) => Array.from({ length: size }, (_, n) => {
    const p = (n + 0.5 - size / 2) / scale + size / 2 - 0.5
    const i = Math.floor(p)
    return { i, w: cubic(p - i) }
  })
  const across = tapsOf(width)
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) {
    const { i, w } = across[x] as { i: number; w: [number, number, number, number] }
    const r = y * width
    wide[r + x] = w[0] * (plane[r + at(i - 1, width)] as number) + w[1] * (plane[r + at(i, width)] as number) + w[2] * (plane[r + at(i + 1, width)] as number) + w[3] * (plane[r + at(i + 2, width)] as number)
  }
  const down = tapsOf(height)
  for (let y = 0; y < height; y++) {
    const { i, w } = down[y] as { i: number; w: [number, number, number, number] }
    const [a, b, c, d] = [at(i - 1, height) * width, at(i, height) * width, at(i + 1, height) * width, at(i + 2, height) * width]
    for (let x = 0; x < width; x++) out[y * width + x] = w[0] * (wide[a + x] as number) + w[1] * (wide[b + x] as number) + w[2] * (wide[c + x] as number) + w[3] * (wide[d + x] as number)
  }
  return out
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
    for (let y = 0; y < height; y++) {
      // Between the coarse rows and columns.
      const v = Math.max(0, Math.min(h - 1, (y + 0.5) / COARSE - 0.5))
      const j = Math.min(h - 2, Math.floor(v))
      const fy = v - j
      const dy2 = (y + 0.5 - height / 2) ** 2
      for (let x = 0; x < width; x++) {
        const u = Math.max(0, Math.min(w - 1, (x + 0.5) / COARSE - 0.5))
        const i = Math.min(w - 2, Math.floor(u))
        const fx = u - i
        const at = j * w + i
        const wide = ((small[at] as number) * (1 - fx) + (small[at + 1] as number) * fx) * (1 - fy) + ((small[at + w] as number) * (1 - fx) + (small[at + w + 1] as number) * fx) * fy
        const d2 = ((x + 0.5 - width / 2) ** 2 + dy2) / r2
        const n = y * width + x
        moved[n] = Math.max(0, (moved[n] as number) * (1 - look.glow) + look.glow * wide) * (1 - look.vignette * d2 * (0.75 + 0.25 * d2))
      }
    }
    return moved
  }) as [Float32Array, Float32Array, Float32Array]
}
