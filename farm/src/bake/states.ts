import type { Bake, BakeState } from '@lantern/core/effects'
import { dropBlob, getBlob, getRestart, putBlob, putRestart } from '@lantern/store'
import { deflateParts, inflateParts } from '../io/deflate.ts'
import type { JobContext } from '../jobs/context.ts'

/** Keeps a run's full state, so that it goes on bit for bit. frameKey: the key of all that decided it so far. */
export async function saveState(
  { store }: JobContext,
  key: string,
  fence: number,
  frameKey: string,
  { done, small, parts }: BakeState,
): Promise<void> {
  const blob = await putBlob(store, await deflateParts(parts), 'application/octet-stream')
  for (const free of await putRestart(store, key, fence, { done, chain: frameKey, state: small, blob }))
    await dropBlob(store, free)
}

/** The furthest state that a run may go on from, or undefined to begin afresh. stateKeys: the key of all that decided the run by frames done. */
export async function loadState(
  { store, log }: JobContext,
  key: string,
  bake: Extract<Bake, { way: 'steps' }>,
  stateKeys: ReadonlyMap<number, string>,
): Promise<BakeState | undefined> {
  const kept = await getRestart(store, stateKeys)
  if (!kept) return undefined
  try {
    const { parts, state } = bake.readState(kept.done, kept.state)
    await inflateParts(await getBlob(store, kept.blob), parts)
    return state
  } catch (error) {
    log.warn({ key, error: String(error) }, 'state unreadable; the run begins afresh')
    return undefined
  }
}
