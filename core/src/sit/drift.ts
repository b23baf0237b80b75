import { log } from '../math/index.ts'

const ROUNDS = 30
const LEAST_LIGHT = 0.004
/** Brightness from which a film's highlights bend, so that it tells no exposure. */
const MOST_LIGHT = 0.6

const median = (values: readonly number[]): number => {
  const sorted = [...values].sort((a, b) => a - b)
  const half = sorted.length >> 1
  return sorted.length === 0
    ? Number.NaN
    : sorted.length % 2
      ? (sorted[half] as number)
      : ((sorted[half - 1] as number) + (sorted[half] as number)) / 2
}

/**
 * A plate's own drift of exposure, stops by frame, zero on the whole (median): what the brightness of many areas has in common over time, whatever each of them is and though some of them
 * move, are crossed or flicker. areas: brightness of an area by frame, NaN where it is not seen. Median polish (Tukey 1977) of their logarithms. NaN for frames in which no area is seen.
 */
export function exposureDrift(areas: readonly Float64Array[], frames: number): Float64Array {
  const logs = areas.map((area) =>
    Float64Array.from({ length: frames }, (_, n) => {
      const v = area[n] ?? Number.NaN
      return v > LEAST_LIGHT && v < MOST_LIGHT ? log(v) / Math.LN2 : Number.NaN
    }),
  )
  const drift = new Float64Array(frames)
  const own = new Float64Array(logs.length)
  for (let round = 0; round < ROUNDS; round++) {
    for (const [k, area] of logs.entries())
      own[k] = median(Array.from(area, (v, n) => v - (drift[n] as number)).filter((v) => !Number.isNaN(v)))
    let most = 0
    for (let n = 0; n < frames; n++) {
      const next = median(
        logs.flatMap((area, k) => {
          const v = (area[n] as number) - (own[k] as number)
          return Number.isNaN(v) ? [] : [v]
        }),
      )
      if (!Number.isNaN(next)) most = Math.max(most, Math.abs(next - (drift[n] as number)) || 0)
      drift[n] = next
    }
    if (most < 1e-6) break
  }
  const level = median([...drift].filter((v) => !Number.isNaN(v)))
  return drift.map((v) => v - level)
}
