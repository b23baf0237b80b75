import { intoGamut, rec709 } from './blackBody.ts'
import { FIRST_NM, LUMINOUS_EFFICACY, STEP_NM, X_BAR, Y_BAR, Z_BAR } from './observer.ts'

/** Light that burning gives by itself, without soot: bands of CH at 431 nm and C2 at 473, 516 and 563 nm (Gaydon 1974), with their shares of its power. */
const BANDS = [
  [431, 0.4],
  [473, 0.2],
  [516, 0.3],
  [563, 0.1],
] as const
/** Share of the heat set free that leaves as such light: some millionths where fuel burns as it meets the air. */
const SHARE = 3e-6
/** Heat of a gram of fuel that burns in about a tenth of a second, W. */
const POWER_PER_GRAM = 44.6e3 / 0.1

/** Plate value that a metre of burning at 1 g/m^3 of fuel adds, r g b. illuminance: lux that make white 1. */
export function blueGlow(illuminance: number): [number, number, number] {
  const xyz: [number, number, number] = [0, 0, 0]
  for (const [nanometres, share] of BANDS) {
    const n = Math.round((nanometres - FIRST_NM) / STEP_NM)
    ;[X_BAR, Y_BAR, Z_BAR].forEach((bar, c) => {
      xyz[c] = (xyz[c] ?? 0) + share * (bar[n] ?? 0)
    })
  }
  // Radiance a metre: power per volume over all directions.
  const radiance = (POWER_PER_GRAM * SHARE) / (4 * Math.PI)
  return intoGamut(rec709(xyz.map((part) => part * radiance * LUMINOUS_EFFICACY) as [number, number, number])).map(
    (part) => (part * Math.PI) / illuminance,
  ) as [number, number, number]
}
