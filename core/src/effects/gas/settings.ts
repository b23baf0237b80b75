import { canonicalJson, LanternError } from '../../base/index.ts'
import type { Solid } from '../../data/index.ts'
import {
  type ForceMoment,
  type GasForce,
  type GasMoment,
  type GasSettings,
  type GasSource,
  wallsCut,
} from '../../gas/index.ts'
import { add, cos, fractal3, normalise, radians, rotate, scale, sin, subtract, type Vec3 } from '../../math/index.ts'
import { isPiece, piecesAt, solidOf } from '../../set/index.ts'
import { frameRate, type ItemDocument, itemsInOrder } from '../../settings/index.ts'
import type { EffectContext } from '../effect.ts'
import { type GasQuality, gasItem, itemAt, runOf } from './items.ts'
import { type ForceItem, type GasItem, isForce, isSource } from './schema.ts'
import { COURANT, cellOf, MOST_CELLS } from './size.ts'
import { type Feeding, KELVIN, sourceMoment, sourceOf } from './sourceShape.ts'

const SWAY = 25

const forceOf = (item: ForceItem): GasForce => ({
  way: item.way,
  soft: item.softEdge / 100,
  size: item.size,
  change: item.change,
  seed: item.seed,
})
const forceMoment = (item: ForceItem): ForceMoment => ({
  centre: item.position,
  axis: normalise(item.axis),
  strength: item.way === 'drag' ? item.slowing : item.strength,
  radius: item.radius,
})

function windOf(item: GasItem, seconds: number): Vec3 {
  const turn = seconds / item.gustEvery
  const gust = item.gust / 100
  const speed = item.wind * Math.max(0, 1 + gust * 1.6 * fractal3(item.seed + 911, turn, 0.5, 0.5, 3))
  const from = radians(item.windFrom + SWAY * gust * 1.6 * fractal3(item.seed + 977, turn, 0.5, 0.5, 3))
  // 0 degrees: from behind the set (-Z) towards the camera; 90: from the right (+X).
  return [-speed * sin(from), 0, speed * cos(from)]
}

const moved = (solid: Solid, by: Vec3): Solid =>
  solid.kind === 'halfspace'
    ? { ...solid, point: subtract(solid.point, by) }
    : { ...solid, centre: subtract(solid.centre, by) }

/** How far a gas that is held still has gone at a frame since the first: where what is kept is shown. */
export function carriedBy(document: ItemDocument, item: GasItem, frame: number): Vec3 {
  if (!item.held || !item.motion) return [0, 0, 0]
  return subtract(itemAt(document, item, frame).position, itemAt(document, item, document.plate.first).position)
}

/** Lists that are equal are the same one, so that a recipe holds each once. */
function settle(moments: GasMoment[]): GasMoment[] {
  const texts: Record<string, string> = {}
  let last: GasMoment | undefined
  const settled = moments.map((moment) => {
    const next = { ...moment }
    for (const key of ['sources', 'forces', 'wind', 'solids'] as const) {
      const text = canonicalJson(moment[key])
      if (last && texts[key] === text) Object.assign(next, { [key]: last[key] })
      texts[key] = text
    }
    last = next
    return next
  })
  const [first] = settled
  const still =
    first &&
    settled.every((moment) =>
      (['sources', 'forces', 'wind', 'solids'] as const).every((key) => moment[key] === first[key]),
    )
  return still && first ? [first] : settled
}

