import { decodeBase64, hash01 } from '../../base/index.ts'
import type { Texture } from '../../data/index.ts'
import { cbrt, cos, fractal3, noise3, sin, smooth01 } from '../../math/index.ts'
import type { MarkLook } from './look.ts'

// How much of a mark there is, by place: made of noise, of branching lines, or of a picture.

const SIDE = 192

/** How much of a scorch, a wet patch or dirt there is at a place; u, v: -1 to 1 from its middle. share: how far it has grown. */
function patchAt({ mark, ragged, soft, seed, grown }: MarkLook, u: number, v: number): number {
  // Fire licks upward: a scorch is longer above.
  const away = mark === 'scorch' && v < 0 ? Math.sqrt(u * u * 1.25 + v * v * 0.72) : Math.sqrt(u * u + v * v)
  const coarse = fractal3(seed, 2.2 * u + 5, 2.2 * v + 5, 0.5, 4)
  const fine = fractal3(seed + 9, 9 * u + 5, 9 * v + 5, 0.5, 2)
  const edge = 0.72 * cbrt(grown) * (1 + 0.9 * ragged * coarse) + 0.12 * ragged * fine
  const body = smooth01((edge - away) / Math.max(0.02, 0.1 + 0.75 * soft) + 0.5)
  if (mark === 'wet') return body
  if (mark === 'dirt') return body * smooth01(1.4 * (0.5 + fine * (0.4 + ragged)) * (0.6 + 0.5 * coarse))
  // Densest where it burnt longest.
  return body * (0.45 + 0.55 * smooth01(1.35 - away / Math.max(0.2, edge)) + 0.25 * ragged * fine)
}

interface Crack {
  x: number
  y: number
  toX: number
  toY: number
  thick: number
}

/** Lines that run out from the middle, bend, branch and thin out; those alone that have opened by now. */
function cracksOf({ branches, seed, grown }: MarkLook): Crack[] {
  const out: Crack[] = []
  const run = (x: number, y: number, angle: number, left: number, thick: number, begun: number, key: number): void => {
    const steps = Math.max(1, Math.round(left * 26))
    let [px, py, way] = [x, y, angle]
    for (let n = 0; n < steps; n++) {
      const done = begun + (n / 26) * 0.95
      if (done > grown) return
      const dice = (k: number): number => hash01(seed, key, 5 * n + k, 61)
      way += (dice(0) - 0.5) * 0.75
      const length = (0.6 + 0.8 * dice(1)) / 26
      const [qx, qy] = [px + length * cos(way), py + length * sin(way)]
      const thin = thick * (1 - (0.85 * n) / steps)
      out.push({ x: px, y: py, toX: qx, toY: qy, thick: thin })
      if (dice(2) < 0.14 && key < 4000) {
        const side = dice(3) < 0.5 ? -1 : 1
        run(
          qx,
          qy,
          way + side * (0.5 + 0.7 * dice(4)),
          (left * (steps - n)) / steps / 1.8,
          thin * 0.7,
          done,
          key * 7 + n + 1,
        )
      }
      ;[px, py] = [qx, qy]
    }
  }
  for (let n = 0; n < branches; n++) {
    const angle = (2 * Math.PI * (n + 0.7 * (hash01(seed, n, 0, 60) - 0.5))) / branches
    run(0, 0, angle, 0.55 + 0.4 * hash01(seed, n, 1, 60), 1, 0, n + 1)
  }
  return out
}

