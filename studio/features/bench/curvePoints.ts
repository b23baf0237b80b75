import type { GradePoint } from '@lantern/core/shot'

// Points of a curve as they are put, moved and taken away: always from dark to bright.

/** Points come no nearer to one another than this, in display values. */
const APART = 0.01
const MOST = 24
const held = (value: number): number => Math.round(Math.min(1, Math.max(0, value)) * 1000) / 1000

/** A curve with one more point, and which that is; -1 where there is no room for it. */
export function putPoint(points: readonly GradePoint[], [x, y]: GradePoint): { points: GradePoint[]; at: number } {
  const crowded = points.some(([u]) => Math.abs(u - x) < APART)
  if (crowded || points.length >= MOST) return { points: [...points], at: -1 }
  const at = points.findIndex(([u]) => u > x)
  const n = at < 0 ? points.length : at
  return { points: [...points.slice(0, n), [held(x), held(y)], ...points.slice(n)], at: n }
}

/** A curve with a point moved; never past those beside it. */
export function movedPoint(points: readonly GradePoint[], n: number, [x, y]: GradePoint): GradePoint[] {
  const [low, high] = [points[n - 1]?.[0] ?? -APART, points[n + 1]?.[0] ?? 1 + APART]
  const to: GradePoint = [held(Math.min(high - APART, Math.max(low + APART, x))), held(y)]
  return points.map((point, k) => (k === n ? to : point))
}

/** A curve without a point; its last two stay. */
export const withoutPoint = (points: readonly GradePoint[], n: number): GradePoint[] =>
  points.length <= 2 ? [...points] : points.filter((_, k) => k !== n)

const BINS = 64
/** How often display values are, darkest first, against the most frequent; of a channel, or of brightness (-1). bytes: r g b and one more. */
export function histogramOf(bytes: Uint8Array, channel: number): number[] {
  const counts = new Array<number>(BINS).fill(0)
  for (let n = 0; n < bytes.length; n += 16) {
    const [r, g, b] = [bytes[n] ?? 0, bytes[n + 1] ?? 0, bytes[n + 2] ?? 0]
    const value = channel < 0 ? 0.2126 * r + 0.7152 * g + 0.0722 * b : ([r, g, b][channel] ?? 0)
    const bin = Math.min(BINS - 1, Math.floor((value / 256) * BINS))
    counts[bin] = (counts[bin] ?? 0) + 1
  }
  // Roots, so that rare tones are seen beside common ones.
  const most = Math.max(1, ...counts)
  return counts.map((count) => Math.sqrt(count / most))
}
