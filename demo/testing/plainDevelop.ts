import { between, blurPlane, COARSE, fallOf, GLOWS, type LensLook, type Planes, tapsOf } from '../src/lens.ts'
import { codeTable, mix32, mostLight, type SensorLook, STEPS } from '../src/sensor.ts'

// Lens, grain and curve as plain loops: the twins of kernels/assembly/develop, to the bit.

/** What glow spreads of a plane: two wide Gaussians, made at an eighth of its size; returned at that size. */
function spreadWide(
  plane: Float32Array,
  width: number,
  height: number,
  sigmas: readonly (readonly [sigma: number, share: number])[],
): { small: Float32Array; w: number; h: number } {
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
      wide[y * width + x] =
        (w[k] as number) * (row[i] as number) +
        (w[k + 1] as number) * (row[i + 1] as number) +
        (w[k + 2] as number) * (row[i + 2] as number) +
        (w[k + 3] as number) * (row[i + 3] as number)
    }
  }
  const down = tapsOf(height, scale)
  for (let y = 0; y < height; y++) {
    const lines = [0, 1, 2, 3].map((k) => Math.max(0, Math.min(height - 1, (down.from[y] ?? 0) - 2 + k)) * width)
    const [a, b, c, d] = lines.map((at) => wide.subarray(at, at + width)) as [
      Float32Array,
      Float32Array,
      Float32Array,
      Float32Array,
    ]
    const [wa, wb, wc, wd] = [...down.weights.subarray(y * 4, y * 4 + 4)] as [number, number, number, number]
    const line = out.subarray(y * width, (y + 1) * width)
    for (let x = 0; x < width; x++)
      line[x] = wa * (a[x] as number) + wb * (b[x] as number) + wc * (c[x] as number) + wd * (d[x] as number)
  }
  return out
}

/** Scene light in three planes through the lens, which may be changed on the way. */
export function throughLens(planes: Planes, width: number, height: number, look: LensLook): Planes {
  const scale = width / 1280
  const fall = fallOf(width, height, look.vignette)
  return planes.map((plane, c) => {
    const corner = Math.hypot(width, height) / 2
    const moved =
      c === 1 || look.fringe === 0
        ? plane
        : rescaled(plane, width, height, 1 + ((c === 0 ? 1 : -0.8) * look.fringe * scale) / corner)
    blurPlane(moved, width, height, look.blur)
    const { small, w, h } = spreadWide(
      moved,
      width,
      height,
      GLOWS.map(([sigma, share]) => [sigma * scale, share]),
    )
    const columns = between(width, w)
    const rows = between(height, h)
    const line = new Float32Array(w + 1)
    for (let y = 0; y < height; y++) {
      const j = (rows.at[y] as number) * w
      const fy = rows.share[y] as number
      for (let i = 0; i < w; i++) line[i] = (small[j + i] as number) * (1 - fy) + (small[j + w + i] ?? 0) * fy
      line[w] = line[w - 1] as number
      const out = moved.subarray(y * width, (y + 1) * width)
      for (let x = 0; x < width; x++) {
        const i = columns.at[x] as number
        const fx = columns.share[x] as number
        const wide = (line[i] as number) * (1 - fx) + (line[i + 1] as number) * fx
        out[x] = Math.max(0, (out[x] as number) * (1 - look.glow) + look.glow * wide) * (fall[y * width + x] as number)
      }
    }
    return moved
  }) as Planes
}

/** A normal deviate from an integer: four 16-bit uniforms added, near enough in the tails for 8 bits. */
function deviate(key: number): number {
  const a = mix32(key)
  const b = mix32(a ^ 0x5bd1e995)
  return (((a >>> 16) + (a & 65535) + (b >>> 16) + (b & 65535)) / 65536 - 2) * 1.7320508
}

/** Adds the sensor's noise to three planes of light, in place. The noise of neighbours is a little alike, as the filling-in of a colour mosaic makes it. */
export function addNoise(
  planes: readonly Float32Array[],
  width: number,
  height: number,
  frame: number,
  seed: number,
  look: SensorLook,
): void {
  const noise = new Float32Array(width * height)
  for (const [c, plane] of planes.entries()) {
    const gain = look.balance[c] ?? 1
    const key = mix32(mix32(seed * 3 + c) + frame * 0x9e3779b1)
    for (let n = 0; n < noise.length; n++) noise[n] = deviate((key + Math.imul(n, 0x85ebca77)) | 0)
    // In-between with the right and the lower neighbour, at the same variance.
    const s = look.smear
    const even = 1 / Math.sqrt(1 + 2 * s * s)
    for (let y = 0; y < height; y++) {
      const below = y + 1 < height ? width : 0
      for (let x = 0; x < width; x++) {
        const n = y * width + x
        const own =
          ((noise[n] as number) +
            s * (noise[n + (x + 1 < width ? 1 : 0)] as number) +
            s * (noise[n + below] as number)) *
          even
        const v = plane[n] as number
        plane[n] = v + own * Math.sqrt(look.photon * gain * Math.max(0, v) + look.read * gain * gain)
      }
    }
  }
}

/** Planes to interleaved codes of 8 or 16 bits (most: 255 or 65535). */
export function toCodes<T extends Uint8Array | Uint16Array>(
  planes: readonly Float32Array[],
  out: T,
  most: 255 | 65535,
  look: SensorLook,
): T {
  const table = codeTable(most, look)
  const top = mostLight(look)
  const scale = 1 / top
  for (const [c, plane] of planes.entries())
    for (let n = 0, o = c; n < plane.length; n++, o += 3) {
      const share = (plane[n] as number) * scale
      const t = share <= 0 ? 0 : share >= 1 ? STEPS - 1e-3 : Math.sqrt(share) * STEPS
      const k = t | 0
      const a = table[k] as number
      out[o] = (a + ((table[k + 1] as number) - a) * (t - k) + 0.5) | 0
    }
  return out
}
