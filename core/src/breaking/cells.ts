import { hash01 } from '../base/index.ts'
import { boxBody, type Convex, clipConvex } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'

// A body cut into the regions that are nearest to seeds (Voronoi 1908): lumps, as brittle things break into.

/** Where a strike makes pieces finer: a place and how far around, m. */
export interface Fine {
  at: Vec3
  radius: number
}

/** Share of seeds far from every strike that is kept, so that what is far away breaks too. */
const FAR = 0.06
/** Tries for each seed that is wanted. */
const MOST_TRIES = 400

/** Seeds within a box, closer together near strikes; with more of them the first ones stay. Throws nothing; fewer come where the box has no room. */
export function seedsIn(low: Vec3, high: Vec3, count: number, seed: number, fine: readonly Fine[] = []): Vec3[] {
  const seeds: Vec3[] = []
  for (let n = 0; seeds.length < count && n < MOST_TRIES * count; n++) {
    const place = [0, 1, 2].map((a) => {
      const [from, to] = [low[a] as number, high[a] as number]
      return from + (to - from) * hash01(seed, n, a, 11)
    }) as unknown as Vec3
    const wanted = fine.reduce(
      (most, { at, radius }) => {
        const away = (place[0] - at[0]) ** 2 + (place[1] - at[1]) ** 2 + (place[2] - at[2]) ** 2
        return Math.max(most, 1 / (1 + away / (radius * radius)))
      },
      fine.length > 0 ? FAR : 1,
    )
    if (hash01(seed, n, 3, 11) < wanted) seeds.push(place)
  }
  return seeds
}

/** Squared distance of the farthest corner of a body from a place. */
const reachOf = ({ corners }: Convex, [x, y, z]: Vec3): number =>
  corners.reduce((most, p) => Math.max(most, (p[0] - x) ** 2 + (p[1] - y) ** 2 + (p[2] - z) ** 2), 0)

/**
 * The cell of each seed within a convex body, faces naming the neighbour; undefined where it has none. Neighbours are taken by distance, until those that are left are too far away to reach it.
 * grain: a direction (unit) along which cells are drawn out so many times, as splinters are.
 */
export function cellsOf(
  body: Convex | { low: Vec3; high: Vec3 },
  seeds: readonly Vec3[],
  grain?: { along: Vec3; times: number },
): (Convex | undefined)[] {
  const whole = 'corners' in body ? body : boxBody(body.low, body.high)
  if (!grain || grain.times === 1) return plainCells(whole, seeds)
  // Squeezed along the grain, cut, and drawn out again: planes stay planes.
  const squeeze = scaledAlong(grain.along, 1 / grain.times)
  const stretch = scaledAlong(grain.along, grain.times)
  const cells = plainCells({ ...whole, corners: whole.corners.map(squeeze) }, seeds.map(squeeze))
  return cells.map((cell) => cell && { ...cell, corners: cell.corners.map(stretch) })
}

/** Places drawn out so many times along a direction. */
const scaledAlong =
  ([a, b, c]: Vec3, times: number) =>
  ([x, y, z]: Vec3): Vec3 => {
    const by = (times - 1) * (a * x + b * y + c * z)
    return [x + by * a, y + by * b, z + by * c]
  }

function plainCells(whole: Convex, seeds: readonly Vec3[]): (Convex | undefined)[] {
  const away = new Float64Array(seeds.length)
  return seeds.map((own, i) => {
    const order: number[] = []
    seeds.forEach((other, j) => {
      away[j] = (own[0] - other[0]) ** 2 + (own[1] - other[1]) ** 2 + (own[2] - other[2]) ** 2
      if (j !== i) order.push(j)
    })
    order.sort((a, b) => (away[a] as number) - (away[b] as number) || a - b)
    let cell: Convex | undefined = whole
    let reach = reachOf(whole, own)
    for (const j of order) {
      const square = away[j] as number
      if (square > 4 * reach) break
      // Of two seeds in one place the first has it.
      if (square === 0) {
        if (j < i) return undefined
        continue
      }
      const other = seeds[j] as Vec3
      const distance = Math.sqrt(square)
      const normal: Vec3 = [
        (other[0] - own[0]) / distance,
        (other[1] - own[1]) / distance,
        (other[2] - own[2]) / distance,
      ]
      const offset =
        (normal[0] * (own[0] + other[0]) + normal[1] * (own[1] + other[1]) + normal[2] * (own[2] + other[2])) / 2
      const cut: Convex | undefined = clipConvex(cell, normal, offset, j)
      if (!cut) return undefined
      if (cut !== cell) reach = reachOf(cut, own)
      cell = cut
    }
    return cell
  })
}
