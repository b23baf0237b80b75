// Noise for surfaces: like core's, but in the plane and quick, for tens of millions of texels.
const mix32 = (value: number): number => {
  let h = value
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b)
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35)
  return h ^ (h >>> 16)
}

/** Uniform in [0, 1) from two integers. */
export const spot = (seed: number, i: number, j: number): number =>
  (mix32(mix32(seed + Math.imul(i, 0x9e3779b1)) + Math.imul(j, 0x85ebca77)) >>> 0) / 4294967296

/** Value noise in [-1, 1] on the square lattice with quintic in-between. */
export function grain(seed: number, x: number, y: number): number {
  const i = Math.floor(x)
  const j = Math.floor(y)
  const fx = x - i
  const fy = y - j
  const u = fx * fx * fx * (fx * (fx * 6 - 15) + 10)
  const v = fy * fy * fy * (fy * (fy * 6 - 15) + 10)
  const a = mix32(seed + Math.imul(i, 0x9e3779b1))
  const b = mix32(seed + Math.imul(i + 1, 0x9e3779b1))
  const p = Math.imul(j, 0x85ebca77)
  const q = Math.imul(j + 1, 0x85ebca77)
  const n00 = mix32(a + p) >>> 0
  const n10 = mix32(b + p) >>> 0
  const n01 = mix32(a + q) >>> 0
  const n11 = mix32(b + q) >>> 0
  const lo = n00 + (n10 - n00) * u
  const hi = n01 + (n11 - n01) * u
  return (lo + (hi - lo) * v) / 2147483648 - 1
}

/** Octaves of grain, each about twice as fine and `gain` as strong; about [-1, 1]. */
export function rough(seed: number, x: number, y: number, octaves: number, gain = 0.5): number {
  let sum = 0
  let weight = 1
  let total = 0
  let fx = x
  let fy = y
  for (let n = 0; n < octaves; n++) {
    sum += weight * grain(seed + n * 101, fx, fy)
    total += weight
    weight *= gain
    // Turned a little between octaves so that the lattices don't line up.
    const tx = 1.62 * fx + 1.17 * fy
    fy = 1.62 * fy - 1.17 * fx
    fx = tx
  }
  return sum / total
}

export const clamp = (x: number, lo = 0, hi = 1): number => (x < lo ? lo : x > hi ? hi : x)

/** 0 below a, 1 above b, smooth between. */
export function smooth(a: number, b: number, x: number): number {
  const t = clamp((x - a) / (b - a))
  return t * t * (3 - 2 * t)
}
