import { LanternError } from '@lantern/core/base'
import type { BakeTools, InputFrame, Run } from '@lantern/core/effects'
import { getBlob, keptFrame, resultState } from '@lantern/store'
import { Blosc } from 'numcodecs'
import { nodeDeflate } from '../io/deflate.ts'
import { plateReader } from '../io/plateMotion.ts'
import type { JobContext } from '../jobs/context.ts'

/** The shot whose plate a run reads. */
export type OpenPlate = Parameters<typeof plateReader>[2]

/** What this machine bakes with; shot: the run's. */
export function bakeTools({ store, crew }: JobContext, shot?: OpenPlate): BakeTools {
  const blosc = Blosc.fromConfig({ id: 'blosc' })
  return {
    crew,
    plate(size) {
      if (!shot) throw new TypeError('a run that reads the plate names its shot')
      return plateReader(store, crew, shot, size)
    },
    deflate: nodeDeflate,
    blob: (key) => getBlob(store, key),
    unblosc: async (packed) => blosc.decode(packed),
  }
}

/** The kept frames that a frame of a run is made from; 'waiting' while one of them is on its way. Throws LanternError 'no-input' where one is neither. */
export async function inputFrames(
  { store }: JobContext,
  run: Run,
  frame: number,
): Promise<readonly InputFrame[] | 'waiting'> {
  const found: InputFrame[] = []
  for (const { input, frames } of run.needs(frame)) {
    const from = run.inputs[input]
    if (!from) throw new TypeError(`${run.output} has no input ${input}`)
    for (const needed of frames) {
      const kept = await keptFrame(store, from.key, needed)
      if (kept) {
        found.push({ input, frame: needed, figures: kept.figures, bytes: () => getBlob(store, kept.blob) })
        continue
      }
      const state = await resultState(store, from.key)
      if (state === 'running' || state === 'waiting') return 'waiting'
      throw new LanternError(
        'no-input',
        `Frame ${needed} of ${from.name} is not kept, so frame ${frame} of ${run.name} can’t be made from it.`,
        `Keep ${from.name} first.`,
        { frame: needed },
      )
    }
  }
  return found
}
