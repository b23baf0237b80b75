import { existsSync } from 'node:fs'
import { fileURLToPath, pathToFileURL } from 'node:url'
import { Worker } from 'node:worker_threads'
import { type Crew, makeCrew } from '@lantern/core/base'

/** The bundled thread entry: beside the bundle that runs, or where farm/build.mjs puts it. */
function threadEntry(): URL {
  for (const place of ['./thread.mjs', '../../dist/thread.mjs']) {
    const url = new URL(place, import.meta.url)
    if (existsSync(fileURLToPath(url))) return url
  }
  const shipped = process.env.LANTERN_THREAD_ENTRY
  if (shipped) return pathToFileURL(shipped)
  throw new Error('farm/dist/thread.mjs is missing: run npm run build:farm')
}

/** A crew of `threads` on worker_threads. The caller is one of them and may block. */
export function nodeCrew(threads: number): Crew {
  return makeCrew(threads, (seat) => {
    const worker = new Worker(threadEntry(), { workerData: seat })
    worker.unref()
    return () => void worker.terminate()
  })
}
