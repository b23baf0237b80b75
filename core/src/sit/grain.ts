import type { FloatImage } from '../data/index.ts'

/** Noise of a plate in linear light, per channel: variance = floor + slope x value (read noise and photon noise). */
export interface GrainLaw {
  floor: readonly [number, number, number]
  slope: readonly [number, number, number]
  /** Share of a speck that spreads to each of its four neighbours: the grain's size. */
  spread: number
}

const BINS = 24
const TOP = 1
const LEAST_SAMPLES = 60
/** Of the local deviations in one brightness bin the calmest share is taken as free of texture. */
const CALM_SHARE = 0.1
const PATCH = 4
/** Mean of the calmest tenth of sample variances of 16 normal values, over their true variance; from the chi-squared distribution with 15 degrees of freedom. */
const CALM_FACTOR = 0.437

interface Bin {
  values: number[]
  variances: number[]
  lags: number[]
}

/** Variance and mean product of horizontal neighbours in a patch, its plane taken out. */
export function patchFigures(
  image: FloatImage,
  x0: number,
  y0: number,
  c: number,
): { mean: number; variance: number; lag: number } {
  const { width, channels, data } = image
  const at = (x: number, y: number): number => data[((y0 + y) * width + x0 + x) * channels + c] ?? 0
  let [s, sx, sy] = [0, 0, 0]
  const middle = (PATCH - 1) / 2
  for (let y = 0; y < PATCH; y++)
    for (let x = 0; x < PATCH; x++) {
      const v = at(x, y)
      s += v
      sx += v * (x - middle)
      sy += v * (y - middle)
    }
  const n = PATCH * PATCH
  const spread = (n * (PATCH * PATCH - 1)) / 12
  const mean = s / n
  const left = (x: number, y: number): number =>
    at(x, y) - mean - (sx / spread) * (x - middle) - (sy / spread) * (y - middle)
  let [variance, lag] = [0, 0]
  for (let y = 0; y < PATCH; y++)
    for (let x = 0; x < PATCH; x++) {
      const v = left(x, y)
      variance += v * v
      if (x + 1 < PATCH) lag += v * left(x + 1, y)
      if (y + 1 < PATCH) lag += v * left(x, y + 1)
    }
  return { mean, variance: variance / (n - 3), lag: lag / (2 * PATCH * (PATCH - 1)) }
}

/** A patch that varies by less than this share of a code value was flattened by an encoder; it tells nothing of the grain. */
const FLAT_SHARE = 0.35
/** A brightness of which an encoder has flattened more than this is left out. */
const MOST_FLAT = 0.5

/**
 * Measures the grain of one frame of linear light: 4 x 4 patches, a plane taken out of each, the calmest tenth per brightness, a line through the bins.
 * image: 3 channels or more. codeWidth: the width in linear light of one code value of the plate's file at a brightness, so that what an encoder flattened is left out;
 * none for floats. The law is 0 where nothing can be measured.
 */
export function measureGrain(image: FloatImage, codeWidth?: (value: number) => number): GrainLaw {
  const floor: [number, number, number] = [0, 0, 0]
  const slope: [number, number, number] = [0, 0, 0]
  let [lagSum, varianceSum] = [0, 0]
  for (let c = 0; c < 3; c++) {
    const bins: Bin[] = Array.from({ length: BINS }, () => ({ values: [], variances: [], lags: [] }))
    for (let y = 0; y + PATCH <= image.height; y += PATCH)
      for (let x = 0; x + PATCH <= image.width; x += PATCH) {
        const { mean, variance, lag } = patchFigures(image, x, y, c)
        const bin = bins[Math.floor((Math.sqrt(Math.max(0, mean)) / Math.sqrt(TOP)) * BINS)]
        if (!bin) continue
        bin.values.push(mean)
        bin.variances.push(variance)
        bin.lags.push(lag)
      }
    let [w, wx, wy, wxx, wxy] = [0, 0, 0, 0, 0]
    for (const bin of bins) {
      if (bin.values.length < LEAST_SAMPLES) continue
      const alive = bin.variances
        .map((_, n) => n)
        .filter((n) => !codeWidth || (bin.variances[n] ?? 0) > (FLAT_SHARE * codeWidth(bin.values[n] ?? 0)) ** 2)
      if (alive.length < Math.max(LEAST_SAMPLES, bin.values.length * (1 - MOST_FLAT))) continue
      const order = alive.sort((a, b) => (bin.variances[a] ?? 0) - (bin.variances[b] ?? 0))
      const calm = order.slice(0, Math.max(6, Math.floor(order.length * CALM_SHARE)))
      const mean = (list: readonly number[]): number => calm.reduce((sum, n) => sum + (list[n] ?? 0), 0) / calm.length
      const value = mean(bin.values)
      const variance = mean(bin.variances) / CALM_FACTOR
      const weight = calm.length / Math.max(variance * variance, 1e-14)
      w += weight
      wx += weight * value
      wy += weight * variance
      wxx += weight * value * value
      wxy += weight * value * variance
      lagSum += mean(bin.lags)
      varianceSum += mean(bin.variances)
    }
    const determinant = w * wxx - wx * wx
    if (w > 0) {
      const rise = determinant > 1e-9 * w * wxx ? Math.max(0, (w * wxy - wx * wy) / determinant) : 0
      slope[c] = rise
      floor[c] = Math.max(0, (wy - rise * wx) / w)
    }
  }
  // A speck spread by s to four neighbours correlates by 2 s / (1 + 4 s^2) with the next one; taking the plane out lowers it by about 0.1.
  const correlation = Math.min(0.49, Math.max(0, varianceSum > 0 ? lagSum / varianceSum + 0.1 : 0))
  const spread = correlation > 0.02 ? (1 - Math.sqrt(1 - 4 * correlation * correlation)) / (4 * correlation) : 0
  return { floor, slope, spread }
}
