import { AIR_DENSITY, GRAVITY } from '../../gas/index.ts'
import { SOOT_EXTINCTION } from '../../light/index.ts'
import { exp, log } from '../../math/index.ts'
import type { GasItem } from './schema.ts'

// What floats in a gas: soot, or balls of mineral or water of one size.

/** kg/m^3. */
const DENSITY = { dust: 2600, water: 1000 } as const
/** Viscosity of air near 293 K, Pa s. */
const VISCOSITY = 1.81e-5
const MICRON = 1e-6

/** Light that a kilogram stops, m^2/kg: soot as Mulholland & Croarkin 2000; balls much larger than the light's waves 3 / (density x diameter). */
export const extinctionOf = ({ matter, grain, thickness }: Pick<GasItem, 'matter' | 'grain' | 'thickness'>): number =>
  thickness * (matter === 'soot' ? SOOT_EXTINCTION : 3 / (DENSITY[matter] * grain * MICRON))

/** Speed at which grains fall through still air, m/s: Stokes' law, slowed where they are so large that the air whirls behind them (Schiller & Naumann 1935). Soot does not fall. */
export function settlingSpeed({ matter, grain }: Pick<GasItem, 'matter' | 'grain'>): number {
  if (matter === 'soot') return 0
  const d = grain * MICRON
  const stokes = (DENSITY[matter] * d * d * GRAVITY) / (18 * VISCOSITY)
  let speed = stokes
  for (let n = 0; n < 30; n++) {
    const reynolds = (AIR_DENSITY * speed * d) / VISCOSITY
    speed = 0.5 * speed + (0.5 * stokes) / (1 + 0.15 * exp(0.687 * log(Math.max(1e-9, reynolds))))
  }
  return speed
}
