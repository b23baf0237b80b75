import { type GasFrame, TILE, tileCounts } from './gasFrame.ts'
import { paddedCells } from './grid.ts'
import { halfTable } from './half.ts'

/** Stoichiometric mixture fraction: a kg of fuel burns with 15.15 kg of air. */
export const STOICHIOMETRIC = 1 / 16.15
/** Density of air near 293 K, g/m^3. */
const AIR_GRAMS = 1204

/** The mixture of a frame's cells over its stoichiometric value, padded; undefined where nothing of it burnt or can burn. The floor's layer is repeated below it. */
export function mixtureOf({ box, tiles, channels, ambient }: GasFrame): Float32Array | undefined {
  const [, heat, fuel, , , , burnt] = channels
  if (!heat || !fuel || !burnt?.some((half) => half !== 0)) return undefined
  const values = halfTable()
  const eta = new Float32Array(paddedCells(box.size))
  const [nx, ny, nz] = box.size
  const [tx, ty] = tileCounts(box)
  const sx = nx + 2
  const sxy = sx * (ny + 2)
  tiles.forEach((tile, n) => {
    const [i0, j0, k0] = [(tile % tx) * TILE, (Math.floor(tile / tx) % ty) * TILE, Math.floor(tile / (tx * ty)) * TILE]
    for (let at = 0; at < TILE ** 3; at++) {
      const [i, j, k] = [i0 + (at % TILE), j0 + ((at >> 3) % TILE), k0 + (at >> 6)]
      if (i >= nx || j >= ny || k >= nz) continue
      const o = n * TILE ** 3 + at
      const grams = (values[fuel[o] ?? 0] ?? 0) + (values[burnt[o] ?? 0] ?? 0)
      const gas = (AIR_GRAMS * ambient) / (ambient + (values[heat[o] ?? 0] ?? 0))
      const value = grams / gas / STOICHIOMETRIC
      const e = (k + 1) * sxy + (j + 1) * sx + i + 1
      eta[e] = value
      if (j === 0) eta[e - sx] = value
    }
  })
  return eta
}
