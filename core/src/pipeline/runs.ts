import { LanternError } from '../base/index.ts'
import type { EffectContext, ResolvedItem, Run } from '../effects/index.ts'
import { circleError, effectOf, type ShotDocument } from '../shot/index.ts'
import { bakedItems } from './instances.ts'

/**
 * The runs of every item that the shot shows, and of those that these take frames of: what is to be computed, under which keys, from what.
 * An item that lacks something has no runs and says what is missing. context: what is known beside the document.
 */
export function resolveRuns(document: ShotDocument, context: Omit<EffectContext, 'result'>): ResolvedItem[] {
  const resolved = new Map<string, ResolvedItem>()
  const open: string[] = []

  const resolve = (id: string): ResolvedItem => {
    const known = resolved.get(id)
    if (known) return known
    const item = document.items[id]
    const [name, kind] = [item?.name ?? id, item?.kind ?? '']
    open.push(id)
    let made: ResolvedItem
    try {
      made = { item: id, name, kind, runs: effectOf(item)?.resolve(document, id, { ...context, result }) ?? [] }
    } catch (error) {
      if (!(error instanceof LanternError)) throw error
      made = { item: id, name, kind, runs: [], error }
    }
    open.pop()
    resolved.set(id, made)
    return made
  }

  const result = (id: string): Run | undefined => {
    if (open.includes(id)) throw circleError(open.slice(open.indexOf(id)).map((one) => nameOf(document, one)))
    return resolve(id).runs.at(-1)
  }

  for (const [id] of bakedItems(document)) resolve(id)
  return [...resolved.values()]
}

const nameOf = (document: Pick<ShotDocument, 'items'>, id: string): string => document.items[id]?.name ?? id
