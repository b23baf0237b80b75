import { LanternError } from '@lantern/core/base'
import type { PlateReport } from '@lantern/core/data'
import { drawStackMattes, matteWorld, stackExtras, stackMatteFrames, stackSettingsAt } from '@lantern/core/pipeline'
import type { GrainLaw, StackSettings } from '@lantern/core/sit'
import type { ResolvedShot } from '@lantern/store'
import type { JobContext } from '../jobs/context.ts'
import { drawnFrames } from '../jobs/picture.ts'

/** A frame's stack with what it has from beside the document, its mattes drawn at the plate's size. Throws LanternError 'matte-waits' naming the frame. */
export async function stackOf(
  context: Pick<JobContext, 'store'>,
  resolved: ResolvedShot,
  grain: GrainLaw,
  frame: number,
  report: PlateReport | undefined,
): Promise<StackSettings> {
  const { document, camera, inputs } = resolved
  const seen = camera(frame)
  const extras = stackExtras(document, frame, seen, report, inputs)
  const data = await drawnFrames(context, resolved, stackMatteFrames(document, frame), 'look')
  if (data === 'waiting')
    throw new LanternError(
      'matte-waits',
      `A matte of frame ${frame} is still being carried.`,
      'Hand off again when it is kept.',
      { frame },
    )
  const world = matteWorld(document, frame, camera, inputs)
  const dataOf = (item: string, one: number): unknown => data.get(`${item}/${one}`)
  const mattes = seen ? drawStackMattes(document, seen, frame, document.plate.width, world, dataOf, inputs) : new Map()
  return stackSettingsAt(document, grain, frame, inputs, { ...extras, mattes })
}
