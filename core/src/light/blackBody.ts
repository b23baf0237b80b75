import { exp } from '../math/index.ts'
import { FIRST_NM, LUMINOUS_EFFICACY, STEP_NM, X_BAR, Y_BAR, Z_BAR } from './observer.ts'

const PLANCK = 6.62607015e-34
const LIGHT_SPEED = 2.99792458e8
const BOLTZMANN = 1.380649e-23

/** Spectral radiance of a black body, W / (m^2 sr m). wavelength in metres. Planck's law. */
export function planck(kelvin: number, wavelength: number): number {
  const x = (PLANCK * LIGHT_SPEED) / (wavelength * BOLTZMANN * kelvin)
  return (2 * PLANCK * LIGHT_SPEED ** 2) / wavelength ** 5 / (exp(x) - 1)
}

/** CIE XYZ of a black body's radiance; Y is its luminance in cd/m^2. */
export function blackBodyXyz(kelvin: number): [number, number, number] {
  const sum: [number, number, number] = [0, 0, 0]
  for (let n = 0; n < X_BAR.length; n++) {
    const radiance = planck(kelvin, (FIRST_NM + n * STEP_NM) * 1e-9) * STEP_NM * 1e-9 * LUMINOUS_EFFICACY
    sum[0] += radiance * (X_BAR[n] ?? 0)
    sum[1] += radiance * (Y_BAR[n] ?? 0)
    sum[2] += radiance * (Z_BAR[n] ?? 0)
  }
  return sum
}

/** Linear Rec. 709 from XYZ (ITU-R BT.709 primaries, D65). */
export function rec709(xyz: readonly [number, number, number]): [number, number, number] {
  const [x, y, z] = xyz
  return [
    3.2404542 * x - 1.5371385 * y - 0.4985314 * z,
    -0.969266 * x + 1.8760108 * y + 0.041556 * z,
    0.0556434 * x - 0.2040259 * y + 1.0572252 * z,
  ]
}

/** Draws a colour outside the gamut towards grey of the same luminance until no part is negative. */
export function intoGamut(rgb: readonly [number, number, number]): [number, number, number] {
  const y = 0.2126729 * rgb[0] + 0.7151522 * rgb[1] + 0.072175 * rgb[2]
  const least = Math.min(...rgb)
  if (least >= 0 || y <= 0) return [rgb[0], rgb[1], rgb[2]]
  const keep = y / (y - least)
  return rgb.map((part) => Math.max(0, y + (part - y) * keep)) as [number, number, number]
}

/** Temperatures of the glow table, K: from, step, entries. */
export const GLOW_FROM = 600
export const GLOW_STEP = 10
export const GLOW_ENTRIES = 200

/** Soot in a flame's sheets, K (pool fires: 1400 to 1600, Koseki 1989); and the mean of a cell from which some of it is such a sheet: the rise of 500 K that marks a flame's height. */
export const SHEET = 1550
export const FLAME_FROM = 788

/** Share of a cell of that mean temperature that its unresolved flame sheets fill: what is not sheet has the temperature at which no flame is left. */
export const sheetShare = (kelvin: number): number =>
  Math.min(1, Math.max(0, (kelvin - FLAME_FROM) / (SHEET - FLAME_FROM)))

/**
 * The glow table: per entry r g b 0, the plate value (pi x luminance / illuminance) of a cell with that mean temperature: a black body, or where that is brighter the flame sheets in it, which are
 * thinner than any cell and much brighter than the mean. illuminance: lux that make white 1 in the plate; gain: exposure factor.
 */
export function glowTable(illuminance: number, gain: number): Float32Array {
  const table = new Float32Array(GLOW_ENTRIES * 4)
  const glow = (kelvin: number): [number, number, number] => intoGamut(rec709(blackBodyXyz(kelvin)))
  const sheet = glow(SHEET)
  for (let n = 0; n < GLOW_ENTRIES; n++) {
    const kelvin = GLOW_FROM + n * GLOW_STEP
    const share = sheetShare(kelvin)
    glow(kelvin).forEach((part, c) => {
      table[n * 4 + c] = (Math.max(part, share * (sheet[c] ?? 0)) * Math.PI * gain) / illuminance
    })
  }
  return table
}
