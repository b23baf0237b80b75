// The brazier burnt in a thread of its own, so that it goes on beside other work.
import { isMainThread, parentPort, Worker, workerData } from 'node:worker_threads'
import { type Brazier, burntBrazier, type Making } from './making.ts'

type Wish = Omit<Making, 'say'> & { rate: number }

/** Burns the brazier, or takes it from before, in another thread. `file`: the running program, which calls burnAside. */
export async function burning(making: Making, rate: number, file: string): Promise<Brazier> {
  const { say, ...plain } = making
  const worker = new Worker(file, { workerData: { burn: { ...plain, rate } satisfies Wish } })
  worker.on('message', ([text, done]: [string, number]) => say(text, done))
  await new Promise<void>((resolve, reject) =>
    worker
      .once('error', reject)
      .once('exit', (code) => (code === 0 ? resolve() : reject(new Error(`the brazier's thread ended with ${code}`)))),
  )
  return burntBrazier({ ...making, say: () => undefined }, rate)
}

/** In the thread that burns, does its part and tells true. */
export function burnAside(): boolean {
  const wish = isMainThread ? undefined : (workerData as { burn?: Wish }).burn
  if (!wish) return false
  burntBrazier({ ...wish, say: (text, done) => parentPort?.postMessage([text, done]) }, wish.rate)
  return true
}
