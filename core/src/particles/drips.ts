import { hash01, mix32 } from '../base/index.ts'
import { exp, log, type Quaternion, rotate, type Vec3 } from '../math/index.ts'
import { diceOf } from './births.ts'
import { GRAVITY } from './drag.ts'
import { type Falling, type Seen, seenRoom } from './falling.ts'
import { dropSpeed } from './rain.ts'
import type { Top } from './splashes.ts'

// Drops off edges: water gathers on a top, runs to its edges, and falls from places along them, each with a pace of its own. In closed form, as rain is.

/** An edge that drips, m. */
export interface DripEdge {
  from: Vec3
  to: Vec3
  /** Drops a second from all of it. */
  rate: number
}

/** Diameter of a drop that hangs until its weight tears it off, mm (Tate’s law for water: about 4.5 to 5.5). */
const DIAMETER = { least: 4, most: 5.4 } as const
/** m between the places of an edge that drops fall from. */
const SPACING = 0.06
/** m that one is followed down where nothing is below. */
const DEEPEST = 30
const LOG_2 = Math.LN2
/** Seconds between the drops of one place at least: faster, they are a thread of water. */
const LEAST_PERIOD = 0.18

/** ln cosh x for x of at least 0, without overflow. */
const logCosh = (x: number): number => x + log(1 + exp(-2 * x)) - LOG_2

/** How far a drop has fallen after so long, m, and its speed: drag by the square of the speed, with the speed that it comes to in the end. */
export function fallen(seconds: number, terminal: number): { way: number; speed: number } {
  const x = (GRAVITY * seconds) / terminal
  const away = exp(-2 * x)
  return { way: ((terminal * terminal) / GRAVITY) * logCosh(x), speed: (terminal * (1 - away)) / (1 + away) }
}

/** The four edges of a top, with the water that it gathers of rain shared between them by length. rain: mm/h. */
export function edgesOf({ centre, half, turn }: Top, rain: number): DripEdge[] {
  const corner = (x: number, z: number): Vec3 => {
    const [dx, dy, dz] = rotate(turn as Quaternion, [x * half[0], 0, z * half[1]])
    return [centre[0] + dx, centre[1] + dy, centre[2] + dz]
  }
  const corners = [corner(-1, -1), corner(1, -1), corner(1, 1), corner(-1, 1)]
  const middle = (DIAMETER.least + DIAMETER.most) / 2
  // ml a second over the top, by the ml of a drop.
  const all = (rain * 4 * half[0] * half[1]) / 3.6 / ((Math.PI / 6) * middle ** 3 * 1e-3)
  const around = 4 * (half[0] + half[1])
  return corners.map((from, n) => ({
    from,
    to: corners[(n + 1) % 4] as Vec3,
    rate: around > 0 ? (all * 2 * (half[n % 2 === 0 ? 0 : 1] ?? 0)) / around : 0,
  }))
}

/** Drops that fall from edges at a time, s, down to what is below (its height under a place, m). seed: tells edges' drops from others. */
export function dripsAt(
  seed: number,
  edges: readonly DripEdge[],
  below: (x: number, z: number, under: number) => number | undefined,
  seen: Seen,
  time: number,
  most: number,
): Falling {
  const out = seenRoom(Math.min(20_000, most))
  edges.forEach(({ from, to, rate }, e) => {
    const [dx, dy, dz] = [to[0] - from[0], to[1] - from[1], to[2] - from[2]]
    const places = Math.max(1, Math.round(Math.sqrt(dx * dx + dy * dy + dz * dz) / SPACING))
    const period = Math.max(LEAST_PERIOD, places / Math.max(1e-6, rate))
    for (let p = 0; p < places; p++) {
      const own = mix32(Math.floor(hash01(seed * 64 + 83, e, p, 0) * 4294967296))
      const every = period * (0.6 + 0.8 * diceOf(own, 0))
      const t = (p + 0.15 + 0.7 * diceOf(own, 1)) / places
      const [x, y, z] = [from[0] + t * dx, from[1] + t * dy, from[2] + t * dz]
      const floor = below(x, z, y - 1e-3)
      const last = Math.floor(time / every + diceOf(own, 2))
      for (let k = last; k > last - 12 && out.count < out.ids.length; k--) {
        const id = mix32(own + Math.imul(k, 0x9e3779b1))
        const diameter = DIAMETER.least + (DIAMETER.most - DIAMETER.least) * diceOf(id, 0)
        const since = time - (k - diceOf(own, 2) + 0.3 * diceOf(id, 1)) * every
        if (since <= 0) continue
        const { way, speed } = fallen(since, dropSpeed(diameter))
        if (way > DEEPEST || (floor !== undefined && y - way < floor)) break
        if (!seen.holds(x, y - way, z)) continue
        out.ids[out.count] = id
        out.sizes[out.count] = diameter / 1000
        out.positions.set([x, y - way, z], 3 * out.count)
        out.velocities.set([0, -speed, 0], 3 * out.count)
        out.count++
      }
    }
  })
  return out
}
