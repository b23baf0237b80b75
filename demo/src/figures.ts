// What photographs show, measured in a plate: tones, sharpness of edges, spectrum, corners, and whether a patch still looks like itself at its exact place later on.

export interface Luma {
  width: number
  height: number
  /** Linear light, Rec. 709 weights. */
  data: Float32Array
}

const decode = Float32Array.from({ length: 256 }, (_, n) =>
  n / 255 <= 0.04045 ? n / 255 / 12.92 : ((n / 255 + 0.055) / 1.055) ** 2.4,
)

export function lumaOf(rgb: Uint8Array, width: number, height: number): Luma {
  const data = new Float32Array(width * height)
  for (let n = 0; n < data.length; n++)
    data[n] =
      0.2126 * (decode[rgb[n * 3] ?? 0] ?? 0) +
      0.7152 * (decode[rgb[n * 3 + 1] ?? 0] ?? 0) +
      0.0722 * (decode[rgb[n * 3 + 2] ?? 0] ?? 0)
  return { width, height, data }
}

/** Shares of pixels whose brightest channel is under code 12, and of those with a channel at 254 or more. */
export function tones(rgb: Uint8Array): { dark: number; clipped: number } {
  let dark = 0
  let clipped = 0
  for (let n = 0; n < rgb.length; n += 3) {
    const most = Math.max(rgb[n] ?? 0, rgb[n + 1] ?? 0, rgb[n + 2] ?? 0)
    if (most < 12) dark++
    if (most >= 254) clipped++
  }
  return { dark: dark / (rgb.length / 3), clipped: clipped / (rgb.length / 3) }
}

/** Complex transform in place, length a power of two (Cooley & Tukey 1965). */
function fft(re: Float64Array, im: Float64Array): void {
  const n = re.length
  for (let i = 1, j = 0; i < n; i++) {
    let bit = n >> 1
    for (; j & bit; bit >>= 1) j ^= bit
    j ^= bit
    if (i < j) {
      ;[re[i], re[j]] = [re[j] as number, re[i] as number]
      ;[im[i], im[j]] = [im[j] as number, im[i] as number]
    }
  }
  for (let size = 2; size <= n; size *= 2)
    for (let start = 0; start < n; start += size)
      for (let k = 0; k < size / 2; k++) {
        const a = (-2 * Math.PI * k) / size
        const [c, s] = [Math.cos(a), Math.sin(a)]
        const [p, q] = [start + k, start + k + size / 2]
        const [x, y] = [(re[q] as number) * c - (im[q] as number) * s, (re[q] as number) * s + (im[q] as number) * c]
        re[q] = (re[p] as number) - x
        im[q] = (im[p] as number) - y
        re[p] = (re[p] as number) + x
        im[p] = (im[p] as number) + y
      }
}

/** Slope of log power over log frequency, from `least` cycles over the square to a quarter of its pixels; the middle 512 square, Hann-windowed, on the log of light. */
export function spectrumSlope(image: Luma, size = 512, least = 6): number {
  const x0 = (image.width - size) >> 1
  const y0 = (image.height - size) >> 1
  const hann = Float64Array.from({ length: size }, (_, n) => 0.5 - 0.5 * Math.cos((2 * Math.PI * (n + 0.5)) / size))
  const re = new Float64Array(size * size)
  const im = new Float64Array(size * size)
  let mean = 0
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++)
      mean += Math.log(0.004 + (image.data[(y + y0) * image.width + x + x0] ?? 0)) / (size * size)
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++)
      re[y * size + x] =
        (Math.log(0.004 + (image.data[(y + y0) * image.width + x + x0] ?? 0)) - mean) * (hann[x] ?? 0) * (hann[y] ?? 0)
  for (let y = 0; y < size; y++) fft(re.subarray(y * size, (y + 1) * size), im.subarray(y * size, (y + 1) * size))
  const [cr, ci] = [new Float64Array(size), new Float64Array(size)]
  for (let x = 0; x < size; x++) {
    for (let y = 0; y < size; y++) {
      cr[y] = re[y * size + x] as number
      ci[y] = im[y * size + x] as number
    }
    fft(cr, ci)
    for (let y = 0; y < size; y++) {
      re[y * size + x] = cr[y] as number
      im[y * size + x] = ci[y] as number
    }
  }
  const power = new Float64Array(size / 2)
  const count = new Float64Array(size / 2)
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++) {
      const f = Math.round(Math.hypot(x < size / 2 ? x : x - size, y < size / 2 ? y : y - size))
      if (f < 1 || f >= size / 2) continue
      power[f] = (power[f] ?? 0) + (re[y * size + x] as number) ** 2 + (im[y * size + x] as number) ** 2
      count[f] = (count[f] ?? 0) + 1
    }
  // Evenly over the octaves: means over bins a sixth of an octave wide, then a straight line.
  const points: [number, number][] = []
  for (let f = least; f < size / 4; f *= 2 ** (1 / 6)) {
    let sum = 0
    let n = 0
    for (let k = Math.ceil(f); k < f * 2 ** (1 / 6); k++) {
      sum += (power[k] ?? 0) / Math.max(1, count[k] ?? 1)
      n++
    }
    if (n > 0) points.push([Math.log(f * 2 ** (1 / 12)), Math.log(sum / n)])
  }
  const mx = points.reduce((sum, p) => sum + p[0], 0) / points.length
  const my = points.reduce((sum, p) => sum + p[1], 0) / points.length
  return (
    points.reduce((sum, p) => sum + (p[0] - mx) * (p[1] - my), 0) / points.reduce((sum, p) => sum + (p[0] - mx) ** 2, 0)
  )
}

