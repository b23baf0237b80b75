import { cos, exp, log } from '../math/index.ts'

/** A pulse has to be seen so many times. */
const LEAST_PERIODS = 4
/** Half breadth of the triangle that the spectrum is smoothed with, in the logarithm of the frequency: a fire of some ten pulses has no sharper one (its middle moves least from one half of a run to the other). */
const BAND = 0.4
const LOG_STEP = 0.02

/** Energy of a series by whole periods in its length, 0 to half of its samples, under a raised cosine so that its ends don't spill (Goertzel 1958). */
function energies(values: readonly number[]): Float64Array {
  const count = values.length
  const tapered = values.map((v, n) => v * (0.5 - 0.5 * cos((2 * Math.PI * (n + 0.5)) / count)))
  return Float64Array.from({ length: (count >> 1) + 1 }, (_, periods) => {
    const turn = 2 * cos((2 * Math.PI * periods) / count)
    let [last, before] = [0, 0]
    for (const value of tapered) [last, before] = [value + turn * last - before, last]
    return last * last + before * before - turn * last * before
  })
}

/**
 * How often a series pulses, Hz: where its energy an octave (the spectrum times the frequency) is highest, as the middle of all that has half as much round there; a straight trend is taken off first.
 * A fire's pulse comes too soon and too late by a third: what is like itself after one period is by chance like itself after two, and no one line of the spectrum is the highest for long.
 * rate: samples a second. Undefined where nothing pulses, or the highest is slower than LEAST_PERIODS in all or as fast as can be told.
 */
export function pulseRate(values: readonly number[], rate: number): number | undefined {
  const count = values.length
  const mean = values.reduce((sum, v) => sum + v, 0) / count
  const middle = (count - 1) / 2
  const [up, across] = values.reduce(
    ([a, b], v, n) => [a + (n - middle) * (v - mean), b + (n - middle) * (n - middle)],
    [0, 0],
  )
  const rest = values.map((v, n) => v - mean - (across > 0 ? up / across : 0) * (n - middle))
  if (!(rest.reduce((sum, v) => sum + v * v, 0) > 1e-12 * mean * mean * count)) return undefined
  const energy = energies(rest)
  const from = log(LEAST_PERIODS)
  const steps = Math.floor((log(count / 2) - BAND / 2 - from) / LOG_STEP)
  if (steps < 2) return undefined
  const octave = Array.from({ length: steps + 1 }, (_, n) => {
    const at = from + n * LOG_STEP
    let [sum, weights] = [0, 0]
    for (
      let periods = Math.max(1, Math.ceil(exp(at - BAND)));
      periods <= Math.min(count >> 1, exp(at + BAND));
      periods++
    ) {
      const weight = 1 - Math.abs(log(periods) - at) / BAND
      sum += weight * (energy[periods] ?? 0)
      weights += weight
    }
    return weights > 0 ? (sum / weights) * exp(at) : 0
  })
  const top = octave.reduce((best, value, n) => (value > (octave[best] ?? 0) ? n : best), 0)
  if (top === 0 || top === steps) return undefined
  const enough = (n: number): boolean => (octave[n] ?? 0) > 0.5 * (octave[top] ?? 0)
  let [low, high] = [top, top]
  while (enough(low - 1)) low--
  while (enough(high + 1)) high++
  let [sum, weights] = [0, 0]
  for (let n = low; n <= high; n++) {
    sum += (octave[n] ?? 0) * n
    weights += octave[n] ?? 0
  }
  return (exp(from + (sum / weights) * LOG_STEP) * rate) / count
}

/** Seconds round a frame that its pulse rate is read from. */
const PULSE_SECONDS = 6

/** The pulse rate at a frame, from values of the frames round it; undefined where too few are there. */
export function pulseAt(values: ReadonlyMap<number, number>, frame: number, rate: number): number | undefined {
  const half = Math.round((PULSE_SECONDS * rate) / 2)
  const near: number[] = []
  for (let n = frame - half; n <= frame + half; n++) {
    const value = values.get(n)
    if (value !== undefined) near.push(value)
  }
  return near.length > half ? pulseRate(near, rate) : undefined
}
