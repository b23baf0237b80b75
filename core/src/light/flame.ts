import { exp } from '../math/index.ts'
import { blackBodyXyz, GLOW_ENTRIES, GLOW_FROM, GLOW_STEP, intoGamut, rec709 } from './blackBody.ts'

// How a flame shines: thin sheets of glowing soot where fuel and air meet in the right mixture, thinner soot within them. The kernel flame.ts is the same, faster.
// Everything goes by the mixture fraction over its stoichiometric value: 0 in air, 1 where there is just air enough, more where fuel is in excess. It is as wide as the cells, so a sheet's place is told by a distance:
// how far the mixture is from the sheet's, over its gradient (as level sets tell distances; Peters 2000, 3.2).

/** Mixture at which the sheet stands. */
export const SHEET_AT = 0.9
/** Thickness of a sheet, m, and its optical depth; share of the thickness on its lean side. */
export const SHEET_WIDTH = 0.012
export const SHEET_DEPTH = 0.2
export const LEAN_SHARE = 0.35
/** Temperature of the soot in a sheet, K, and of that within the flame just inside it and where the fuel is four times in excess. */
export const SHEET_KELVIN = 1600
export const INNER_KELVIN: readonly [number, number] = [1350, 1000]
/** Extinction of the soot within a flame at its densest, 1/m. */
export const INNER_EXTINCTION = 0.7
/** Where the mixture changes more slowly than this, 1/m, there is no sheet: gas that was mixed as it came. */
export const WEAK: readonly [number, number] = [1.2, 3]

/** Temperature above the air's that a mixture has when all that can has burnt, K. */
export const burntRise = (eta: number): number => (eta < 1 ? 1500 * eta : Math.max(500, 1500 - 330 * (eta - 1)))

/** How far a mixture has caught fire, 0 to 1. warm: K above the air. */
export const alightAt = (eta: number, warm: number): number =>
  Math.min(1, Math.max(0, (warm / Math.max(60, burntRise(eta)) - 0.25) / 0.3))

/** Extinction of the soot within a flame that is alight, 1/m. */
export function innerExtinction(eta: number): number {
  if (eta <= 1) return 0
  const over = eta - 2
  return INNER_EXTINCTION * Math.min(1, (eta - 1) / 0.4) * exp(-over * over * (over > 0 ? 0.35 : 1))
}

export const innerKelvin = (eta: number): number =>
  INNER_KELVIN[0] + (INNER_KELVIN[1] - INNER_KELVIN[0]) * Math.min(1, Math.max(0, (eta - 1) / 3))

/** A sheet's strength where the mixture changes by so much a metre. */
export function sheetStrength(gradient: number): number {
  const t = Math.min(1, Math.max(0, (gradient - WEAK[0]) / (WEAK[1] - WEAK[0])))
  return t * t * (3 - 2 * t)
}

/** Extinction of a sheet integrated across it: two halves of a Gaussian. */
export const SHEET_INTEGRAL = (SHEET_DEPTH * Math.sqrt(Math.PI)) / 2

/** Plate value of a black body by temperature: four floats an entry, as glowTable's but with nothing in it for sheets that a cell can't show. */
export function blackBodyTable(illuminance: number): Float32Array {
  const table = new Float32Array(GLOW_ENTRIES * 4)
  for (let n = 0; n < GLOW_ENTRIES; n++)
    intoGamut(rec709(blackBodyXyz(GLOW_FROM + n * GLOW_STEP))).forEach((part, c) => {
      table[n * 4 + c] = (part * Math.PI) / illuminance
    })
  return table
}
