import { clamp, grain, smooth } from './noise.ts'

export interface Sky {
  /** Direction to the sun, its half-angle as a tangent behind the thin cloud, its light (radiance x solid angle / pi). */
  sun: [number, number, number]
  spread: number
  sunLight: [number, number, number]
  /** Radiance of a direction. */
  look: (x: number, y: number, z: number) => [number, number, number]
  air: { colour: [number, number, number]; loss: number }
}

const unit = (x: number, y: number, z: number): [number, number, number] => {
  const n = Math.hypot(x, y, z)
  return [x / n, y / n, z / n]
}
const mixed = (a: readonly number[], b: readonly number[], t: number): [number, number, number] =>
  [0, 1, 2].map((c) => (a[c] ?? 0) + ((b[c] ?? 0) - (a[c] ?? 0)) * t) as [number, number, number]

/** Warped fractal cloud on a layer over the head, about [-1, 1]. stretch: how much longer than broad its bands are, across the line of sight to the kiln. */
function cloud(seed: number, x: number, y: number, z: number, size: number, stretch: number): number {
  // A curved layer: the far part comes together at the horizon, as the round earth makes it.
  const lift = y + 0.055
  const u = x / lift / size / stretch
  const v = z / lift / size
  const wx = u + 0.5 * layers(seed + 7, u * 0.6, v * 0.6, 3)
  const wz = v + 0.5 * layers(seed + 13, u * 0.6, v * 0.6, 3)
  return layers(seed, wx, wz, 7) * 1.5
}
function layers(seed: number, x: number, y: number, octaves: number): number {
  let sum = 0
  let weight = 0.5
  let [a, b] = [x, y]
  for (let n = 0; n < octaves; n++) {
    sum += weight * grain(seed + n * 37, a, b)
    weight *= 0.53
    ;[a, b] = [1.7 * a + 1.05 * b + 3.1, 1.7 * b - 1.05 * a - 1.7]
  }
  return sum
}

/** After sunset's approach: a low sun behind thin cloud to the left, warm along the horizon, blue above. */
export function duskSky(): Sky {
  const sun = unit(-0.8, 0.185, 0.36)
  return {
    sun,
    spread: 0.075,
    sunLight: [1.2, 0.71, 0.34],
    air: { colour: [0.5, 0.43, 0.38], loss: 1 / 1500 },
    look(x, y, z) {
      const up = Math.max(0, y)
      const toSun = x * sun[0] + y * sun[1] + z * sun[2]
      const side = clamp(0.5 + 0.5 * ((x * sun[0] + z * sun[2]) / Math.hypot(x + 1e-9, z) / Math.hypot(sun[0], sun[2])))
      // Rows of the clear sky from the horizon up, towards the sun and away from it.
      const near = mixed(
        mixed([1.1, 0.68, 0.36], [0.72, 0.6, 0.5], smooth(0, 0.2, up)),
        [0.17, 0.25, 0.39],
        smooth(0.1, 0.7, up),
      )
      const away = mixed(
        mixed([0.56, 0.46, 0.45], [0.42, 0.45, 0.53], smooth(0, 0.2, up)),
        [0.125, 0.195, 0.335],
        smooth(0.1, 0.75, up),
      )
      let rgb = mixed(away, near, side * side)
      const glow = Math.exp((toSun - 1) * 26) * 1.4 + Math.exp((toSun - 1) * 5) * 0.3
      rgb = [rgb[0] + glow, rgb[1] + glow * 0.6, rgb[2] + glow * 0.27]
      // High thin streaks that still have the sun, and a broken grey layer under them, lit along its rims.
      const high = smooth(0.0, 0.75, cloud(301, x, up, z, 1.5, 3.2))
      const body = cloud(401, x, up, z, 1.15, 2.1) + 0.24 - 0.4 * smooth(0.3, 0.9, up)
      const low = smooth(-0.04, 0.6, body) * smooth(0.01, 0.07, up)
      const rim = smooth(-0.05, 0.2, body) * smooth(0.75, 0.1, body)
      const lit = mixed([0.5, 0.46, 0.5], [1.12, 0.74, 0.46], side * (1 - 0.55 * smooth(0.05, 0.6, up)))
      const dull = mixed([0.165, 0.18, 0.225], [0.36, 0.285, 0.28], side * side * (1 - 0.6 * up))
      rgb = mixed(rgb, lit, 0.5 * high)
      rgb = mixed(
        rgb,
        mixed(dull, lit, 0.55 * rim + 0.3 * smooth(-0.3, 0.6, cloud(451, x, up, z, 0.4, 1.6))),
        0.86 * low,
      )
      if (y < 0) rgb = mixed(rgb, [0.09, 0.085, 0.08], smooth(0, -0.05, y))
      return rgb
    },
  }
}

/** Rain light: one grey cover, brighter overhead, no sun. */
export function rainSky(): Sky {
  return {
    sun: [0, 1, 0],
    spread: 0.1,
    sunLight: [0, 0, 0],
    air: { colour: [0.32, 0.345, 0.37], loss: 1 / 1200 },
    look(x, y, z) {
      const up = Math.max(0, y)
      const torn = 0.5 + 0.5 * cloud(501, x, up, z, 1.3, 1.4)
      const body = 0.36 + 0.2 * up + 0.16 * (torn - 0.5) * smooth(0, 0.3, up)
      const rgb: [number, number, number] = [body * 0.93, body * 0.99, body * 1.07]
      return y < 0 ? mixed(rgb, [0.08, 0.08, 0.08], smooth(0, -0.05, y)) : rgb
    },
  }
}

/** The sky as a latitude-longitude picture, row 0 straight up. */
export function skyPicture(sky: Sky, width: number): Float32Array {
  const height = width / 2
  const out = new Float32Array(width * height * 3)
  for (let j = 0; j < height; j++)
    for (let i = 0; i < width; i++) {
      const a = ((i + 0.5) / width - 0.5) * 2 * Math.PI
      const b = ((j + 0.5) / height) * Math.PI
      out.set(sky.look(Math.cos(a) * Math.sin(b), Math.cos(b), Math.sin(a) * Math.sin(b)), (j * width + i) * 3)
    }
  return out
}
