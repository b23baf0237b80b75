import { LanternError } from '../../base/index.ts'
import type { Solid } from '../../data/index.ts'
import { type GasSettings, type GasSource, paintBounds, type SceneInputs } from '../../gas/index.ts'
import { add, rotate, subtract, type Vec3 } from '../../math/index.ts'
import type { GasItem } from './schema.ts'

// The box that a gas may fill.

/** The height of the highest level ground; -Infinity without one. */
export const groundOf = (solids: readonly { solid: Solid }[]): number =>
  solids.reduce(
    (height, { solid }) =>
      solid.kind === 'halfspace' && solid.normal[1] > 0.99 ? Math.max(height, solid.point[1]) : height,
    -Infinity,
  )

/** The box that a gas may fill: its reach round its sources, no deeper than the ground. */
export function boundsOf(
  item: GasItem,
  reach: { low: Vec3; high: Vec3 },
  ground: number,
  cell: number,
): GasSettings['bounds'] {
  const floor = Number.isFinite(ground) ? Math.floor((ground + 1e-6) / cell + 1e-6) * cell : -Infinity
  return within(
    {
      low: [reach.low[0] - item.reach, Math.max(reach.low[1] - item.reach, floor), reach.low[2] - item.reach],
      high: [reach.high[0] + item.reach, reach.high[1] + (item.rise || item.reach), reach.high[2] + item.reach],
    },
    item,
  )
}

/** Bounds cut to the region that is kept alone. Throws LanternError 'gas-part' where nothing of them lies in it. */
function within(bounds: GasSettings['bounds'], { part, name }: GasItem): GasSettings['bounds'] {
  const low = bounds.low.map((v, axis) => Math.max(v, part?.low?.[axis] ?? -Infinity)) as [number, number, number]
  const high = bounds.high.map((v, axis) => Math.min(v, part?.high?.[axis] ?? Infinity)) as [number, number, number]
  if (low.some((v, axis) => v >= (high[axis] ?? 0)))
    throw new LanternError(
      'gas-part',
      `The region of “${name}” that is to be kept alone holds nothing of it.`,
      'Draw it round the gas, or keep the whole.',
      { field: 'part' },
    )
  return { low, high }
}

/** Where the sources' middles lie through the run: what the gas's reach is counted from. */
export function reachOf(
  item: GasItem,
  sources: readonly GasSource[],
  sceneInputs: readonly SceneInputs[],
): { low: Vec3; high: Vec3 } {
  const low = [Infinity, Infinity, Infinity]
  const high = [-Infinity, -Infinity, -Infinity]
  const take = (at: readonly number[]): void =>
    at.slice(0, 3).forEach((v, a) => {
      low[a] = Math.min(low[a] ?? v, v)
      high[a] = Math.max(high[a] ?? v, v)
    })
  for (const moment of sceneInputs)
    moment.sources.forEach((source, n) => {
      const shape = sources[n]?.shape
      if (shape?.kind === 'points')
        for (let at = 0; at + 3 < (source.points?.length ?? 0); at += 4) take(source.points?.slice(at, at + 3) ?? [])
      else if (shape?.kind === 'line')
        for (const point of shape.points) take(add(source.centre, rotate(source.rotation, point)))
      else if (shape?.kind === 'painted') {
        const { low: from, high: to } = paintBounds(shape.strokes, moment.solids)
        take(from), take(to)
      } else if (shape && 'view' in shape && shape.view) take(shape.view.low), take(shape.view.high)
      else if (shape?.kind === 'surface') {
        const solid = moment.solids[shape.solid]
        if (solid?.kind === 'box') take(subtract(solid.centre, solid.half)), take(add(solid.centre, solid.half))
        else take(item.position)
      } else take(source.centre)
    })
  if (!Number.isFinite(low[0])) take(item.position)
  return { low: low as unknown as Vec3, high: high as unknown as Vec3 }
}
