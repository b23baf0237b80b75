import type { Crew } from '../../core/src/base/index.ts'

/** What one run of a benchmark gives: its time, and whatever else says how good it was. */
export interface Measured {
  ms: number
  figures: Record<string, number>
}

export interface Bench {
  /** domain/what-size. */
  name: string
  size: string
  /** Processes that are started for each number of threads, taken in turn. */
  runs: number
  threads: readonly number[]
  /** Runs once in a process of its own, warm-up included; `given` is what `prepare` left. */
  run(crew: Crew, given: string): Measured | Promise<Measured>
}

export const median = (values: readonly number[]): number =>
  [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? 0

/** Median time of `repeats` calls after one that warms up. before: what each of them needs made ready, which is not counted. */
export function timed(repeats: number, work: () => void, before: () => void = () => undefined): number {
  const once = (): number => {
    before()
    const begun = performance.now()
    work()
    return performance.now() - begun
  }
  once()
  return median(Array.from({ length: repeats }, once))
}
