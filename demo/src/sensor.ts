// Sensor and film-like curve, written for the demo plates alone.

export interface SensorLook {
  /** Variance of the photon noise per unit of light, and of the read noise, in the plate's linear values, for green. */
  photon: number
  read: number
  /** White balance: the gain of red and blue after the sensor, which lifts their noise. */
  balance: readonly [number, number, number]
  /** Share of each pixel's noise that its neighbours share. */
  smear: number
  /** Stray light that the camera's black point takes away, linear. */
  black: number
  /** Where the highlights begin to bend, and how far they reach, linear. */
  knee: number
  reach: number
}
export const SENSOR_LOOK: SensorLook = {
  photon: 1.5e-4,
  read: 3e-6,
  balance: [1.35, 1, 1.6],
  smear: 0.16,
  black: 0.008,
  knee: 0.62,
  reach: 3.2,
}

/** Finaliser of MurmurHash3 (Appleby), signed. */
export const mix32 = (value: number): number => {
  let h = value
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b)
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35)
  return h ^ (h >>> 16)
}

/** The picture's curve: straight from the black point on, then highlights that bend softly towards white; linear in and out. */
export function filmCurve(light: number, look: SensorLook): number {
  const v = (light - look.black) / (1 - look.black)
  if (v <= 0) return 0
  if (v <= look.knee) return v
  // A hyperbola that leaves the line at the knee with its slope and meets white at `reach`.
  const room = 1 - look.knee
  const t = Math.min(1, (v - look.knee) / (look.reach - look.knee))
  const a = (look.reach - look.knee) / room
  return look.knee + (room * a * t) / (1 + (a - 1) * t)
}

/** Steps of the table of codes. */
export const STEPS = 8192
/** Light that just gives white. */
export const mostLight = (look: SensorLook): number => look.black + look.reach * (1 - look.black)
/** Codes of the curve and of sRGB's transfer, over root-spaced light. */
export function codeTable(most: number, look: SensorLook): Float32Array {
  return Float32Array.from({ length: STEPS + 1 }, (_, n) => {
    const v = filmCurve((n / STEPS) ** 2 * mostLight(look), look)
    return most * (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055)
  })
}
