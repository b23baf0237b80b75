import { windAt } from '../../air/index.ts'
import { canonicalJson } from '../../base/index.ts'
import { dugReach, type Solid } from '../../data/index.ts'
import { type ForceInputs, type GasForce, type GasSettings, type SceneInputs, wallsCut } from '../../gas/index.ts'
import { normalise, scale, subtract, type Vec3 } from '../../math/index.ts'
import { isCrater, isPiece, isThing, stoppingAt } from '../../set/index.ts'
import { frameRate, type Item, type ItemDocument, itemsInOrder } from '../../settings/index.ts'
import type { EffectContext } from '../effect.ts'
import { boundsOf, groundOf, reachOf } from './bounds.ts'
import { type GasQuality, gasItem, itemAt, runOf } from './items.ts'
import { settlingSpeed } from './matter.ts'
import { type ForceItem, type GasItem, isForce, isSource } from './schema.ts'
import { COURANT, cellOf, MOST_CELLS } from './size.ts'
import { type Feeding, KELVIN, sourceInputs, sourceOf } from './sourceShape.ts'

const forceOf = (item: ForceItem): GasForce => ({
  way: item.way,
  soft: item.softEdge / 100,
  size: item.size,
  change: item.change,
  seed: item.seed,
})
const forceInputs = (item: ForceItem): ForceInputs => ({
  centre: item.position,
  axis: normalise(item.axis),
  strength: item.way === 'drag' ? item.slowing : item.strength,
  radius: item.radius,
})

const moved = (solid: Solid, by: Vec3): Solid =>
  solid.kind === 'halfspace'
    ? {
        ...solid,
        point: subtract(solid.point, by),
        ...(solid.dug ? { dug: solid.dug.map((one) => ({ ...one, x: one.x - by[0], z: one.z - by[2] })) } : {}),
      }
    : { ...solid, centre: subtract(solid.centre, by) }

/** A ground with those holes and heaps alone that the gas may come to. */
const nearDug =
  ({ low, high }: GasSettings['bounds']) =>
  (solid: Solid): Solid => {
    if (solid.kind !== 'halfspace' || !solid.dug) return solid
    const { dug, ...level } = solid
    const near = dug.filter((one) => {
      const [{ x, z }, reach] = [one, dugReach(one)]
      return x + reach > low[0] && x - reach < high[0] && z + reach > low[2] && z - reach < high[2]
    })
    return near.length > 0 ? { ...level, dug: near } : level
  }

/** How far a gas that is held still has gone at a frame since the first: where what is kept is shown. */
export function carriedBy(document: ItemDocument, item: GasItem, frame: number): Vec3 {
  if (!item.held || !item.motion) return [0, 0, 0]
  return subtract(itemAt(document, item, frame).position, itemAt(document, item, document.plate.first).position)
}

