import { fractal3, noise3 } from '@lantern/core/math'
import { hash01 } from '@lantern/core/base'

/** A tiling texture: linear albedo x baked shading, r g b, with box-filtered halves. */
export interface Texture {
  /** Metres that the texture spans. */
  spanX: number
  spanY: number
  levels: { width: number; height: number; data: Float32Array }[]
}

function withLevels(spanX: number, spanY: number, width: number, height: number, data: Float32Array): Texture {
  const levels = [{ width, height, data }]
  for (;;) {
    const above = levels[levels.length - 1]
    if (!above || above.width < 8 || above.height < 8) break
    const w = above.width >> 1
    const h = above.height >> 1
    const next = new Float32Array(w * h * 3)
    for (let y = 0; y < h; y++)
      for (let x = 0; x < w; x++)
        for (let c = 0; c < 3; c++) {
          const at = (a: number, b: number): number => above.data[((y * 2 + b) * above.width + x * 2 + a) * 3 + c] ?? 0
          next[(y * w + x) * 3 + c] = 0.25 * (at(0, 0) + at(1, 0) + at(0, 1) + at(1, 1))
        }
    levels.push({ width: w, height: h, data: next })
  }
  return { spanX, spanY, levels }
}

const LIGHT = [-0.45, 0.55, 0.7] as const

/** Turns a height field (metres) into shading for soft light from above left. */
function shade(height: Float32Array, width: number, rows: number, texel: number, x: number, y: number): number {
  const at = (a: number, b: number): number => height[((b + rows) % rows) * width + ((a + width) % width)] ?? 0
  const gx = (at(x + 1, y) - at(x - 1, y)) / (2 * texel)
  const gy = (at(x, y + 1) - at(x, y - 1)) / (2 * texel)
  const n = Math.sqrt(1 + gx * gx + gy * gy)
  return Math.max(0.15, (-gx * LIGHT[0] - gy * LIGHT[1] + LIGHT[2]) / n) / LIGHT[2]
}

export interface Arch {
  /** Middle and width along the wall, height to the crown, m. */
  at: number
  width: number
  height: number
}

const BRICK_W = 0.225
const BRICK_H = 0.075
const MORTAR = 0.01

