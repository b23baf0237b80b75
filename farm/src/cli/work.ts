import { LanternError } from '@lantern/core/base'
import type { Run } from '@lantern/core/effects'
import type { PictureQualityName } from '@lantern/core/pipeline'
import {
  itemIn,
  keptFrames,
  lastNeeded,
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
/** Keeps items' runs and what they are made from. last: the last frame that is needed, of all or by item; a run that goes from frame to frame is kept from its first one on. */
export async function bake(
  context: JobContext,
  shot: Shot,
  items: readonly string[],
  last?: number | ReadonlyMap<string, number>,
): Promise<void> {
  const baked = new Set<string>()
  const bakeRun = async (run: Run, resolved: ResolvedShot, until: number | undefined): Promise<void> => {
    if (baked.has(run.key)) return
    baked.add(run.key)
    const all = resolved.items.flatMap(({ runs }) => runs)
    for (const input of run.inputs) {
      const made = all.find(({ key }) => key === input.key)
      if (made) await bakeRun(made, resolved, until)
    }
    const payload = { key: run.key, shot: shot.id, item: run.item, output: run.output }
    // For whoever watches in the studio.
    await estimateJob(context, payload)
    const enough =
      until !== undefined && until < run.last
        ? async () => (await keptFrames(store, [run.key])).some(({ frame }) => frame === until)
        : undefined
    await through(run.key, () => bakeJob(context, payload, { until }), enough)
  }
  for (const item of items) {
    const resolved = await resolveShot(store, shot)
    const until = typeof last === 'number' ? last : last?.get(item)
    await requestItem(store, shot, item, resolved, until === undefined ? {} : { until })
    for (const run of itemIn(resolved, item).runs) await bakeRun(run, resolved, until)
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
  const last = lastNeeded(resolved, frames)
  await bake(context, shot, [...last.keys()], last)
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
