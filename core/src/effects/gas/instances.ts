import { detailNeeds } from '../../gas/index.ts'
import { AT_HOME } from '../../picture/index.ts'
import type { ItemDocument, SignalInputs } from '../../settings/index.ts'
import { againAt, isReuse, type ReuseItem } from '../again.ts'
import type { EffectInstance, ShownFrame } from '../effect.ts'
import { itemAt, runOf } from './items.ts'
import { extinctionOf } from './matter.ts'
import { type GasItem, isGas } from './schema.ts'
import { carriedBy } from './settings.ts'

/** How a gas looks. extinction: light that a kilogram of its smoke stops, m^2/kg. */
export interface GasLook {
  albedo: number
  forward: number
  extinction: number
  colour: readonly [number, number, number]
  blue: number
  /** Strength of the fine whirls that finals show between the cells, and which they are; 0: none. */
  finer: number
  seed: number
}

const lookOf = (item: GasItem): GasLook => ({
  albedo: item.albedo,
  forward: item.forward,
  extinction: extinctionOf(item),
  colour: item.smokeColour,
  blue: item.blue,
  // A run that was made finer for good has them.
  finer: item.detail > 1 ? 0 : item.fineDetail,
  seed: item.seed,
})

/** With the frames before each that its fine whirls have come through. */
const trailed = (frames: readonly ShownFrame[], first: number, { finer }: GasLook): ShownFrame[] =>
  finer > 0 ? frames.map((one) => ({ ...one, trail: detailNeeds(one.frame, first).slice(0, -1) })) : [...frames]

/** A gas at home: its own frame, where it was computed. */
function ownInstance(
  document: ItemDocument,
  id: string,
  item: GasItem,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<GasLook>[] {
  const { first, last } = runOf(document, item)
  if (frame < first || frame > last) return []
  const look = lookOf(itemAt(document, item, frame, inputs))
  return [
    {
      item: id,
      of: id,
      frames: trailed([{ frame, weight: 1, ahead: 0 }], first, look),
      place: { ...AT_HOME, shift: carriedBy(document, item, frame) },
      look,
    },
  ]
}

/** A kept run shown again: turned, scaled, mirrored, shifted in time, looped. */
function reuseInstance(
  document: ItemDocument,
  id: string,
  item: ReuseItem,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<GasLook>[] {
  const gas = document.items[item.of]
  if (!isGas(gas)) return []
  const { first, last } = runOf(document, gas)
  const run = { first, last, pivot: itemAt(document, gas, document.plate.first, inputs).position }
  // A run that was held still is carried along its own way here too.
  const again = againAt(document, item, run, frame, inputs, (shown) => carriedBy(document, gas, shown))
  if (!again) return []
  const look = lookOf(itemAt(document, gas, frame, inputs))
  return [
    {
      item: id,
      of: item.of,
      frames: trailed(again.frames, first, look),
      place: again.place,
      look,
    },
  ]
}

/** What an item of this effect shows at a frame: a gas its own run, a reuse another gas's. */
export function gasInstances(
  document: ItemDocument,
  id: string,
  frame: number,
  inputs: SignalInputs,
): EffectInstance<GasLook>[] {
  const item = document.items[id]
  if (isGas(item)) return ownInstance(document, id, item, frame, inputs)
  return isReuse(item) ? reuseInstance(document, id, item, frame, inputs) : []
}
