import { type Recipe, recipeKey, textKey } from '../../base/index.ts'
import { detailNeeds } from '../../gas/index.ts'
import { frameRate, type ItemDocument } from '../../settings/index.ts'
import type { EffectContext, InputFrames, Run } from '../effect.ts'
import { detailBake, gasBake, takenBake } from './bake.ts'
import { type BreakSource, breaksOf } from './breaks.ts'
import { gasItem, runOf } from './items.ts'
import { detailRecipe, detailSettings, gasFrameKeys, recipeOfGas } from './recipe.ts'
import type { GasItem } from './schema.ts'
import { gasSettings, roughSettings } from './settings.ts'
import { checkRoom, roughWork } from './size.ts'

const NOTHING = { inputs: [], needs: () => [], checkMemory: () => undefined, preRoll: 0 } as const

/** A frame needs what a break gave off in it, and in the one before, from which it goes on. */
const neededOf = (breaks: readonly BreakSource[], frame: number): InputFrames[] =>
  breaks.flatMap(({ input: { first, last } }, input) => {
    const frames = [frame - 1, frame].filter((one) => one >= first && one <= last)
    return frames.length > 0 ? [{ input, frames }] : []
  })

/** A run that burns here, or one whose frames were computed elsewhere. */
function mainRun(document: ItemDocument, id: string, item: GasItem, context: EffectContext): Run {
  const settings = item.taken ? undefined : gasSettings(document, id, 'full', context)
  const breaks = settings ? breaksOf(document, id, item, context) : []
  const plain = recipeOfGas(document, item, settings)
  const recipe: Recipe = breaks.length > 0 ? { ...plain, inputs: breaks.map(({ input }) => input.key) } : plain
  const { first, last } = runOf(document, item)
  const common = {
    ...NOTHING,
    item: id,
    name: item.name,
    output: 'gas',
    recipe,
    key: recipeKey(recipe),
    first,
    last,
    frameKeys: gasFrameKeys(plain, first, last, (frame) => breaks.map(({ input }) => input.frameKeys.get(frame) ?? '')),
  }
  if (!settings) return { ...common, bake: takenBake(item) }
  const rate = frameRate(document.plate)
  return {
    ...common,
    preRoll: item.runUp,
    ...(breaks.length > 0
      ? { inputs: breaks.map(({ input }) => input), needs: (frame: number) => neededOf(breaks, frame) }
      : {}),
    checkMemory: (bytes) => checkRoom(item.name, settings, bytes),
    work: roughWork(item, rate),
    bake: gasBake(
      settings,
      () => roughSettings(document, id, context),
      rate,
      item.runUp + last - first + 1,
      breaks.length > 0 ? { sources: breaks, first } : undefined,
    ),
  }
}

/** The run made finer: each frame from those just before it. */
function detailRun(document: ItemDocument, item: GasItem, main: Run): Run {
  const recipe: Recipe = detailRecipe(item, main.key)
  const settings = detailSettings(item)
  const { key, name, first, last, frameKeys } = main
  const own = `${item.detail}:${item.detailAmount}:${item.seed}`
  return {
    ...NOTHING,
    item: main.item,
    name,
    output: 'finer',
    recipe,
    key: recipeKey(recipe),
    first,
    last,
    inputs: [{ key, name, first, last, frameKeys }],
    needs: (frame) => [{ input: 0, frames: detailNeeds(frame, first) }],
    // The keys of a run chain, so a frame's own holds all before it; how far back it begins is the run's first frame.
    frameKeys: new Map(
      [...frameKeys].map(([frame, chain]) => [
        frame,
        textKey(`${chain}:finer:${recipe.version}:${own}:${frame - first}`),
      ]),
    ),
    bake: detailBake(settings, 1 / frameRate(document.plate)),
  }
}

/** The runs of a gas: as it burns, and made finer where that is wanted. Throws LanternError naming what of its source is missing. */
export function resolveGas(document: ItemDocument, id: string, context: EffectContext): readonly Run[] {
  const item = gasItem(document, id)
  const main = mainRun(document, id, item, context)
  return item.detail > 1 ? [main, detailRun(document, item, main)] : [main]
}
