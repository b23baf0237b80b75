import { distanceTo, normalAt, type Solid, solidBounds } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'

// Where a particle meets the set. Each solid is asked only where the way comes near its bounds.

interface Bounded {
  solid: Solid
  bounds?: { low: Vec3; high: Vec3 }
}
const known = new WeakMap<readonly Solid[], Bounded[]>()
const boundedOf = (solids: readonly Solid[]): Bounded[] => {
  const there = known.get(solids)
  if (there) return there
  const made = solids.map((solid): Bounded => {
    const bounds = solidBounds(solid)
    return { solid, ...(bounds ? { bounds } : {}) }
  })
  known.set(solids, made)
  return made
}

/** How near the nearest surface is, m, and whose it is; only those within `reach` of the place. */
export function nearestSolid(
  solids: readonly Solid[],
  at: Vec3,
  reach: number,
): { solid: Solid; distance: number } | undefined {
  let nearest: { solid: Solid; distance: number } | undefined
  for (const { solid, bounds } of boundedOf(solids)) {
    if (
      bounds &&
      (at[0] < bounds.low[0] - reach ||
        at[0] > bounds.high[0] + reach ||
        at[1] < bounds.low[1] - reach ||
        at[1] > bounds.high[1] + reach ||
        at[2] < bounds.low[2] - reach ||
        at[2] > bounds.high[2] + reach)
    )
      continue
    const distance = distanceTo(solid, at)
    if (distance < reach && distance < (nearest?.distance ?? Infinity)) nearest = { solid, distance }
  }
  return nearest
}

/** Parts of a way that are looked at, at most: nothing thinner than this share of it is met for sure. */
const MOST_PARTS = 64

/**
 * Where a ball on its way first lies in a solid: the shares of the way just before and there; undefined where it meets none. It goes on by how far the nearest solid is, so that thin ones are not passed through.
 * placeAt: its middle at a share of the way; way: its length, m.
 */
export function firstMeeting(
  solids: readonly Solid[],
  placeAt: (share: number) => Vec3,
  way: number,
  radius: number,
): { before: number; after: number } | undefined {
  let before = 0
  let share = 0
  for (let n = 0; n <= MOST_PARTS; n++) {
    const near = nearestSolid(solids, placeAt(share), way * (1 - share) + radius)
    if (!near) return undefined
    const gap = near.distance - radius
    if (gap < 0 && share > 0) return { before, after: share }
    if (share >= 1) return undefined
    before = share
    share = Math.min(1, share + Math.max(gap / Math.max(1e-9, way), 1 / MOST_PARTS))
  }
  return undefined
}

export const surfaceNormal = (solid: Solid, at: Vec3): Vec3 => normalAt(solid, at)

/**
 * A velocity after it met a surface: its part along the normal comes back by restitution, the part along the surface loses what friction takes while it is pressed (Coulomb), at most all of it.
 */
export function bounced(velocity: Vec3, normal: Vec3, restitution: number, friction: number): [number, number, number] {
  const into = velocity[0] * normal[0] + velocity[1] * normal[1] + velocity[2] * normal[2]
  if (into >= 0) return [...velocity]
  const along = [0, 1, 2].map((a) => (velocity[a] as number) - into * (normal[a] as number))
  const speed = Math.sqrt(along.reduce((sum, part) => sum + part * part, 0))
  const kept = speed > 0 ? Math.max(0, 1 - (friction * (1 + restitution) * -into) / speed) : 0
  return [0, 1, 2].map((a) => kept * (along[a] as number) - restitution * into * (normal[a] as number)) as [
    number,
    number,
    number,
  ]
}