/** An item's settings in SI, with the set pieces that stop gas and what works on it, frame by frame. Throws LanternError naming what of the source is missing. */
export function gasSettings(
  document: ItemDocument,
  id: string,
  quality: GasQuality,
  world: EffectContext = {},
): GasSettings {
  const item = gasItem(document, id)
  const { plate } = document
  const rate = frameRate(plate)
  const cell = cellOf(item, quality)
  const items = itemsInOrder(document)
  const feeding: Feeding[] = [
    item,
    ...items.flatMap(([, one]) => (isSource(one) && one.feeds === id && one.shown ? [one] : [])),
  ]
  const forces = items.flatMap(([, one]) =>
    isForce(one) && one.shown && (one.on === '' || one.on === id) ? [one] : [],
  )
  const inputs = world.inputs ?? {}
  const standing = (frame: number) =>
    piecesAt(document, frame, inputs).flatMap(([piece, one]) =>
      one.roles.stops ? [{ id: piece, solid: solidOf(one) }] : [],
    )
  const alive =
    feeding.some((one) => one.motion || one.follows || one.shape === 'points') ||
    item.gust > 0 ||
    forces.some((one) => one.motion || one.follows) ||
    items.some(([, one]) => isPiece(one) && (one.motion || one.follows))
  const momentAt = (frame: number): GasMoment => {
    const by = carriedBy(document, item, frame)
    const now = itemAt(document, item, frame, inputs)
    const step = 0.5
    const pace =
      item.held && item.motion
        ? scale(
            subtract(itemAt(document, item, frame + step).position, itemAt(document, item, frame - step).position),
            rate / (2 * step),
          )
        : ([0, 0, 0] as const)
    return {
      sources: feeding.map((one) => {
        const moment = sourceMoment(itemAt(document, one, frame, inputs), frame, world)
        return { ...moment, centre: subtract(moment.centre, by) }
      }),
      forces: forces.map((one) => {
        const moment = forceMoment(itemAt(document, one, frame, inputs))
        return { ...moment, centre: subtract(moment.centre, by) }
      }),
      wind: subtract(windOf(now, (frame - plate.first) / rate), pace as Vec3),
      solids: standing(frame).map(({ solid }) => moved(solid, by)),
    }
  }
  const { first, last } = runOf(document, item)
  const moments = settle(Array.from({ length: alive ? last - first + 1 : 1 }, (_, n) => momentAt(first + n)))
  const solids = standing(plate.first)
  const ground = solids.reduce(
    (height, { solid }) =>
      solid.kind === 'halfspace' && solid.normal[1] > 0.99 ? Math.max(height, solid.point[1]) : height,
    -Infinity,
  )
  const sources = feeding.map((one) => sourceOf(one, solids, world))
  const reach = reachOf(item, sources, moments)
  return {
    cell,
    sources,
    forces: forces.map(forceOf),
    moments,
    runUp: item.runUp,
    ambient: item.airTemperature + KELVIN,
    shear: { exponent: item.shear, at: item.windAt, ground: Number.isFinite(ground) ? ground : 0 },
    sootYield: item.soot / 100,
    burnTime: item.burnTime,
    radiant: item.radiant / 100,
    black: item.matter === 'soot',
    fade: item.fade,
    confinement: item.confinement,
    courant: COURANT,
    bounds: within(
      {
        low: [
          reach.low[0] - item.reach,
          Math.max(
            reach.low[1] - item.reach,
            Number.isFinite(ground) ? Math.floor((ground + 1e-6) / cell + 1e-6) * cell : -Infinity,
          ),
          reach.low[2] - item.reach,
        ],
        high: [reach.high[0] + item.reach, reach.high[1] + (item.rise || item.reach), reach.high[2] + item.reach],
      },
      item,
    ),
    cut: moments.some(({ solids: all }) => wallsCut(all, cell)),
    mostCells: MOST_CELLS,
    seed: item.seed,
  }
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
function reachOf(
  item: GasItem,
  sources: readonly GasSource[],
  moments: readonly GasMoment[],
): { low: Vec3; high: Vec3 } {
  const low = [Infinity, Infinity, Infinity]
  const high = [-Infinity, -Infinity, -Infinity]
  const take = (at: readonly number[]): void =>
    at.slice(0, 3).forEach((v, a) => {
      low[a] = Math.min(low[a] ?? v, v)
      high[a] = Math.max(high[a] ?? v, v)
    })
  for (const moment of moments)
    moment.sources.forEach((source, n) => {
      const shape = sources[n]?.shape
      if (shape?.kind === 'points')
        for (let at = 0; at + 3 < (source.points?.length ?? 0); at += 4) take(source.points?.slice(at, at + 3) ?? [])
      else if (shape?.kind === 'line')
        for (const point of shape.points) take(add(source.centre, rotate(source.rotation, point)))
      else if (shape && 'view' in shape && shape.view) take(shape.view.low), take(shape.view.high)
      else if (shape?.kind === 'surface') {
        const solid = moment.solids[shape.solid]
        if (solid?.kind === 'box') take(subtract(solid.centre, solid.half)), take(add(solid.centre, solid.half))
        else take(item.position)
      } else take(source.centre)
    })
  if (!Number.isFinite(low[0])) take(item.position)
  return { low: low as unknown as Vec3, high: high as unknown as Vec3 }
}

const withItem = (document: ItemDocument, id: string, item: GasItem): ItemDocument => ({
  ...document,
  items: { ...document.items, [id]: item },
})

/** The run that tells ahead how much work a gas will be (workAhead): the same with cells of so many times the size, at less than a hundredth of the cost of a large one. */
const ROUGH = 4
export function roughSettings(document: ItemDocument, id: string, world: EffectContext = {}): GasSettings {
  const item = gasItem(document, id)
  return gasSettings(withItem(document, id, { ...item, cell: ROUGH * item.cell }), id, 'full', world)
}
