import { LanternError } from '../base/index.ts'
import { decodeSrgb, encodeSrgb } from './display.ts'
import type { CurvePoints, StackCurves } from './stackTypes.ts'

/** Steps of a curve's table, and its length: values at the squares of n / steps, then the slope beyond 1. */
const STEPS = 1024
export const CURVE_LENGTH = STEPS + 2

const isStraight = (points: CurvePoints): boolean => points.every(([x, y]) => x === y)

/**
 * What a curve makes of a display value, 0 to 1. Smooth, never beyond its points (monotone cubic, Fritsch and Carlson 1980).
 * Throws LanternError 'curve' where points fold back: one at or before the one before it.
 */
export function curveValue(points: CurvePoints, value: number): number {
  for (const [n, [x]] of points.entries())
    if (n > 0 && !(x > (points[n - 1]?.[0] ?? 0)))
      throw new LanternError(
        'curve',
        `A curve folds back at ${x}.`,
        'Give its points from dark to bright, one at a brightness.',
        { field: 'curves' },
      )
  return monotone(points, value)
}

/** Slopes at a curve's points that keep each stretch between its ends. */
function slopesOf(points: CurvePoints): number[] {
  const steps = points.slice(1).map(([x, y], n) => {
    const [x0, y0] = points[n] as readonly [number, number]
    return (y - y0) / (x - x0)
  })
  return points.map((_, n) => {
    const [before, after] = [steps[n - 1] ?? steps[n] ?? 0, steps[n] ?? steps[n - 1] ?? 0]
    if (before * after <= 0) return 0
    // Three times the lesser one is the most that overshoots nothing.
    const most = 3 * Math.min(Math.abs(before), Math.abs(after))
    return Math.sign(before) * Math.min(most, Math.abs(before + after) / 2)
  })
}

function monotone(points: CurvePoints, value: number): number {
  const after = points.findIndex(([x]) => x > value)
  const [end, start] = [points.at(-1), points[0]]
  if (after < 0) return end?.[1] ?? value
  if (after === 0) return start?.[1] ?? value
  const [[x0, y0], [x1, y1]] = [points[after - 1], points[after]] as [
    readonly [number, number],
    readonly [number, number],
  ]
  const slopes = slopesOf(points)
  const width = x1 - x0
  const t = (value - x0) / width
  const [a, b] = [(slopes[after - 1] ?? 0) * width, (slopes[after] ?? 0) * width]
  const [t2, t3] = [t * t, t * t * t]
  return y0 * (2 * t3 - 3 * t2 + 1) + a * (t3 - 2 * t2 + t) + y1 * (3 * t2 - 2 * t3) + b * (t3 - t2)
}

/** The table of one channel in linear light: its own curve, then the one for all. Undefined where both are straight. */
function tableOf(all: CurvePoints, own: CurvePoints): Float32Array {
  const table = new Float32Array(CURVE_LENGTH)
  const at = (linear: number): number => decodeSrgb(curveValue(all, curveValue(own, encodeSrgb(linear))))
  for (let n = 0; n <= STEPS; n++) table[n] = at((n / STEPS) ** 2)
  // Beyond white it goes on as steeply as it came.
  table[STEPS + 1] = Math.max(0, (at(1) - at(0.98)) / 0.02)
  return table
}

const kept = new WeakMap<StackCurves, Float32Array | null>()

/** Tables of red, green and blue for the kernels; undefined where nothing is bent. */
export function curveTables(curves: StackCurves | undefined): Float32Array | undefined {
  if (!curves) return undefined
  const known = kept.get(curves)
  if (known !== undefined) return known ?? undefined
  const { all, red, green, blue } = curves
  const none = [all, red, green, blue].every(isStraight)
  const tables = new Float32Array(none ? 0 : 3 * CURVE_LENGTH)
  if (!none) for (const [c, own] of [red, green, blue].entries()) tables.set(tableOf(all, own), c * CURVE_LENGTH)
  kept.set(curves, none ? null : tables)
  return none ? undefined : tables
}
