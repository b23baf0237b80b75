import { LanternError } from '@lantern/core/base'
import type { PlateReport, ReadingFrames } from '@lantern/core/data'
import { readReading, readReport } from '@lantern/core/formats'
import {
  getBlob,
  getShot,
  keptFrame,
  matchKeys,
  requestReading,
  requestReport,
  resultState,
  type Store,
} from '@lantern/store'
import type { JobContext } from './jobs/context.ts'
import { readingJob, reportJob } from './jobs/readings.ts'

/** What a plate was measured to be, and its readings by name: the report of the command line. */
export interface MeasureReport {
  shot: string
  plate: PlateReport
  readings: { name: string; reading: ReadingFrames }[]
}

const bytesOf = async (store: Store, key: string): Promise<Uint8Array> => {
  const kept = await keptFrame(store, key, 0)
  if (!kept) throw new LanternError('measure', 'What was measured is not kept.', 'Run it again.')
  return getBlob(store, kept.blob)
}

/** Measures a shot's plate and takes its readings, or takes what is kept. */
export async function measureShot(context: JobContext, name: string): Promise<MeasureReport> {
  const { store } = context
  const own: JobContext = {
    ...context,
    progress: context.progress ?? { report: () => undefined, cancelled: () => false },
  }
  const shot = await getShot(store, name)
  const { tracks } = matchKeys(shot.document)
  const key = await requestReport(store, shot)
  await reportJob(own, { shot: shot.id, key, ...((await resultState(store, tracks)) === 'done' ? { tracks } : {}) })
  const readings: MeasureReport['readings'] = []
  for (const [id, { name: called }] of Object.entries(shot.document.readings)) {
    const taken = await requestReading(store, shot, id)
    await readingJob(own, { shot: shot.id, reading: id, key: taken })
    readings.push({ name: called, reading: readReading(await bytesOf(store, taken)) })
  }
  return { shot: name, plate: readReport(await bytesOf(store, key)), readings }
}
