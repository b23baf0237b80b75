import { canonicalJson, type Recipe, recipeKey, textKey } from '../../base/index.ts'
import type { DetailSettings, GasSettings, SceneInputs } from '../../gas/index.ts'
import type { ItemDocument } from '../../settings/index.ts'
import type { EffectContext } from '../effect.ts'
import { type GasQuality, gasItem, runOf } from './items.ts'
import type { GasItem } from './schema.ts'
import { gasSettings } from './settings.ts'
import { KELVIN } from './sourceShape.ts'

/** Raised whenever the same recipe gives other bits; held to by the golden hashes in the tests. */
export const GAS_VERSIONS = { gas: 11, taken: 2, finer: 2 } as const

/** What of a moment differs from the one before it: lists that are the same are left out. */
const inputsChange = (moment: SceneInputs, before: SceneInputs | undefined): Partial<SceneInputs> =>
  Object.fromEntries(
    (['sources', 'forces', 'wind', 'solids'] as const).flatMap((key) =>
      before && moment[key] === before[key] ? [] : [[key, moment[key]]],
    ),
  )

/** The settings as a recipe names them. The names are a recipe's own, so that renaming code does not make kept results stale. */
function toRecipe(document: ItemDocument, item: GasItem, settings: GasSettings): Record<string, unknown> {
  const { sceneInputs } = settings
  const [over, under] = document.plate.rate
  return {
    cell: settings.cell,
    sources: settings.sources,
    forces: settings.forces,
    runUp: settings.preRoll,
    ambient: settings.ambient,
    shear: settings.shear,
    sootYield: settings.sootYield,
    burnTime: settings.burnTime,
    radiant: settings.radiant,
    black: settings.black,
    fade: settings.fade,
    settle: settings.settle,
    confinement: settings.confinement,
    courant: settings.courant,
    bounds: settings.bounds,
    cut: settings.cut,
    mostCells: settings.mostCells,
    seed: settings.seed,
    moments: sceneInputs.map((moment, n) => inputsChange(moment, sceneInputs[n - 1])),
    rate: [over, under],
    first: runOf(document, item).first,
  }
}

/** The recipe of a gas that was computed elsewhere. */
function takenRecipe({ taken, airTemperature }: GasItem): Recipe {
  const { blobs = [], ...settings } = taken ?? {}
  return {
    kind: 'gas',
    version: GAS_VERSIONS.taken,
    settings: { taken: settings, ambient: airTemperature + KELVIN },
    inputs: blobs,
  }
}

/** The recipe of an item's gas over its run. settings: what the item is in SI, where it burns here. */
export function recipeOfGas(document: ItemDocument, item: GasItem, settings: GasSettings | undefined): Recipe {
  if (!settings) return takenRecipe(item)
  return { kind: 'gas', version: GAS_VERSIONS.gas, settings: toRecipe(document, item, settings), inputs: [] }
}

/** The recipe of an item's gas at a quality. Throws LanternError naming what of the source is missing. */
export function gasRecipe(
  document: ItemDocument,
  id: string,
  quality: GasQuality,
  context: EffectContext = {},
): Recipe {
  const item = gasItem(document, id)
  return recipeOfGas(document, item, item.taken ? undefined : gasSettings(document, id, quality, context))
}

/** A key per frame of the plate that holds all that decides the gas up to it, with what it takes of other runs (inputs: their frames' keys): runs whose keys agree up to a frame have the same frames up to it. */
export function gasFrameKeys(
  recipe: Recipe,
  first: number,
  last: number,
  inputs: (frame: number) => readonly string[] = () => [],
): Map<number, string> {
  const { moments = [], ...rest } = recipe.settings as { moments?: readonly object[] }
  let key = recipeKey({ ...recipe, settings: rest })
  const keys = new Map<number, string>()
  for (let frame = first; frame <= last; frame++) {
    const change = moments[frame - first] ?? {}
    const taken = inputs(frame)
    const own = Object.keys(change).length > 0 ? canonicalJson(change) : ''
    key = textKey(`${key}:${own}${taken.length > 0 ? `:${taken.join(':')}` : ''}`)
    keys.set(frame, key)
  }
  return keys
}

export const detailSettings = (item: GasItem): DetailSettings => ({
  factor: Math.round(item.detail),
  amount: item.detailAmount,
  seed: item.seed,
})

/** The recipe of a kept run made finer; key: the run's. */
export const detailRecipe = (item: GasItem, key: string): Recipe => ({
  kind: 'finer',
  version: GAS_VERSIONS.finer,
  settings: detailSettings(item),
  inputs: [key],
})