/** Rise from 10 to 90 % across the strongest upright and level edges, px: median. */
export function edgeSpread(image: Luma): number {
  const { width, height, data } = image
  const reach = 6
  const found: { strength: number; rise: number }[] = []
  const profile = new Float64Array(2 * reach + 1)
  for (let y = reach; y < height - reach; y++)
    for (let x = reach; x < width - reach; x++)
      for (const step of [1, width]) {
        const n = y * width + x
        const g = (data[n + step] as number) - (data[n - step] as number)
        if (Math.abs(g) < 0.12) continue
        // The middle of an edge: the steepest place of its row, straight along the edge, flat on both sides.
        const across = step === 1 ? width : 1
        if (
          Math.abs((data[n + 2 * step] as number) - (data[n] as number)) > Math.abs(g) ||
          Math.abs((data[n] as number) - (data[n - 2 * step] as number)) > Math.abs(g)
        )
          continue
        if (Math.abs((data[n + across] as number) - (data[n - across] as number)) > 0.12 * Math.abs(g)) continue
        for (let k = -reach; k <= reach; k++)
          profile[k + reach] =
            ((data[n + k * step - across] as number) +
              (data[n + k * step] as number) +
              (data[n + k * step + across] as number)) /
            3
        const low = ((profile[0] as number) + (profile[1] as number) + (profile[2] as number)) / 3
        const high =
          ((profile[2 * reach] as number) + (profile[2 * reach - 1] as number) + (profile[2 * reach - 2] as number)) / 3
        const span = high - low
        if (span * g <= 0 || Math.abs(span) < 1.1 * Math.abs(g)) continue
        if (
          Math.abs((profile[0] as number) - (profile[2] as number)) > 0.12 * Math.abs(span) ||
          Math.abs((profile[2 * reach] as number) - (profile[2 * reach - 2] as number)) > 0.12 * Math.abs(span)
        )
          continue
        // Spread of the profile's steps about their middle, less that of a pixel, as the blur's sigma; a blurred edge rises from 10 to 90 % in 2.563 of it.
        let [weight, first, second] = [0, 0, 0]
        for (let k = 2; k < 2 * reach - 2; k++) {
          const d = (profile[k + 1] as number) - (profile[k] as number)
          weight += d
          first += d * k
          second += d * k * k
        }
        const rise = 2.563 * Math.sqrt(Math.max(0, second / weight - (first / weight) ** 2 - 1 / 12))
        if (rise > 0) found.push({ strength: Math.abs(span), rise })
      }
  const best = found
    .sort((a, b) => b.strength - a.strength)
    .slice(0, 600)
    .map((one) => one.rise)
    .sort((a, b) => a - b)
  return best[best.length >> 1] ?? Number.NaN
}

export interface Corner {
  x: number
  y: number
  strength: number
}

