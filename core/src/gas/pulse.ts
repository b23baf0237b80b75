/** A likeness under this is noise. */
const LEAST_LIKENESS = 0.05
/** The first peak that comes so near to the highest is the pulse; later ones are its multiples, lower ones before it a ripple. */
const NEAR_HIGHEST = 0.5
/** A pulse has to be seen so many times. */
const LEAST_PERIODS = 4

/**
 * How often a series pulses, Hz: the lag of the first high peak that its autocorrelation has after it has been negative, between samples by a parabola; a straight trend is taken off first.
 * rate: samples a second. Undefined where nothing comes back that is at least LEAST_LIKENESS like itself.
 */
export function pulseRate(values: readonly number[], rate: number): number | undefined {
  const count = values.length
  const mean = values.reduce((sum, v) => sum + v, 0) / count
  const middle = (count - 1) / 2
  const [up, across] = values.reduce(([a, b], v, n) => [a + (n - middle) * (v - mean), b + (n - middle) * (n - middle)], [0, 0])
  const rest = values.map((v, n) => v - mean - (across > 0 ? up / across : 0) * (n - middle))
  const own = rest.reduce((sum, v) => sum + v * v, 0)
  if (!(own > 1e-12 * mean * mean * count)) return undefined
  const likeness = (lag: number): number => {
    let sum = 0
    for (let n = lag; n < count; n++) sum += (rest[n] ?? 0) * (rest[n - lag] ?? 0)
    return sum / own
  }
  let fell = false
  const peaks: { lag: number; height: number }[] = []
  for (let lag = 1, [before, here] = [1, likeness(1)]; lag < count / LEAST_PERIODS; lag++) {
    const after = likeness(lag + 1)
    if (here < 0) fell = true
    if (fell && here > LEAST_LIKENESS && here >= before && here > after) peaks.push({ lag: lag + (0.5 * (before - after)) / (before - 2 * here + after), height: here })
    ;[before, here] = [here, after]
  }
  const highest = peaks.reduce((top, { height }) => Math.max(top, height), 0)
  const first = peaks.find(({ height }) => height >= NEAR_HIGHEST * highest)
  if (first) return rate / first.lag
  return undefined
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
