/** What a curve goes through: rising in `at`. */
export interface CurvePoint {
  at: number
  value: number
}
/** hold: stays until the next; straight; smooth: never beyond its neighbours (Fritsch & Carlson 1980); round: a spline whose slope is the mean of both sides'. */
export type CurveKind = 'hold' | 'straight' | 'smooth' | 'round'

function slopes(points: readonly CurvePoint[], kind: CurveKind): number[] {
  const n = points.length
  const widths = Array.from({ length: n - 1 }, (_, k) => (points[k + 1]?.at ?? 0) - (points[k]?.at ?? 0))
  const steep = widths.map((width, k) => ((points[k + 1]?.value ?? 0) - (points[k]?.value ?? 0)) / width)
  return points.map((_, k) => {
    const before = steep[k - 1]
    const after = steep[k]
    if (before === undefined || after === undefined) return kind === 'smooth' ? 0 : (before ?? after ?? 0)
    const [h0, h1] = [widths[k - 1] ?? 1, widths[k] ?? 1]
    if (kind === 'round') return (before * h1 + after * h0) / (h0 + h1)
    if (before * after <= 0) return 0
    // Weighted harmonic mean: monotone whatever the widths (Fritsch & Butland 1984).
    return (3 * (h0 + h1)) / ((2 * h1 + h0) / before + (h1 + 2 * h0) / after)
  })
}

/** The curve's value at x; before its first and after its last point it stays. NaN without a point. */
export function curveAt(points: readonly CurvePoint[], x: number, kind: CurveKind): number {
  const first = points[0]
  const last = points.at(-1)
  if (!first || !last) return Number.NaN
  if (x <= first.at || points.length === 1) return first.value
  if (x >= last.at) return last.value
  let low = 0
  let high = points.length - 1
  while (high - low > 1) {
    const middle = (low + high) >> 1
    if ((points[middle]?.at ?? 0) <= x) low = middle
    else high = middle
  }
  const a = points[low] ?? first
  const b = points[high] ?? last
  if (kind === 'hold') return a.value
  const width = b.at - a.at
  const t = (x - a.at) / width
  if (kind === 'straight') return a.value + (b.value - a.value) * t
  // Slopes need only the neighbours.
  const from = Math.max(0, low - 1)
  const near = points.slice(from, high + 2)
  const found = slopes(near, kind)
  const [ma, mb] = [(found[low - from] ?? 0) * width, (found[high - from] ?? 0) * width]
  const t2 = t * t
  const t3 = t2 * t
  return (2 * t3 - 3 * t2 + 1) * a.value + (t3 - 2 * t2 + t) * ma + (3 * t2 - 2 * t3) * b.value + (t3 - t2) * mb
}
