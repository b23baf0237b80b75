import { hash01 } from '../base/index.ts'

const fade = (t: number): number => t * t * t * (t * (t * 6 - 15) + 10)

/** Value noise in [-1, 1] on the integer lattice, quintic in-between (Perlin 2002's fade). */
export function noise3(seed: number, x: number, y: number, z: number): number {
  const i = Math.floor(x)
  const j = Math.floor(y)
  const k = Math.floor(z)
  const fx = fade(x - i)
  const fy = fade(y - j)
  const fz = fade(z - k)
  const at = (a: number, b: number, c: number): number => hash01(seed, i + a, j + b, k + c)
  const mix = (a: number, b: number, t: number): number => a + (b - a) * t
  const lo = mix(mix(at(0, 0, 0), at(1, 0, 0), fx), mix(at(0, 1, 0), at(1, 1, 0), fx), fy)
  const hi = mix(mix(at(0, 0, 1), at(1, 0, 1), fx), mix(at(0, 1, 1), at(1, 1, 1), fx), fy)
  return 2 * mix(lo, hi, fz) - 1
}

/** Sum of `octaves` of noise3, each twice as fine and half as strong; about [-1, 1]. */
export function fractal3(seed: number, x: number, y: number, z: number, octaves: number): number {
  let sum = 0
  let weight = 1
  let total = 0
  for (let o = 0; o < octaves; o++) {
    const f = 2 ** o
    sum += weight * noise3(seed + o, x * f, y * f, z * f)
    total += weight
    weight *= 0.5
  }
  return sum / total
}

/** 0 to 1 with level ends: t^2 (3 - 2 t), t held within 0 and 1. */
export const smooth01 = (t: number): number => {
  const x = Math.min(1, Math.max(0, t))
  return x * x * (3 - 2 * x)
}
