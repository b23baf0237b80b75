import type { FinerSettings } from '../gas/index.ts'
import type { GasItem } from '../shot/index.ts'
import { type Recipe, VERSIONS } from './recipe.ts'

export const finerSettings = (item: GasItem): FinerSettings => ({
  factor: Math.round(item.detail),
  amount: item.detailAmount,
  seed: item.seed,
})

/** The recipe of a kept run made finer; key: the run's. */
export const finerRecipe = (item: GasItem, key: string): Recipe => ({
  kind: 'finer',
  version: VERSIONS.finer,
  settings: finerSettings(item),
  inputs: [key],
})
