import type { FloatImage } from '@lantern/core/data'
import { plainDeflate } from '@lantern/core/formats'
import { drawStackMattes, neededFrames, stackMatteFrames } from '@lantern/core/pipeline'
import { effectOf } from '@lantern/core/shot'
import { fetched, few } from './fetched.ts'
import type { LaidFrom } from './protocol.ts'

/** Kept frames of runs, decoded, at hand. */
export const keptFrames = few<unknown>(24)

/** The mattes that cut the stack's layers, drawn in a width. */
export async function cuttingMattes(
  { document, frame, cuts }: LaidFrom,
  width: number,
): Promise<Map<string, FloatImage>> {
  if (!cuts) return new Map()
  const kept = new Map<string, unknown>()
  for (const [item, frames] of neededFrames(stackMatteFrames(document, frame)))
    for (const one of frames) {
      const [place, key] = [`${item}/${one}`, cuts.keys[item]]
      if (!key) continue
      const at = `${key}/${one}`
      const there = keptFrames.get(at)
      const bytes = there ? undefined : await fetched(`/api/results/${at}`)
      kept.set(
        place,
        there ?? keptFrames.put(at, effectOf(document.items[item])?.decode(bytes ?? new Uint8Array(), plainDeflate)),
      )
    }
  const dataOf = (item: string, one: number): unknown => kept.get(`${item}/${one}`)
  return drawStackMattes(document, cuts.camera, frame, width, cuts.world, dataOf)
}
