/**
 * Runs work whenever it is asked for, but so that no more than half of the time goes into it: after each run there is a pause as long as that took, with all that it set off at once.
 * ask: runs it now or, in a pause, after it, once for all that asked. now: runs it at once, and what waited with it.
 */
export function paced(work: () => void, clock: () => number = () => performance.now()): { ask(): void; now(): void } {
  let free = 0
  let waits: ReturnType<typeof setTimeout> | undefined
  const now = (): void => {
    clearTimeout(waits)
    waits = undefined
    const begun = clock()
    work()
    // What a change of the state sets off is drawn in a task of its own that was queued before this one.
    queueMicrotask(() => {
      const ended = clock()
      free = ended + (ended - begun)
    })
  }
  return {
    now,
    ask() {
      if (waits !== undefined) return
      const left = free - clock()
      if (left <= 0) now()
      else waits = setTimeout(now, left)
    },
  }
}
