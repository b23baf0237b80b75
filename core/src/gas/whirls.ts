import { type Random, random as seeded } from '../base/index.ts'
import { cos, sin } from '../math/index.ts'

/** Nodes along an edge of the tile, and waves along it in the middle of its band: a whirl, half a wave, is TILE_NODES / TILE_WAVES / 2 nodes. */
export const WHIRL_NODES = 32
export const WHIRL_WAVES = 4

const tiles = new Map<number, Float32Array>()

/**
 * A periodic tile of WHIRL_NODES^3 vectors, four floats each (x y z 0), mean square 1: random waves within an octave round WHIRL_WAVES, each across its own direction, so that what they stir neither gathers nor spreads
 * (Kraichnan 1970).
 */
export function whirlTile(seed: number): Float32Array {
  const known = tiles.get(seed)
  if (known) return known
  const n = WHIRL_NODES
  const random = seeded(seed)
  const [low, high] = [WHIRL_WAVES / Math.SQRT2, WHIRL_WAVES * Math.SQRT2]
  const waves = Float64Array.from({ length: n }, (_, m) => cos((2 * Math.PI * m) / n))
  const across = Float64Array.from({ length: n }, (_, m) => sin((2 * Math.PI * m) / n))
  const tile = new Float32Array(n ** 3 * 4)
  const top = Math.ceil(high)
  for (let kz = 0; kz <= top; kz++)
    for (let ky = -top; ky <= top; ky++)
      for (let kx = -top; kx <= top; kx++) {
        const k = Math.sqrt(kx * kx + ky * ky + kz * kz)
        if (k < low || k > high || kz < 0 || (kz === 0 && (ky < 0 || (ky === 0 && kx <= 0)))) continue
        const [a, b] = [vector(random, kx, ky, kz), vector(random, kx, ky, kz)]
        let at = 0
        for (let z = 0; z < n; z++)
          for (let y = 0; y < n; y++)
            for (let x = 0; x < n; x++, at += 4) {
              const phase = (((kx * x + ky * y + kz * z) % n) + n) % n
              const c = waves[phase] ?? 0
              const s = across[phase] ?? 0
              for (let axis = 0; axis < 3; axis++)
                tile[at + axis] = (tile[at + axis] ?? 0) + (a[axis] ?? 0) * c + (b[axis] ?? 0) * s
            }
      }
  let sum = 0
  for (let at = 0; at < tile.length; at++) sum += (tile[at] ?? 0) ** 2
  const norm = Math.sqrt(n ** 3 / sum)
  for (let at = 0; at < tile.length; at++) tile[at] = (tile[at] ?? 0) * norm
  tiles.set(seed, tile)
  if (tiles.size > 8) tiles.delete(tiles.keys().next().value ?? seed)
  return tile
}

/** A random vector across (kx, ky, kz): k x r / |k|. */
function vector(random: Random, kx: number, ky: number, kz: number): [number, number, number] {
  const r = [random.next() * 2 - 1, random.next() * 2 - 1, random.next() * 2 - 1] as const
  const k = Math.sqrt(kx * kx + ky * ky + kz * kz)
  return [(ky * r[2] - kz * r[1]) / k, (kz * r[0] - kx * r[2]) / k, (kx * r[1] - ky * r[0]) / k]
}
