import { recipeKey } from '@lantern/core/base'
import type { ReadingFrames } from '@lantern/core/data'
import { isGas } from '@lantern/core/effects/gas'
import { readReading } from '@lantern/core/formats'
import { readingRecipe, type SpeedSources } from '@lantern/core/pipeline'
import { getBlob } from '../blobs.ts'
import type { Store } from '../open.ts'
import { keptFrames } from '../queries/results.ts'
import type { ResolvedShot } from './resolve.ts'

/** What of a shot's kept results tells how fast its fires go: figures of the gases' first runs, and what was read of cards' clips. */
export async function speedSources(store: Store, { document, items }: ResolvedShot): Promise<SpeedSources> {
  const figures = new Map<string, ReturnType<SpeedSources['figures']>>()
  for (const { item, runs } of items) {
    const [run] = runs
    if (!run || !isGas(document.items[item])) continue
    const kept = await keptFrames(store, [run.key])
    const series = (name: string): number[] =>
      [...kept]
        .sort((a, b) => a.frame - b.frame)
        .flatMap(({ figures: of }) => (typeof of[name] === 'number' ? [of[name] as number] : []))
    figures.set(item, {
      heatKw: series('heatKw'),
      axialFlameLength: series('axialFlameLength'),
      baseBuoyancy: series('baseBuoyancy'),
    })
  }
  const clips = new Map<string, ReadingFrames>()
  for (const reading of Object.values(document.readings)) {
    const { area } = reading
    if (area.kind !== 'clip') continue
    const [kept] = await keptFrames(store, [recipeKey(readingRecipe(document, reading))])
    if (kept) clips.set(area.card, readReading(await getBlob(store, kept.blob)))
  }
  return { figures: (item) => figures.get(item), clip: (card) => clips.get(card) }
}