/** Lists that are equal are the same one, so that a recipe holds each once. */
function settle(sceneInputs: SceneInputs[]): SceneInputs[] {
  const texts: Record<string, string> = {}
  let last: SceneInputs | undefined
  const settled = sceneInputs.map((moment) => {
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

/** The gas's items: what feeds it and what pushes it. */
function partsOf(document: ItemDocument, id: string, item: GasItem): { feeding: Feeding[]; forces: ForceItem[] } {
  const items = itemsInOrder(document)
  return {
    feeding: [item, ...items.flatMap(([, one]) => (isSource(one) && one.feeds === id && one.shown ? [one] : []))],
    forces: items.flatMap(([, one]) => (isForce(one) && one.shown && (one.on === '' || one.on === id) ? [one] : [])),
  }
}

/** Whether anything that a gas is told changes from frame to frame. */
const changes = (document: ItemDocument, item: GasItem, feeding: readonly Feeding[], forces: readonly ForceItem[]) =>
  feeding.some((one) => one.motion || one.follows || one.shape === 'points') ||
  item.gust > 0 ||
  forces.some((one) => one.motion || one.follows) ||
  Object.values(document.items).some(
    (one: Item) =>
      ((isPiece(one) || (isThing(one) && one.stops)) && (one.motion || one.follows || ('rides' in one && one.rides))) ||
      (isCrater(one) && one.opens !== 0),
  )

/** The speed at which the box of a gas that is held still goes at a frame, m/s. */
function paceOf(document: ItemDocument, item: GasItem, frame: number): Vec3 {
  if (!item.held || !item.motion) return [0, 0, 0]
  const step = 0.5
  const way = subtract(itemAt(document, item, frame + step).position, itemAt(document, item, frame - step).position)
  return scale(way, frameRate(document.plate) / (2 * step))
}

type Standing = (frame: number) => { id: string; solid: Solid }[]

/** What a gas is told at a frame: its sources, forces, wind and walls. */
function sceneInputsAt(
  document: ItemDocument,
  item: GasItem,
  { feeding, forces }: { feeding: readonly Feeding[]; forces: readonly ForceItem[] },
  frame: number,
  standing: Standing,
  context: EffectContext,
): SceneInputs {
  const { inputs = {} } = context
  const by = carriedBy(document, item, frame)
  const now = itemAt(document, item, frame, inputs)
  const seconds = (frame - document.plate.first) / frameRate(document.plate)
  return {
    sources: feeding.map((one) => {
      const moment = sourceInputs(itemAt(document, one, frame, inputs), frame, context)
      return { ...moment, centre: subtract(moment.centre, by) }
    }),
    forces: forces.map((one) => {
      const moment = forceInputs(itemAt(document, one, frame, inputs))
      return { ...moment, centre: subtract(moment.centre, by) }
    }),
    wind: subtract(windAt(now, seconds), paceOf(document, item, frame)),
    solids: standing(frame).map(({ solid }) => moved(solid, by)),
  }
}

/** An item's settings in SI, with the set pieces that stop gas and what works on it, frame by frame. Throws LanternError naming what of the source is missing. */
export function gasSettings(
  document: ItemDocument,
  id: string,
  quality: GasQuality,
  context: EffectContext = {},
): GasSettings {
  const item = gasItem(document, id)
  const cell = cellOf(item, quality)
  const parts = partsOf(document, id, item)
  const { feeding, forces } = parts
  const standing: Standing = (frame) => stoppingAt(document, frame, context.inputs)
  const { first, last } = runOf(document, item)
  const count = changes(document, item, feeding, forces) ? last - first + 1 : 1
  const all = Array.from({ length: count }, (_, n) =>
    sceneInputsAt(document, item, parts, first + n, standing, context),
  )
  const solids = standing(document.plate.first)
  const ground = groundOf(solids)
  const sources = feeding.map((one) => sourceOf(one, solids, document, context))
  const bounds = boundsOf(item, reachOf(item, sources, all), ground, cell)
  const sceneInputs = settle(all.map((moment) => ({ ...moment, solids: moment.solids.map(nearDug(bounds)) })))
  return {
    cell,
    sources,
    forces: forces.map(forceOf),
    sceneInputs,
    preRoll: item.runUp,
    ambient: item.airTemperature + KELVIN,
    shear: { exponent: item.shear, at: item.windAt, ground: Number.isFinite(ground) ? ground : 0 },
    sootYield: item.soot / 100,
    burnTime: item.burnTime,
    radiant: item.radiant / 100,
    black: item.matter === 'soot',
    fade: item.fade,
    settle: settlingSpeed(item),
    confinement: item.confinement,
    courant: COURANT,
    bounds,
    cut: sceneInputs.some(({ solids: all }) => wallsCut(all, cell)),
    mostCells: MOST_CELLS,
    seed: item.seed,
  }
}

const withItem = (document: ItemDocument, id: string, item: GasItem): ItemDocument => ({
  ...document,
  items: { ...document.items, [id]: item },
})

/** The run that tells ahead how much work a gas will be (estimateWork): the same with cells of so many times the size, at less than a hundredth of the cost of a large one. */
const ROUGH = 4
export function roughSettings(document: ItemDocument, id: string, world: EffectContext = {}): GasSettings {
  const item = gasItem(document, id)
  return gasSettings(withItem(document, id, { ...item, cell: ROUGH * item.cell }), id, 'full', world)
}
