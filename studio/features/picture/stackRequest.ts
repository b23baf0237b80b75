import { frameBeside, matteWorld, motionNeeds, stackExtras, stackMatteFrames } from '@lantern/core/pipeline'
import { type ShotDocument, stackMattes } from '@lantern/core/shot'
import type { LaidFrom } from '@/workers/protocol.ts'
import { usePlateFiles } from '../plate/plateFiles.ts'
import { cameraNow, type ShotState } from '../shot/shotStore.ts'
import { inputsNow } from '../shot/world.ts'
import { sourceOf } from './passSource.ts'

/** What a frame's stack has from beside the document, as it is known here now: measured of the plate, seen by the camera, cut by mattes. */
export function stackRequest(
  state: ShotState,
  document: ShotDocument,
  frame: number,
): Pick<LaidFrom, 'extras' | 'cuts' | 'motion'> {
  const camera = cameraNow(state, frame)
  const report = usePlateFiles.getState().reports[state.status?.readings.report.key ?? '']
  const inputs = inputsNow(state)
  const extras = stackExtras(document, frame, camera, report, inputs)
  const motion = motionRequest(state, document, frame)
  if (!camera || stackMattes(document).length === 0) return { extras, ...motion }
  const kept = stackMatteFrames(document, frame).flatMap(({ of }): [string, string][] => {
    const run = state.status?.items[of]
    return run?.kept.includes(frame) ? [[of, run.key]] : []
  })
  const world = matteWorld(document, frame, (n) => cameraNow(state, n), inputs)
  return { extras, ...motion, cuts: { camera, world, keys: Object.fromEntries(kept) } }
}

/** What the motions of a frame are found from, where something is drawn out: the picture beside it must be kept as well as this one is. */
function motionRequest(state: ShotState, document: ShotDocument, frame: number): Pick<LaidFrom, 'motion'> {
  const needs = motionNeeds(document)
  const { first, last } = document.plate
  if ((!needs.beside && !needs.plate) || first === last) return {}
  const here = sourceOf(state, frame)
  const at = frameBeside(document.plate, frame)
  const beside = needs.beside ? sourceOf(state, at.frame) : undefined
  const key = beside?.source.kind === 'kept' && beside.from === here.from ? beside.source.key : undefined
  const shutter = here.from === 'final' ? document.camera.shutter / 360 : 0
  return { motion: { shutter, ...at, plate: needs.plate, ...(key ? { key } : {}) } }
}
