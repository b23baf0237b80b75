import { workerData } from 'node:worker_threads'
import {
  beat,
  clearAbandoned,
  holdAllLeases,
  openStore,
  purgeRemoved,
  reapSilent,
  releaseStranded,
  sweep,
} from '@lantern/store'
import { z } from 'zod'

// The heartbeat of one machine, on a thread that never computes: says that it lives, and clears up after machines that fell silent.
const BEAT_MS = 3000
const BEATS_PER_SWEEP = 20
const { id, host, threads, url, data, keepBytes } = z
  .object({
    id: z.string(),
    host: z.string(),
    threads: z.int(),
    url: z.string(),
    data: z.string(),
    keepBytes: z.number(),
  })
  .parse(workerData)
const store = openStore(url, data)
let beats = 0

async function once(): Promise<void> {
  try {
    await beat(store, { id, host, threads })
    await holdAllLeases(store, id)
    await reapSilent(store)
    if (++beats % BEATS_PER_SWEEP === 0) {
      await releaseStranded(store)
      await purgeRemoved(store)
      await clearAbandoned(store)
      await sweep(store, keepBytes)
    }
  } catch {
    // The database is away; the next beat tries again.
  }
  setTimeout(() => void once(), BEAT_MS)
}
void once()