/** Cracks as shares of pixels. thick: of one in the middle, shares of half the mark. */
function crackRaster(look: MarkLook): Float32Array {
  const values = new Float32Array(SIDE * SIDE)
  const px = (value: number): number => ((value + 1) / 2) * SIDE
  for (const { x, y, toX, toY, thick } of cracksOf(look)) {
    const half = Math.max(0.45, (thick * look.thick * SIDE) / 4)
    const soft = 0.7 + look.soft * 3
    const reach = half + soft
    const [x0, y0, x1, y1] = [px(x), px(y), px(toX), px(toY)]
    const [dx, dy] = [x1 - x0, y1 - y0]
    const square = dx * dx + dy * dy || 1
    for (
      let j = Math.max(0, Math.floor(Math.min(y0, y1) - reach));
      j <= Math.min(SIDE - 1, Math.ceil(Math.max(y0, y1) + reach));
      j++
    )
      for (
        let i = Math.max(0, Math.floor(Math.min(x0, x1) - reach));
        i <= Math.min(SIDE - 1, Math.ceil(Math.max(x0, x1) + reach));
        i++
      ) {
        const t = Math.min(1, Math.max(0, ((i + 0.5 - x0) * dx + (j + 0.5 - y0) * dy) / square))
        const [ax, ay] = [i + 0.5 - x0 - t * dx, j + 0.5 - y0 - t * dy]
        const share = smooth01((half + soft / 2 - Math.sqrt(ax * ax + ay * ay)) / soft)
        const n = j * SIDE + i
        values[n] = Math.max(values[n] as number, share)
      }
  }
  return values
}

const made = new Map<string, Texture>()
const MOST_MADE = 40

/** The texture of a mark: its colour, and how much of it there is as alpha. key: of all that decides it. */
export function markTexture(look: MarkLook, key: string): Texture {
  const known = made.get(key)
  if (known) return known
  const texture = look.picture ? pictureTexture(look.picture, look) : drawnTexture(look)
  made.set(key, texture)
  for (const oldest of made.keys()) if (made.size > MOST_MADE) made.delete(oldest)
  return texture
}

function drawnTexture(look: MarkLook): Texture {
  const data = new Uint8Array(SIDE * SIDE * 4).fill(255)
  const cracks = look.mark === 'cracks' ? crackRaster(look) : undefined
  for (let j = 0; j < SIDE; j++)
    for (let i = 0; i < SIDE; i++) {
      const n = j * SIDE + i
      const [u, v] = [(2 * (i + 0.5)) / SIDE - 1, (2 * (j + 0.5)) / SIDE - 1]
      // Nothing is cut off at the edge of what is stamped.
      const rim = smooth01((1 - Math.max(Math.abs(u), Math.abs(v))) / 0.06)
      const value = rim * (cracks ? (cracks[n] as number) : patchAt(look, u, v))
      data[4 * n + 3] = Math.round(255 * Math.min(1, Math.max(0, look.amount * value)))
    }
  return { width: SIDE, height: SIDE, data, srgb: true, wrap: ['hold', 'hold'] }
}

function pictureTexture(
  { width, height, values }: NonNullable<MarkLook['picture']>,
  { amount, laid, grown, seed }: MarkLook,
): Texture {
  const bytes = decodeBase64(values) ?? new Uint8Array()
  const data = new Uint8Array(width * height * 4)
  for (let n = 0; n < width * height; n++) {
    const [r, g, b, a] = [0, 1, 2, 3].map((c) => bytes[4 * n + c] ?? 0) as [number, number, number, number]
    const [u, v] = [(2 * ((n % width) + 0.5)) / width - 1, (2 * (Math.floor(n / width) + 0.5)) / height - 1]
    const level = (0.2126 * r + 0.7152 * g + 0.0722 * b) / 255
    const front =
      grown >= 1
        ? 1
        : smooth01((1.5 * grown - Math.sqrt(u * u + v * v) + 0.25 * noise3(seed, 3 * u, 3 * v, 0.5)) / 0.25)
    // What multiplies is as strong as the picture is dark.
    const share = front * amount * (a / 255) * (laid === 'multiply' ? 1 - level * level : 1)
    data.set(laid === 'multiply' ? [255, 255, 255] : [r, g, b], 4 * n)
    data[4 * n + 3] = Math.round(255 * share)
  }
  return { width, height, data, srgb: true, wrap: ['hold', 'hold'] }
}
