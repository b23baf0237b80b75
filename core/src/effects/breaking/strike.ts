import { hash01 } from '../../base/index.ts'
import type { Piece } from '../../breaking/index.ts'
import { add, dot, normalise, type Quaternion, rotate, scale, subtract, type Vec3 } from '../../math/index.ts'
import type { Blow } from './strikes.ts'

interface Standing {
  place: Vec3
  rotation: Quaternion
  mass: number
  piece: Piece
}
/** What a strike gives a piece. */
export interface Kick {
  n: number
  velocity: Vec3
  spin: Vec3
}

/** Speed of a piece's rim as it spins, against its own: pieces tumble. */
const TUMBLE = 0.3
/** How far behind the strike the place lies that pieces are driven away from, radii. */
const BEHIND = 0.7
/** Share of the middle's push that the rim of the strike still gets. */
const RIM = 0.15

const unitOr = (at: Vec3, other: Vec3): Vec3 => (dot(at, at) > 1e-12 ? normalise(at) : other)

/** How near a piece comes to a place, squared, and its reach. */
function nearness({ place, rotation, piece }: Standing, at: Vec3): { middle: number; corner: number; reach: number } {
  const away = subtract(place, at)
  let [corner, reach] = [dot(away, away), 0]
  for (const { corners } of piece.bodies)
    for (const own of corners) {
      const from = rotate(rotation, subtract(own, piece.middle))
      const to = subtract(add(place, from), at)
      corner = Math.min(corner, dot(to, to))
      reach = Math.max(reach, dot(from, from))
    }
  return { middle: dot(away, away), corner, reach: Math.sqrt(reach) }
}

/** The pieces that a strike hits, and what it gives each: speeds fall off to its rim, and their energies and those of their spins sum to the strike's. */
export function kick(
  { at, direction, radius, energy, spread }: Blow,
  pieces: readonly Standing[],
  seed: number,
): Kick[] {
  const near = pieces.map((piece) => nearness(piece, at))
  let hit = near.flatMap(({ middle }, n) => (middle < radius * radius ? [n] : []))
  // Smaller than any piece: it takes the nearest that it reaches.
  if (hit.length === 0) {
    const reached = near.flatMap(({ corner }, n) => (corner < radius * radius ? [n] : []))
    hit = reached.sort((a, b) => (near[a]?.middle ?? 0) - (near[b]?.middle ?? 0) || a - b).slice(0, 1)
  }
  const kicks = hit.map((n): Kick => {
    const { place } = pieces[n] as Standing
    const { middle, reach } = near[n] as (typeof near)[number]
    // As from a place behind it, so that it drives them out and not into their neighbours.
    const outward = unitOr(subtract(place, subtract(at, scale(direction, BEHIND * radius))), direction)
    const way = unitOr(add(scale(direction, 1 - spread), scale(outward, spread)), direction)
    const share = RIM + (1 - RIM) * Math.max(0, 1 - middle / (radius * radius))
    // Each differs a little, as pieces do.
    const level = share * (0.75 + 0.5 * hash01(seed, n, 0, 41))
    const axis: Vec3 = [hash01(seed, n, 1, 41) - 0.5, hash01(seed, n, 2, 41) - 0.5, hash01(seed, n, 3, 41) - 0.5]
    const turn = (TUMBLE * level * (0.4 + 1.2 * hash01(seed, n, 4, 41))) / Math.max(0.01, reach)
    return { n, velocity: scale(way, level), spin: scale(unitOr(axis, [1, 0, 0]), turn) }
  })
  const sum = kicks.reduce((all, { n, velocity, spin }) => {
    const [mass, reach] = [pieces[n]?.mass ?? 0, near[n]?.reach ?? 0]
    return all + 0.5 * mass * (dot(velocity, velocity) + 0.1 * reach * reach * dot(spin, spin))
  }, 0)
  const by = sum > 0 ? Math.sqrt(energy / sum) : 0
  return kicks.map(({ n, velocity, spin }) => ({ n, velocity: scale(velocity, by), spin: scale(spin, by) }))
}
