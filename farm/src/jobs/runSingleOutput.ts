import { Cancelled, type Progress } from '@lantern/core/base'
import type { ShotDocument } from '@lantern/core/shot'
import {
  dropLease,
  getAsset,
  insertFrame,
  putBlob,
  resultState,
  type Store,
  setResultState,
  startResult,
  takeLease,
  tellShare,
} from '@lantern/store'
import { failureOf, type JobContext } from './context.ts'

const TELL_MS = 700

/** What a result of one file holds. */
export interface Whole {
  bytes: Uint8Array
  mediaType: string
  figures: Readonly<Record<string, unknown>>
}

/** Whether all frames of a shot's plate are read; what reads them waits for that. */
export const plateReady = async (store: Store, { plate }: Pick<ShotDocument, 'plate'>): Promise<boolean> =>
  (await getAsset(store, plate.asset)).state === 'ready'

/** Does one stage under its lease and keeps what it makes; undefined where another machine has it or it was stopped. What is kept already is not made again. */
export async function runSingleOutput(
  context: JobContext,
  key: string,
  make: (progress: Progress) => Promise<Whole>,
): Promise<'done' | 'stopped' | 'busy'> {
  const { store, machine, log } = context
  const before = await resultState(store, key)
  if (before === 'done') return 'done'
  if (before === 'stopped') return 'stopped'
  const fence = await takeLease(store, key, machine)
  if (fence === undefined) return 'busy'
  let stopped = false
  let told = 0
  const progress: Progress = {
    report(share, what) {
      context.progress?.report(share, what)
      if (performance.now() - told < TELL_MS) return
      told = performance.now()
      void (async () => {
        if (!(await tellShare(store, key, fence, share, what)) || (await resultState(store, key)) === 'stopped')
          stopped = true
      })().catch(() => undefined)
    },
    cancelled: () => stopped || context.ending() || (context.progress?.cancelled() ?? false),
  }
  try {
    if (!(await startResult(store, key))) return 'stopped'
    const begun = performance.now()
    const { bytes, mediaType, figures } = await make(progress)
    const seconds = (performance.now() - begun) / 1000
    if (
      !(await insertFrame(
        store,
        { key, frame: 0, blob: await putBlob(store, bytes, mediaType), figures: { ...figures, seconds } },
        fence,
        seconds,
      ))
    )
      return 'busy'
    await setResultState(store, key, 'done')
    return 'done'
  } catch (error) {
    if (error instanceof Cancelled) {
      // Put down by a machine that leaves: another one, or its own next start, takes it up again.
      if (context.progress) await setResultState(store, key, 'stopped')
      return stopped ? 'stopped' : 'busy'
    }
    const failure = failureOf(error, log)
    log.warn({ key: key.slice(0, 12), error: failure.message }, 'work failed')
    await setResultState(store, key, 'failed', failure.toJSON())
    if (context.progress) throw failure
    return 'stopped'
  } finally {
    await dropLease(store, key, fence)
  }
}
