import { hash01 } from '../base/index.ts'
import { insidePolygon, type Vec3 } from '../math/index.ts'

// Places of copies over a drawn area.

/** Throws for a place inside the area; and of those so many of which the farthest from the others is taken. */
const THROWS = 60
const CANDIDATES = 8

/** Height of an area at a place, of its corners by how near they are. */
function levelAt(area: readonly Vec3[], x: number, z: number): number {
  let [sum, weights] = [0, 0]
  for (const [cx, cy, cz] of area) {
    const weight = 1 / (1e-6 + (cx - x) * (cx - x) + (cz - z) * (cz - z))
    sum += weight * cy
    weights += weight
  }
  return weights > 0 ? sum / weights : 0
}

/**
 * Places spread over an area by chance, each far from those before it (best candidate: Mitchell 1991). area: its corners in the set, m; seen from above they go round it.
 * Fewer than `count` where the area has no room, none where it has no extent.
 */
export function placesInArea(area: readonly Vec3[], count: number, seed: number): Vec3[] {
  if (area.length < 3) return []
  const corners = area.map(([x, , z]) => [x, z] as const)
  const [xs, zs] = [corners.map(([x]) => x), corners.map(([, z]) => z)]
  const [x0, z0] = [Math.min(...xs), Math.min(...zs)]
  const [wide, deep] = [Math.max(...xs) - x0, Math.max(...zs) - z0]
  if (!(wide > 0 && deep > 0)) return []
  const places: Vec3[] = []
  for (let n = 0; n < count; n++) {
    let best: Vec3 | undefined
    let farthest = -1
    let found = 0
    for (let k = 0; k < THROWS && found < CANDIDATES; k++) {
      const [x, z] = [x0 + wide * hash01(seed, n, 2 * k, 89), z0 + deep * hash01(seed, n, 2 * k + 1, 89)]
      if (!insidePolygon(corners, x, z)) continue
      found++
      const near = places.reduce((least, [px, , pz]) => Math.min(least, (px - x) ** 2 + (pz - z) ** 2), Infinity)
      if (near <= farthest) continue
      farthest = near
      best = [x, levelAt(area, x, z), z]
    }
    if (best) places.push(best)
  }
  return places
}

/** A place on the way round a rectangle about the middle, by the share of that way; half: its half sides, m. */
export function placeRound([hx, hz]: readonly [number, number], share: number): [number, number] {
  const way = (share - Math.floor(share)) * 4 * (hx + hz)
  if (way < 2 * hx) return [way - hx, hz]
  if (way < 2 * hx + 2 * hz) return [hx, hz - (way - 2 * hx)]
  if (way < 4 * hx + 2 * hz) return [hx - (way - 2 * hx - 2 * hz), -hz]
  return [-hx, way - 4 * hx - 2 * hz - hz]
}