/** Brickwork in stretcher bond, y down from the top, dark arched doorways cut in, soot above them, damp at the foot. */
export function brickWall(span: number, tall: number, texel: number, arches: readonly Arch[], seed: number): Texture {
  const width = Math.round(span / texel)
  const rows = Math.round(tall / texel)
  const height = new Float32Array(width * rows)
  const data = new Float32Array(width * rows * 3)
  const brickOf = (x: number, y: number): [number, number, number, number] => {
    const course = Math.floor(y / BRICK_H)
    const shift = course % 2 ? BRICK_W / 2 : 0
    const column = Math.floor((x + shift) / BRICK_W)
    return [column, course, x + shift - column * BRICK_W, y - course * BRICK_H]
  }
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < width; i++) {
      const x = i * texel
      const y = j * texel
      const [column, course, u, v] = brickOf(x, y)
      const ragged = 0.003 * noise3(seed, x * 60, y * 60, 1)
      const edge = Math.min(u, BRICK_W - u, v, BRICK_H - v) - MORTAR / 2 + ragged
      const proud = 0.004 * hash01(seed + 3, column, course)
      height[j * width + i] = Math.min(1, Math.max(0, edge / 0.004)) * (0.008 + proud) + 0.0015 * noise3(seed, x * 120, y * 120, 2)
    }
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < width; i++) {
      const x = i * texel
      const y = j * texel
      const up = tall - y
      const [column, course] = brickOf(x, y)
      const tone = hash01(seed, column, course)
      const warm = hash01(seed + 1, column, course)
      const mortar = (height[j * width + i] ?? 0) < 0.004
      const worn = 0.75 + 0.35 * fractal3(seed + 9, x * 1.3, y * 1.3, 0, 4) + 0.12 * noise3(seed, x * 90, y * 90, 5)
      let rgb = mortar ? [0.2, 0.18, 0.155] : [0.12 + 0.13 * tone, 0.052 + 0.05 * tone * warm, 0.034 + 0.028 * warm]
      let light = shade(height, width, rows, texel, i, j) * worn
      light *= 0.55 + 0.45 * Math.min(1, up / 0.7)
      const damp = Math.max(0, 1 - up / (0.5 + 0.25 * noise3(seed, x * 2, 0, 7)))
      rgb = rgb.map((part, c) => part * (1 - 0.35 * damp) + (c === 1 ? 0.01 * damp : 0))
      for (const arch of arches) {
        const dx = x - arch.at
        const half = arch.width / 2
        const spring = arch.height - half
        const inside = Math.abs(dx) < half && (up < spring || dx * dx + (up - spring) ** 2 < half * half)
        const ring = Math.abs(dx) < half + 0.24 && (up < spring ? false : dx * dx + (up - spring) ** 2 < (half + 0.24) ** 2)
        if (inside) {
          const depth = Math.min(half - Math.abs(dx), 0.35) / 0.35
          light = 0.06 + 0.35 * (1 - depth) * (dx < 0 ? 1 : 0.4)
          rgb = [0.09, 0.06, 0.05]
        } else if (ring) {
          const radial = Math.sqrt(dx * dx + (up - spring) ** 2)
          const voussoir = Math.floor((Math.atan2(up - spring, dx) / Math.PI) * 24)
          rgb = rgb.map((part) => part * (0.65 + 0.5 * hash01(seed + 5, voussoir, Math.floor((radial - half) / 0.12))))
        }
        const soot = Math.exp(-((dx / (half * 1.2)) ** 2)) * Math.max(0, 1 - Math.max(0, up - arch.height) / 1.3) * (up > arch.height - 0.3 ? 1 : 0)
        light *= 1 - 0.6 * soot
      }
      for (let c = 0; c < 3; c++) data[(j * width + i) * 3 + c] = (rgb[c] ?? 0) * light
    }
  return withLevels(span, tall, width, rows, data)
}

/** Cobbles: jittered stones, worn round, with gaps, wet patches that shine, ruts. */
export function cobbles(span: number, texel: number, seed: number): Texture {
  const width = Math.round(span / texel)
  const height = new Float32Array(width * width)
  const stone = new Int32Array(width * width)
  const size = 0.135
  const across = Math.round(span / size)
  const at = (i: number, j: number): [number, number] => {
    const a = ((i % across) + across) % across
    const b = ((j % across) + across) % across
    return [(i + 0.5 + (b % 2 ? 0.25 : -0.25) + 0.5 * (hash01(seed, a, b) - 0.5)) * (span / across), (j + 0.5 + 0.4 * (hash01(seed + 1, a, b) - 0.5)) * (span / across)]
  }
  for (let j = 0; j < width; j++)
    for (let i = 0; i < width; i++) {
      const x = i * texel
      const y = j * texel
      const ci = Math.floor((x / span) * across)
      const cj = Math.floor((y / span) * across)
      let [first, second, id] = [9, 9, 0]
      for (let b = -1; b <= 1; b++)
        for (let a = -1; a <= 1; a++) {
          const [sx, sy] = at(ci + a, cj + b)
          const d = Math.sqrt((x - sx) ** 2 + (y - sy) ** 2)
          if (d < first) {
            second = first
            first = d
            id = (((cj + b + across) % across) * across + ((ci + a + across) % across)) | 0
          } else second = Math.min(second, d)
        }
      const rim = Math.min(1, Math.max(0, (second - first - 0.008) / 0.035))
      stone[j * width + i] = rim > 0 ? id : -1
      height[j * width + i] = Math.sqrt(rim) * (0.022 + 0.014 * hash01(seed + 2, id)) + 0.0012 * noise3(seed, x * 150, y * 150, 3)
    }
  const data = new Float32Array(width * width * 3)
  for (let j = 0; j < width; j++)
    for (let i = 0; i < width; i++) {
      const n = j * width + i
      const x = i * texel
      const y = j * texel
      const id = stone[n] ?? -1
      const tone = id < 0 ? 0.35 : 0.7 + 0.6 * hash01(seed + 4, id)
      const warm = hash01(seed + 5, Math.max(0, id))
      const large = fractal3(seed + 7, (x / span) * 6, (y / span) * 6, 0, 3)
      const wet = Math.max(0, Math.min(1, (large - 0.12) * 5))
      const low = 1 - Math.min(1, (height[n] ?? 0) / 0.02)
      const light = shade(height, width, width, texel, i, j) * (1 + 0.15 * noise3(seed, x * 70, y * 70, 1))
      const base = 0.105 * tone * light * (1 - 0.45 * wet) * (1 - 0.25 * low)
      const sheen = wet * low * 0.1
      data[n * 3] = base * (1 + 0.08 * warm) + sheen * 0.85
      data[n * 3 + 1] = base * 0.96 + sheen * 0.92
      data[n * 3 + 2] = base * (0.9 - 0.05 * warm) + sheen
    }
  return withLevels(span, span, width, width, data)
}

