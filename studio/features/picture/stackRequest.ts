import { matteWorld, stackExtras, stackMatteFrames } from '@lantern/core/pipeline'
import { type ShotDocument, stackMattes } from '@lantern/core/shot'
import type { LaidFrom } from '@/workers/protocol.ts'
import { usePlateFiles } from '../plate/plateFiles.ts'
import { cameraNow, type ShotState } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'

/** What a frame's stack has from beside the document, as it is known here now: measured of the plate, seen by the camera, cut by mattes. */
export function stackRequest(
  state: ShotState,
  document: ShotDocument,
  frame: number,
): Pick<LaidFrom, 'extras' | 'cuts'> {
  const camera = cameraNow(state, frame)
  const report = usePlateFiles.getState().reports[state.status?.readings.report.key ?? '']
  const inputs = inputsNow(state)
  const extras = stackExtras(document, frame, camera, report, inputs)
  if (!camera || stackMattes(document).length === 0) return { extras }
  const kept = stackMatteFrames(document, frame).flatMap(({ of }): [string, string][] => {
    const run = state.status?.items[of]
    return run?.kept.includes(frame) ? [[of, run.key]] : []
  })
  const world = matteWorld(document, frame, (n) => cameraNow(state, n), inputs)
  return { extras, cuts: { camera, world, keys: Object.fromEntries(kept) } }
}
