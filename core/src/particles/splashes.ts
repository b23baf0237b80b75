import { hash01, mix32 } from '../base/index.ts'
import type { Camera } from '../data/index.ts'
import { cos, type Quaternion, rotate, sin, type Vec3 } from '../math/index.ts'
import { diceOf } from './births.ts'
import { GRAVITY } from './drag.ts'
import { type Falling, type FallSettings, Seen, seenRoom } from './falling.ts'

// Splashes of rain: where and when drops meet level surfaces is decided by number, as the drops themselves are; each throws up a crown of droplets that fly in closed form.

/** A level surface that drops meet: the top of a box, or the ground. */
export interface Top {
  centre: Vec3
  /** m to either side; of the ground as far as it goes. */
  half: readonly [number, number]
  turn: Quaternion
}

const EDGE = 1
/** Seconds of a slot of the lattice in time. */
const SLOT = 0.25
/** Seconds that a crown's droplets are in the air at most. */
const IN_AIR = 0.4
/** Droplets of a crown, at least and at most. */
const CROWN = { least: 3, most: 8 } as const
/** Share of its diameter that a crown's droplets have, and speeds of theirs, m/s. */
const DROPLET = { size: 0.22, least: 0.7, most: 1.7 } as const

/** Heights of tops: of the highest one at a place that lies under a height, m; undefined where there is none. */
export function heightOf(tops: readonly Top[]): (x: number, z: number, under?: number) => number | undefined {
  const all = tops.map(({ centre, half, turn }) => {
    const [[ax, , az], [bx, , bz]] = [rotate(turn, [1, 0, 0]), rotate(turn, [0, 0, 1])]
    return { centre, half, ax, az, bx, bz }
  })
  return (x, z, under = Infinity) => {
    let highest: number | undefined
    for (const { centre, half, ax, az, bx, bz } of all) {
      const [dx, dz] = [x - centre[0], z - centre[2]]
      if (Math.abs(dx * ax + dz * az) > half[0] || Math.abs(dx * bx + dz * bz) > half[1]) continue
      if (centre[1] < under && centre[1] > (highest ?? -Infinity)) highest = centre[1]
    }
    return highest
  }
}
/** The height of the highest of some tops over a place. */
export const topAt = (tops: readonly Top[], x: number, z: number): number | undefined => heightOf(tops)(x, z)

/** Where a drop met a top, and how long ago, s. */
export interface Landing {
  id: number
  at: [number, number, number]
  since: number
}

/** Every drop that met a top within so many seconds before a time, where a camera may see it. */
export function landingsAt(
  { seed, classes, speedOf }: FallSettings,
  tops: readonly Top[],
  seen: Seen,
  time: number,
  within: number,
  take: (landing: Landing) => void,
): void {
  const flux = classes.reduce((sum, { number, diameter }) => sum + number * speedOf(diameter), 0)
  const drops = flux * EDGE * EDGE * SLOT
  const [x0, x1] = [Math.floor(seen.low[0] / EDGE), Math.floor(seen.high[0] / EDGE)]
  const [z0, z1] = [Math.floor(seen.low[2] / EDGE), Math.floor(seen.high[2] / EDGE)]
  const slot = Math.floor(time / SLOT)
  const heightAt = heightOf(tops)
  for (let k = z0; k <= z1; k++)
    for (let i = x0; i <= x1; i++) {
      const height = heightAt((i + 0.5) * EDGE, (k + 0.5) * EDGE)
      if (height === undefined || !seen.mayHold(i * EDGE, height - 0.2, k * EDGE, EDGE)) continue
      for (let s = slot - Math.ceil(within / SLOT); s <= slot; s++) {
        const number = Math.floor(drops + hash01(seed * 64 + 61, i, s, k))
        const base = Math.floor(hash01(seed * 64 + 62, i, s, k) * 4294967296)
        for (let n = 0; n < number; n++) {
          const id = mix32(base + Math.imul(n, 0x9e3779b1))
          const since = time - s * SLOT - diceOf(id, 0) * SLOT
          if (since <= 0 || since > within) continue
          const [x, z] = [(i + diceOf(id, 1)) * EDGE, (k + diceOf(id, 2)) * EDGE]
          const y = heightAt(x, z)
          if (y !== undefined) take({ id, at: [x, y, z], since })
        }
      }
    }
}

/** The droplets of splashes that a camera sees at a time, s. */
export function splashesAt(settings: FallSettings, tops: readonly Top[], camera: Camera, time: number): Falling {
  const seen = new Seen(camera, settings.near, settings.far)
  const out = seenRoom(Math.min(200_000, settings.most))
  landingsAt(settings, tops, seen, time, IN_AIR, (landing) => crown(out, seen, landing, settings))
  return out
}

/** Adds the droplets of one drop's crown that are in the air. */
function crown(
  out: Falling,
  seen: Seen,
  { id, at: [x, y, z], since: t }: Landing,
  { classes }: Pick<FallSettings, 'classes'>,
): void {
  const diameter = classes[Math.min(classes.length - 1, Math.floor(classes.length * diceOf(id, 3) ** 2))]?.diameter ?? 1
  const droplets = CROWN.least + Math.floor((CROWN.most - CROWN.least + 1) * diceOf(id, 4))
  for (let n = 0; n < droplets && out.count < out.ids.length; n++) {
    const own = mix32(id + Math.imul(n + 1, 0x85ebca77))
    const speed = DROPLET.least + (DROPLET.most - DROPLET.least) * diceOf(own, 0) * Math.min(1, diameter / 2)
    const lift = 0.9 + 0.45 * diceOf(own, 1)
    const [along, up] = [speed * cos(lift), speed * sin(lift) - GRAVITY * t]
    const height = speed * sin(lift) * t - 0.5 * GRAVITY * t * t
    if (height <= 0) continue
    const turn = 2 * Math.PI * ((n + diceOf(own, 2)) / droplets)
    const [px, py, pz] = [x + along * t * cos(turn), y + height, z + along * t * sin(turn)]
    if (!seen.holds(px, py, pz)) continue
    out.ids[out.count] = own
    out.sizes[out.count] = (DROPLET.size * diameter) / 1000
    out.positions.set([px, py, pz], 3 * out.count)
    out.velocities.set([along * cos(turn), up, along * sin(turn)], 3 * out.count)
    out.count++
  }
}