/** Boards with grain, gaps and nails, along x. */
export function boards(span: number, texel: number, seed: number): Texture {
  const width = Math.round(span / texel)
  const data = new Float32Array(width * width * 3)
  for (let j = 0; j < width; j++)
    for (let i = 0; i < width; i++) {
      const x = i * texel
      const y = j * texel
      const board = Math.floor(y / 0.14)
      const within = y - board * 0.14
      const gap = Math.min(within, 0.14 - within) < 0.005 ? 0.2 : 1
      const grain = 0.75 + 0.3 * fractal3(seed + board, x * 3, y * 90, 0, 3)
      const tone = (0.6 + 0.6 * hash01(seed, board)) * grain * gap
      data.set([0.16 * tone, 0.115 * tone, 0.075 * tone], (j * width + i) * 3)
    }
  return withLevels(span, span, width, width, data)
}

/** Plain rough stuff. */
export function rough(rgb: readonly [number, number, number], seed: number): Texture {
  const width = 256
  const data = new Float32Array(width * width * 3)
  for (let n = 0; n < width * width; n++) {
    const k = 0.8 + 0.35 * fractal3(seed, (n % width) / 20, Math.floor(n / width) / 20, 0, 4)
    data.set([rgb[0] * k, rgb[1] * k, rgb[2] * k], n * 3)
  }
  return withLevels(1, 1, width, width, data)
}

/** Bilinear look-up in the level whose texels are about `footprint` metres. */
export function lookUp(texture: Texture, x: number, y: number, footprint: number, out: Float64Array): void {
  const top = texture.levels[0]
  if (!top) return
  const texel = texture.spanX / top.width
  const level = Math.max(0, Math.min(texture.levels.length - 1, Math.round(Math.log2(Math.max(1, footprint / texel)))))
  const { width, height, data } = texture.levels[level] ?? top
  const u = (x / texture.spanX) * width - 0.5
  const v = (y / texture.spanY) * height - 0.5
  const i = Math.floor(u)
  const j = Math.floor(v)
  const fx = u - i
  const fy = v - j
  const i0 = ((i % width) + width) % width
  const i1 = (i0 + 1) % width
  const j0 = ((j % height) + height) % height
  const j1 = (j0 + 1) % height
  for (let c = 0; c < 3; c++) {
    const a = data[(j0 * width + i0) * 3 + c] ?? 0
    const b = data[(j0 * width + i1) * 3 + c] ?? 0
    const d = data[(j1 * width + i0) * 3 + c] ?? 0
    const e = data[(j1 * width + i1) * 3 + c] ?? 0
    out[c] = (a * (1 - fx) + b * fx) * (1 - fy) + (d * (1 - fx) + e * fx) * fy
  }
}
