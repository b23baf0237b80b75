import { hash01 } from '../base/index.ts'
import { cos, noise3, sin } from '../math/index.ts'
import type { GasFlow } from './flow.ts'
import type { ParticleForce, ParticleMoment } from './settings.ts'

// What the air does where a particle is: how it moves, and what pushes.

/** How much of a force is left at a distance from its middle: all within, nothing beyond its radius. */
function shareAt({ centre, radius, soft }: ParticleForce, x: number, y: number, z: number): number {
  if (radius <= 0) return 1
  const away = Math.sqrt((x - centre[0]) ** 2 + (y - centre[1]) ** 2 + (z - centre[2]) ** 2)
  const t = Math.min(1, Math.max(0, (radius - away) / Math.max(1e-6, radius * soft)))
  return t * t * (3 - 2 * t)
}

const CURL_STEP = 0.05
/** A potential of whirls, of size 1: three noises that change with time. */
function potential(seed: number, axis: number, x: number, y: number, z: number, time: number): number {
  const turn = 2 * Math.PI * hash01(seed, axis)
  return noise3(seed * 3 + axis, x + 3.1 * cos(turn) * time * 0.2, y + 0.31 * time, z + 3.1 * sin(turn) * time * 0.2)
}
/** Curl of the potential: whirls without sources (Bridson, Hourihan & Nordenstam 2007), about 1 in size. */
export function curlAt(
  { seed, size, change }: Pick<ParticleForce, 'seed' | 'size' | 'change'>,
  x: number,
  y: number,
  z: number,
  time: number,
  out: [number, number, number],
): void {
  const scale = 1 / Math.max(1e-3, size)
  const [a, b, c, t] = [x * scale, y * scale, z * scale, time * change]
  const h = CURL_STEP
  const slope = (axis: number, dx: number, dy: number, dz: number): number =>
    (potential(seed, axis, a + dx * h, b + dy * h, c + dz * h, t) -
      potential(seed, axis, a - dx * h, b - dy * h, c - dz * h, t)) /
    (2 * h)
  out[0] = slope(2, 0, 1, 0) - slope(1, 0, 0, 1)
  out[1] = slope(0, 0, 0, 1) - slope(2, 1, 0, 0)
  out[2] = slope(1, 1, 0, 0) - slope(0, 0, 1, 0)
}

/** What works on a particle at a place and time: velocity of the air, acceleration, and what the air slows further, 1/s. */
export interface AirNow {
  wind: [number, number, number]
  push: [number, number, number]
  slows: number
}

const felt: [number, number, number] = [0, 0, 0]

/** Fills what works at a place. flow: of a kept gas, as much of it as `share`. */
export function airAt(
  { wind, forces }: ParticleMoment,
  gas: GasFlow | undefined,
  share: number,
  x: number,
  y: number,
  z: number,
  time: number,
  out: AirNow,
): void {
  out.wind[0] = wind[0]
  out.wind[1] = wind[1]
  out.wind[2] = wind[2]
  out.push[0] = out.push[1] = out.push[2] = 0
  out.slows = 0
  if (gas && share > 0) {
    gas.velocityAt(x, y, z, felt)
    for (let a = 0; a < 3; a++) out.wind[a] = (out.wind[a] as number) + share * (felt[a] as number)
  }
  for (const force of forces) {
    const amount = force.strength * shareAt(force, x, y, z)
    if (amount === 0) continue
    const { way, centre, axis } = force
    if (way === 'drag') {
      out.slows += amount
      continue
    }
    if (way === 'blow') {
      felt[0] = axis[0]
      felt[1] = axis[1]
      felt[2] = axis[2]
    } else if (way === 'turbulence') curlAt(force, x, y, z, time, felt)
    else {
      const [dx, dy, dz] = [x - centre[0], y - centre[1], z - centre[2]]
      if (way === 'push') {
        felt[0] = dx
        felt[1] = dy
        felt[2] = dz
      } else {
        felt[0] = axis[1] * dz - axis[2] * dy
        felt[1] = axis[2] * dx - axis[0] * dz
        felt[2] = axis[0] * dy - axis[1] * dx
      }
      const size = Math.sqrt(felt[0] ** 2 + felt[1] ** 2 + felt[2] ** 2)
      for (let a = 0; a < 3; a++) felt[a] = size > 1e-9 ? (felt[a] as number) / size : 0
    }
    for (let a = 0; a < 3; a++) out.push[a] = (out.push[a] as number) + amount * (felt[a] as number)
  }
}