/** Shi–Tomasi corners on the root of light, strongest first, at least `apart` px from one another. */
export function corners(image: Luma, apart = 12, quality = 0.02): Corner[] {
  const { width, height } = image
  const v = Float32Array.from(image.data, (x) => Math.sqrt(Math.max(0, x)))
  const strength = new Float32Array(width * height)
  const half = 3
  for (let y = half + 2; y < height - half - 2; y += 1)
    for (let x = half + 2; x < width - half - 2; x += 1) {
      let xx = 0
      let yy = 0
      let xy = 0
      for (let j = -half; j <= half; j++)
        for (let i = -half; i <= half; i++) {
          const n = (y + j) * width + x + i
          const gx = (v[n + 1] as number) - (v[n - 1] as number)
          const gy = (v[n + width] as number) - (v[n - width] as number)
          xx += gx * gx
          yy += gy * gy
          xy += gx * gy
        }
      strength[y * width + x] = (xx + yy - Math.sqrt((xx - yy) ** 2 + 4 * xy * xy)) / 2
    }
  const order: Corner[] = []
  let most = 0
  for (let y = 6; y < height - 6; y++)
    for (let x = 6; x < width - 6; x++) {
      const s = strength[y * width + x] as number
      most = Math.max(most, s)
      const n = y * width + x
      if (
        s > (strength[n - 1] as number) &&
        s >= (strength[n + 1] as number) &&
        s > (strength[n - width] as number) &&
        s >= (strength[n + width] as number)
      )
        order.push({ x, y, strength: s })
    }
  order.sort((a, b) => b.strength - a.strength)
  const kept: Corner[] = []
  const grid = new Map<number, Corner[]>()
  for (const one of order) {
    if (one.strength < quality * most || kept.length >= 4000) break
    const [i, j] = [Math.floor(one.x / apart), Math.floor(one.y / apart)]
    let free = true
    for (let b = -1; b <= 1 && free; b++)
      for (let a = -1; a <= 1 && free; a++)
        for (const near of grid.get((j + b) * 4096 + i + a) ?? [])
          if ((near.x - one.x) ** 2 + (near.y - one.y) ** 2 < apart * apart) free = false
    if (!free) continue
    kept.push(one)
    const cell = j * 4096 + i
    grid.set(cell, [...(grid.get(cell) ?? []), one])
  }
  return kept
}

/** Corners in each ninth of the frame, rows from the top left. */
export function ninths(found: readonly Corner[], width: number, height: number): number[] {
  const counts = Array.from({ length: 9 }, () => 0)
  for (const { x, y } of found) {
    const n = Math.min(2, Math.floor((3 * y) / height)) * 3 + Math.min(2, Math.floor((3 * x) / width))
    counts[n] = (counts[n] ?? 0) + 1
  }
  return counts
}

/** Normalised correlation of the 11 x 11 patches round two places (whole px in a, bilinear in b); undefined at the rim. */
export function patchCorrelation(a: Luma, ax: number, ay: number, b: Luma, bx: number, by: number): number | undefined {
  const half = 5
  if (
    ax < half ||
    ay < half ||
    ax >= a.width - half ||
    ay >= a.height - half ||
    bx < half + 1 ||
    by < half + 1 ||
    bx >= b.width - half - 2 ||
    by >= b.height - half - 2
  )
    return undefined
  let [sa, sb, aa, bb, ab] = [0, 0, 0, 0, 0]
  const i = Math.floor(bx)
  const j = Math.floor(by)
  const [fx, fy] = [bx - i, by - j]
  for (let y = -half; y <= half; y++)
    for (let x = -half; x <= half; x++) {
      const p = Math.sqrt(a.data[(ay + y) * a.width + ax + x] as number)
      const n = (j + y) * b.width + i + x
      const q = Math.sqrt(
        (b.data[n] as number) * (1 - fx) * (1 - fy) +
          (b.data[n + 1] as number) * fx * (1 - fy) +
          (b.data[n + b.width] as number) * (1 - fx) * fy +
          (b.data[n + b.width + 1] as number) * fx * fy,
      )
      sa += p
      sb += q
      aa += p * p
      bb += q * q
      ab += p * q
    }
  const n = (2 * half + 1) ** 2
  const spread = (aa - (sa * sa) / n) * (bb - (sb * sb) / n)
  return spread > 0 ? (ab - (sa * sb) / n) / Math.sqrt(spread) : 0
}
