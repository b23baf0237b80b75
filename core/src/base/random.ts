/** A seeded stream of numbers: the same seed gives the same stream in every engine. */
export interface Random {
  /** Uniform in [0, 1). */
  next(): number
}

/** 32-bit mix of an integer, well spread (the finaliser of MurmurHash3, Appleby). */
export function mix32(value: number): number {
  let h = value | 0
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b)
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35)
  return (h ^ (h >>> 16)) >>> 0
}

/** Uniform in [0, 1) from integer coordinates and a seed, without a stream. */
export function hash01(seed: number, a: number, b = 0, c = 0): number {
  return (
    mix32(mix32(mix32(mix32(seed) + Math.imul(a, 0x9e3779b1)) + Math.imul(b, 0x85ebca77)) + Math.imul(c, 0xc2b2ae3d)) /
    4294967296
  )
}

/** Small fast stream (mulberry32 construction: a Weyl sequence through a mix). */
export function random(seed: number): Random {
  let state = mix32(seed)
  return {
    next(): number {
      state = (state + 0x6d2b79f5) >>> 0
      return mix32(state) / 4294967296
    },
  }
}
