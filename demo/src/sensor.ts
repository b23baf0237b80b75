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
export const SENSOR_LOOK: SensorLook = { photon: 1.5e-4, read: 3e-6, balance: [1.35, 1, 1.6], smear: 0.16, black: 0.008, knee: 0.62, reach: 3.2 }

const mix32 = (value: number): number => {
  let h = value
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b)
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35)
  return h ^ (h >>> 16)
}

/** A normal deviate from an integer: four 16-bit uniforms added, near enough in the tails for 8 bits. */
function deviate(key: number): number {
  const a = mix32(key)
  const b = mix32(a ^ 0x5bd1e995)
  return (((a >>> 16) + (a & 65535) + (b >>> 16) + (b & 65535)) / 65536 - 2) * 1.7320508
}

/** Adds the sensor's noise to three planes of light, in place. The noise of neighbours is a little alike, as the filling-in of a colour mosaic makes it. */
export function addNoise(planes: readonly Float32Array[], width: number, height: number, frame: number, seed: number, look: SensorLook): void {
  const noise = new Float32Array(width * height)
  for (const [c, plane] of planes.entries()) {
    const gain = look.balance[c] ?? 1
    const key = mix32(mix32(seed * 3 + c) + frame * 0x9e3779b1)
    for (let n = 0; n < noise.length; n++) noise[n] = deviate((key + Math.imul(n, 0x85ebca77)) | 0)
    // In-between with the right and the lower neighbour, at the same variance.
    const s = look.smear
    const even = 1 / Math.sqrt(1 + 2 * s * s)
    for (let y = 0; y < height; y++) {
      const below = y + 1 < height ? width : 0
      for (let x = 0; x < width; x++) {
        const n = y * width + x
        const own = ((noise[n] as number) + s * (noise[n + (x + 1 < width ? 1 : 0)] as number) + s * (noise[n + below] as number)) * even
        const v = plane[n] as number
        plane[n] = v + own * Math.sqrt(look.photon * gain * Math.max(0, v) + look.read * gain * gain)
      }
    }
  }
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

const STEPS = 8192
/** Light that just gives white. */
const mostLight = (look: SensorLook): number => look.black + look.reach * (1 - look.black)
/** Codes of the curve and of sRGB's transfer, over root-spaced light. */
function codeTable(most: number, look: SensorLook): Float32Array {
  return Float32Array.from({ length: STEPS + 1 }, (_, n) => {
    const v = filmCurve((n / STEPS) ** 2 * mostLight(look), look)
    return most * (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055)
  })
}

/** Planes to interleaved codes of 8 or 16 bits (most: 255 or 65535). */
export function toCodes<T extends Uint8Array | Uint16Array>(planes: readonly Float32Array[], out: T, most: 255 | 65535, look: SensorLook): T {
  const table = codeTable(most, look)
  const top = mostLight(look)
  const scale = 1 / top
  for (const [c, plane] of planes.entries())
    for (let n = 0, o = c; n < plane.length; n++, o += 3) {
      const share = (plane[n] as number) * scale
      const t = share <= 0 ? 0 : share >= 1 ? STEPS - 1e-3 : Math.sqrt(share) * STEPS
      const k = t | 0
      const a = table[k] as number
      out[o] = (a + ((table[k + 1] as number) - a) * (t - k) + 0.5) | 0
    }
  return out
}
