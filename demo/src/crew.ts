import { pathToFileURL } from 'node:url'
import { Worker } from 'node:worker_threads'
import { type Crew, makeCrew, type StartThread } from '@lantern/core/base'
import { compileYardKernels } from '@lantern/kernels/yard'

/** Starts crew threads, where scripts/run-ts.mjs has named their entry; else the crew is one thread. */
function threadStarter(): StartThread | undefined {
  const entry = process.env.LANTERN_THREAD_ENTRY
  if (!entry) return undefined
  return (seat) => {
    const worker = new Worker(pathToFileURL(entry), { workerData: seat })
    worker.unref()
    return () => void worker.terminate()
  }
}

/** A crew that runs the drawing kernels. */
export const yardCrew = (threads: number): Crew => makeCrew(threads, threadStarter(), compileYardKernels())

/** A crew that runs the product's kernels, for the brazier's gas. */
export const gasCrew = (threads: number): Crew => makeCrew(threads, threadStarter())
