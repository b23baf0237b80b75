import { canonicalJson, LanternError, recipeKey, textKey } from '@lantern/core/base'
import { breakSettings, isBreaking } from '@lantern/core/effects/breaking'
import { cellOf, gasRecipe, gasSettings, isGas, runOf } from '@lantern/core/effects/gas'
import type { DraftBreakRequest, DraftRequest } from '@/workers/protocol.ts'
import type { ShotState } from '../shot/shotStore.ts'
import { effectContextNow } from '../shot/world.ts'

const MOST_DRAFT_FRAMES = 72

/** A draft as it is asked for: its key tells whether it is there already. */
export interface AskedDraft {
  key: string
  /** The run's first frame. */
  first: number
  request(): DraftRequest | DraftBreakRequest
}

/** What an item lacks is said on its bench. */
function orNone<T>(make: () => T): T | undefined {
  try {
    return make()
  } catch (error) {
    if (error instanceof LanternError) return undefined
    throw error
  }
}

/** The draft form of an item; undefined where it has none. */
export function draftOf(state: ShotState, item: string): AskedDraft | undefined {
  const document = state.shot?.document
  const own = document?.items[item]
  if (!document) return undefined
  const world = effectContextNow(state)
  if (isBreaking(own) && Object.keys(own.strikes).length > 0)
    return orNone(() => {
      const settings = breakSettings(document, own, world.inputs, true)
      const { first, last } = document.plate
      const key = textKey(canonicalJson(settings))
      return {
        key,
        first,
        request: () => ({
          what: 'draft-break',
          key,
          item,
          shot: document.name,
          settings,
          first,
          frames: last - first + 1,
        }),
      }
    })
  if (!isGas(own) || own.taken) return undefined
  const key = orNone(() => recipeKey(gasRecipe(document, item, 'draft', world)))
  if (!key) return undefined
  const { first, last } = runOf(document, own)
  const request = (): DraftRequest => ({
    what: 'draft',
    key,
    item,
    settings: gasSettings(document, item, 'draft', world),
    ...(cellOf(own, 'finer') < 0.9 * cellOf(own, 'draft')
      ? { finer: gasSettings(document, item, 'finer', world) }
      : {}),
    first,
    rate: document.plate.rate[0] / document.plate.rate[1],
    frames: Math.min(MOST_DRAFT_FRAMES, last - first + 1),
  })
  return { key, first, request }
}
