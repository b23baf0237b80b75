import { LanternError } from '@lantern/core/base'
import type { Run } from '@lantern/core/effects'
import { instancesAt, type PictureQualityName } from '@lantern/core/pipeline'
import {
  itemIn,
  keptFrames,
  pictureKeysOf,
  type ResolvedShot,
  requestItem,
  requestPicture,
  resolveShot,
  resultRows,
  type Shot,
} from '@lantern/store'
import { bakeJob } from '../bake/bakeJob.ts'
import { estimateJob } from '../bake/estimateJob.ts'
import type { JobContext } from '../jobs/context.ts'
import { pictureJob } from '../jobs/picture.ts'

import { progress, stopping, store, through } from './session.ts'
/** Keeps items' runs and what they are made from. last: the last frame that is needed; a run that goes from frame to frame is kept from its first one on. */
export async function bake(context: JobContext, shot: Shot, items: readonly string[], last?: number): Promise<void> {
  const baked = new Set<string>()
  const bakeRun = async (run: Run, resolved: ResolvedShot): Promise<void> => {
    if (baked.has(run.key)) return
    baked.add(run.key)
    const all = resolved.items.flatMap(({ runs }) => runs)
    for (const input of run.inputs) {
      const made = all.find(({ key }) => key === input.key)
      if (made) await bakeRun(made, resolved)
    }
    const payload = { key: run.key, shot: shot.id, item: run.item, output: run.output }
    // For whoever watches in the studio.
    await estimateJob(context, payload)
    const enough =
      last !== undefined && last < run.last
        ? async () => (await keptFrames(store, [run.key])).some(({ frame }) => frame === last)
        : undefined
    await through(run.key, () => bakeJob(context, payload, { until: last }), enough)
  }
  for (const item of items) {
    const resolved = await resolveShot(store, shot)
    await requestItem(store, shot, item, resolved)
    for (const run of itemIn(resolved, item).runs) await bakeRun(run, resolved)
  }
}

export async function picture(
  context: JobContext,
  shot: Shot,
  quality: PictureQualityName,
  frames: readonly number[],
): Promise<void> {
  const resolved = await resolveShot(store, shot)
  const keys = pictureKeysOf(resolved, quality, frames)
  await requestPicture(store, shot, quality, frames)
  await bake(context, shot, [
    ...new Set(frames.flatMap((frame) => instancesAt(shot.document, frame, resolved.inputs).map(({ of }) => of))),
  ])
  let done = 0
  for (const [frame, key] of keys) {
    await pictureJob(
      { ...context, progress: undefined, ending: () => stopping.now },
      { shot: shot.id, frames: [{ frame, key }], quality },
    )
    const row = (await resultRows(store, [key])).get(key)
    if (row?.state === 'failed')
      throw new LanternError('picture', row.error?.message ?? 'failed', row.error?.remedy ?? '', { frame })
    if (stopping.now) throw new LanternError('stopped', 'Stopped; what was kept stays.', 'Run it again to go on.')
    progress.report(++done / keys.size, `frame ${frame}`)
  }
}
