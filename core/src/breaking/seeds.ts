import { hash01 } from '../base/index.ts'
import { cos, pow, sin, type Vec3 } from '../math/index.ts'
import { type Fine, seedsIn } from './cells.ts'

// Seeds of flat patterns: what breaks through its whole thickness.

type Axis = 0 | 1 | 2
/** The axis along which a box is thinnest, and the two others. */
export function thinAxis(low: Vec3, high: Vec3): { thin: Axis; wide: readonly [Axis, Axis] } {
  const size = [0, 1, 2].map((a) => (high[a] as number) - (low[a] as number))
  const thin = size.indexOf(Math.min(...size)) as Axis
  const wide = ([0, 1, 2] as const).filter((a) => a !== thin) as [Axis, Axis]
  return { thin, wide }
}

/** Seeds in the middle of the thickness: slabs, tiles. */
export function slabSeeds(low: Vec3, high: Vec3, count: number, seed: number, fine: readonly Fine[]): Vec3[] {
  const { thin } = thinAxis(low, high)
  const middle = (low[thin] + high[thin]) / 2
  return seedsIn(low, high, count, seed, fine).map((at) => {
    const flat: [number, number, number] = [...at]
    flat[thin] = middle
    return flat
  })
}

/** Rings outward are this much farther apart each. */
const WIDER = 1.35
/** Share of a ring's pace by which its seeds are off. */
const OFF = 0.35

/** Seeds on rings about a place in the plane of a flat box, as a pane breaks: small in the middle, larger outward. */
export function radialSeeds(low: Vec3, high: Vec3, count: number, seed: number, centre: Vec3): Vec3[] {
  const { thin, wide } = thinAxis(low, high)
  const [u, v] = wide
  const reach = Math.max(
    ...[low, high].flatMap((x) => [low, high].map((y) => Math.sqrt((x[u] - centre[u]) ** 2 + (y[v] - centre[v]) ** 2))),
  )
  const spokes = Math.max(5, Math.round(Math.sqrt(count) * 1.2))
  const rings = Math.max(2, Math.ceil(count / spokes))
  // The first ring such that the last one reaches the farthest corner.
  const first = (reach * (WIDER - 1)) / (pow(WIDER, rings) - 1)
  const seeds: Vec3[] = []
  let radius = 0
  for (let ring = 0; ring < rings; ring++) {
    const step = first * pow(WIDER, ring)
    for (let spoke = 0; spoke < spokes && seeds.length < count; spoke++) {
      const off = (n: number): number => OFF * (hash01(seed, ring, 2 * spoke + n, 31) - 0.5) * 2
      const angle = (2 * Math.PI * (spoke + off(0) * 0.6 + 0.5 * (ring % 2))) / spokes
      const away = radius + step * (0.5 + 0.5 * off(1))
      const at: [number, number, number] = [0, 0, 0]
      at[thin] = (low[thin] + high[thin]) / 2
      at[u] = centre[u] + away * cos(angle)
      at[v] = centre[v] + away * sin(angle)
      if (at[u] > low[u] && at[u] < high[u] && at[v] > low[v] && at[v] < high[v]) seeds.push(at)
    }
    radius += step
  }
  return seeds
}
