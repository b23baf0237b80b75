import { Cancelled } from '@lantern/core/base'
import type { Run, WholeBake } from '@lantern/core/effects'
import {
  frameOfChain,
  getBlob,
  insertFrame,
  type JobPayload,
  keptFrames,
  putBlob,
  type Store,
  tellShare,
} from '@lantern/store'
import type { JobContext } from '../jobs/context.ts'
import { giveWayOf } from './giveWay.ts'
import { mustStop, underLease } from './lease.ts'
import { bakeTools, type OpenPlate } from './tools.ts'

/** Seconds between two looks whether to stop, and two tellings. */
const LOOK_EVERY = 0.7

/** Reads kept frames by the key of all that decided them. */
export const keptByChain =
  (store: Store) =>
  async (chain: string): Promise<Uint8Array | undefined> => {
    const blob = await frameOfChain(store, chain)
    return blob === undefined ? undefined : getBlob(store, blob)
  }

/** Makes the frames of a run that are made together. What is kept when it is stopped stays; the rest is begun anew. */
export function runWhole(
  context: JobContext,
  payload: JobPayload<'bake'>,
  run: Run,
  bake: WholeBake,
  shot: OpenPlate,
): Promise<boolean> {
  const { store } = context
  const { key } = payload
  return underLease(context, payload, async (fence) => {
    const have = new Set((await keptFrames(store, [key])).map(({ frame }) => frame))
    const giveWay = giveWayOf(context, () => mustStop(context, key, fence))
    let looked = performance.now()
    let begun = looked
    const say = async (share: number, what: string): Promise<void> => {
      if (giveWay?.due) await giveWay.rest()
      if (performance.now() - looked < 1000 * LOOK_EVERY) return
      looked = performance.now()
      context.progress?.report(share, what)
      await tellShare(store, key, fence, share, `${what}, ${Math.round(100 * share)} %`)
      if (context.progress?.cancelled() || (await mustStop(context, key, fence))) throw new Cancelled()
    }
    try {
      await bake.make(bakeTools(context, shot), {
        have,
        kept: keptByChain(store),
        keep: async (frame, { bytes, mediaType, figures }) => {
          const seconds = (performance.now() - begun) / 1000
          begun = performance.now()
          const blob = await putBlob(store, bytes, mediaType)
          const row = { key, frame, blob, figures: { ...figures, seconds }, chain: run.frameKeys.get(frame) }
          if (!(await insertFrame(store, row, fence, seconds))) throw new Cancelled()
          have.add(frame)
          await say((have.size - 1) / Math.max(1, run.last - run.first + 1), `Frame ${frame}`)
        },
        say,
      })
      return true
    } catch (error) {
      if (error instanceof Cancelled) return false
      throw error
    }
  })
}
