import { cos, curveAt, sin } from '../math/index.ts'
import type { MatteKey, MattePoint, MatteShape } from './schema.ts'

// A drawn shape at a frame, and how it is changed: pure functions over its keys.

export type Place = readonly [number, number]
const plus = (a: Place, b: Place): [number, number] => [a[0] + b[0], a[1] + b[1]]
const minus = (a: Place, b: Place): [number, number] => [a[0] - b[0], a[1] - b[1]]
const mixed = (a: Place, b: Place, t: number): [number, number] => [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t]
const CORNER: Place = [0, 0]

/** A shape's points at a frame, which may lie between frames: by a curve between its keys, held before the first and after the last. */
export function pointsAt({ keys, curve }: Pick<MatteShape, 'keys' | 'curve'>, frame: number): readonly MattePoint[] {
  const [first, last] = [keys[0], keys.at(-1)]
  if (!first || !last) return []
  if (keys.length === 1 || frame <= first.frame) return first.points
  if (frame >= last.frame) return last.points
  const exact = keys.find((key) => key.frame === frame)
  if (exact) return exact.points
  const kind = curve === 'smooth' ? 'round' : 'straight'
  return first.points.map((_, p): MattePoint => {
    const along = (value: (point: MattePoint) => number): number =>
      curveAt(
        keys.map((key) => ({ at: key.frame, value: value(key.points[p] as MattePoint) })),
        frame,
        kind,
      )
    return {
      at: [along(({ at }) => at[0]), along(({ at }) => at[1])],
      before: [along(({ before }) => before[0]), along(({ before }) => before[1])],
      after: [along(({ after }) => after[0]), along(({ after }) => after[1])],
      soft: Math.max(
        0,
        along(({ soft }) => soft),
      ),
    }
  })
}

/** The four places of the cubic from a point to the next. */
const cubicOf = (points: readonly MattePoint[], n: number): [Place, Place, Place, Place] => {
  const [a, b] = [points[n] as MattePoint, points[(n + 1) % points.length] as MattePoint]
  return [a.at, plus(a.at, a.after), plus(b.at, b.before), b.at]
}
const onCubic = ([a, b, c, d]: readonly [Place, Place, Place, Place], t: number): [number, number] => {
  const [ab, bc, cd] = [mixed(a, b, t), mixed(b, c, t), mixed(c, d, t)]
  return mixed(mixed(ab, bc, t), mixed(bc, cd, t), t)
}

/** How far a chord may lie from its curve, px. */
const FLAT = 0.003
const MOST_CHORDS = 200

/** A closed curve as a ring of corners, px, with how soft each is outward. Chords lie within 0.003 px of it (error of a cubic's chords, Filip et al. 1986). */
export function ringOf(points: readonly MattePoint[]): { at: Place; soft: number }[] {
  if (points.length < 2) return []
  return points.flatMap((point, n) => {
    const cubic = cubicOf(points, n)
    const next = points[(n + 1) % points.length] as MattePoint
    const bend = (a: Place, b: Place, c: Place): number =>
      Math.max(Math.abs(a[0] - 2 * b[0] + c[0]), Math.abs(a[1] - 2 * b[1] + c[1]))
    const second = 6 * Math.max(bend(cubic[0], cubic[1], cubic[2]), bend(cubic[1], cubic[2], cubic[3]))
    const chords = Math.min(MOST_CHORDS, Math.max(1, Math.ceil(Math.sqrt(second / (8 * FLAT)))))
    return Array.from({ length: chords }, (_, k) => {
      const t = k / chords
      return { at: k === 0 ? point.at : onCubic(cubic, t), soft: point.soft + (next.soft - point.soft) * t }
    })
  })
}

/** Twice the signed area of a ring: above 0 where it goes round clockwise as seen (y down). */
const turning = (ring: readonly { at: Place }[]): number =>
  ring.reduce((sum, { at: a }, n) => {
    const b = ring[(n + 1) % ring.length]?.at ?? a
    return sum + a[0] * b[1] - a[1] * b[0]
  }, 0)

/** A ring with each corner moved outward by a share of how soft it is there. */
export function softRing(ring: readonly { at: Place; soft: number }[], share: number, more = 0): Place[] {
  const way = turning(ring) > 0 ? 1 : -1
  return ring.map(({ at, soft }, n) => {
    const out = share * soft + more
    if (out === 0) return at
    // Neighbours that lie on it say nothing of its direction.
    const look = (step: number): Place => {
      for (let k = 1; k < ring.length; k++) {
        const other = ring[(n + step * k + k * ring.length) % ring.length]?.at ?? at
        if (Math.abs(other[0] - at[0]) + Math.abs(other[1] - at[1]) > 1e-6) return other
      }
      return at
    }
    const [before, after] = [minus(at, look(-1)), minus(look(1), at)]
    const [la, lb] = [Math.sqrt(before[0] ** 2 + before[1] ** 2) || 1, Math.sqrt(after[0] ** 2 + after[1] ** 2) || 1]
    const along = [before[0] / la + after[0] / lb, before[1] / la + after[1] / lb] as const
    const length = Math.sqrt(along[0] ** 2 + along[1] ** 2) || 1
    return [at[0] + (way * out * along[1]) / length, at[1] - (way * out * along[0]) / length]
  })
}

/** A shape with its points at a frame put otherwise: as a key there, or on all of its keys at once. */
export function withPoints(
  shape: MatteShape,
  frame: number,
  change: (points: readonly MattePoint[]) => MattePoint[],
  scope: 'frame' | 'all' = 'frame',
): MatteShape {
  if (scope === 'all') return { ...shape, keys: shape.keys.map((key) => ({ ...key, points: change(key.points) })) }
  const key: MatteKey = { frame, points: change(pointsAt(shape, frame)) }
  const keys = [...shape.keys.filter((one) => one.frame !== frame), key].sort((a, b) => a.frame - b.frame)
  return { ...shape, keys }
}

/** Without the key at a frame; the last one stays. */
export const withoutKey = (shape: MatteShape, frame: number): MatteShape =>
  shape.keys.length < 2 ? shape : { ...shape, keys: shape.keys.filter((key) => key.frame !== frame) }

/** A point more on the side that begins at point n, the share t along it; the curve stays as it was (de Casteljau). On every key. */
export function insertPoint(shape: MatteShape, n: number, t: number): MatteShape {
  const cut = (points: readonly MattePoint[]): MattePoint[] => {
    const [a, b] = [points[n], points[(n + 1) % points.length]]
    if (!a || !b) return [...points]
    const [p0, p1, p2, p3] = cubicOf(points, n)
    const [ab, bc, cd] = [mixed(p0, p1, t), mixed(p1, p2, t), mixed(p2, p3, t)]
    const [left, right] = [mixed(ab, bc, t), mixed(bc, cd, t)]
    const at = mixed(left, right, t)
    const made: MattePoint = {
      at,
      before: minus(left, at),
      after: minus(right, at),
      soft: a.soft + (b.soft - a.soft) * t,
    }
    const all = points.map((point, k): MattePoint => {
      if (k === n) return { ...point, after: minus(ab, p0) }
      return k === (n + 1) % points.length ? { ...point, before: minus(cd, p3) } : point
    })
    return [...all.slice(0, n + 1), made, ...all.slice(n + 1)]
  }
  return { ...shape, keys: shape.keys.map((key) => ({ ...key, points: cut(key.points) })) }
}

/** Without point n on every key; a shape keeps two at least. */
export const removePoint = (shape: MatteShape, n: number): MatteShape =>
  (shape.keys[0]?.points.length ?? 0) <= 2
    ? shape
    : { ...shape, keys: shape.keys.map((key) => ({ ...key, points: key.points.filter((_, k) => k !== n) })) }

/** A point with handles along its neighbours, a third of the way to each. */
export function smoothPoint(points: readonly MattePoint[], n: number): MattePoint[] {
  const count = points.length
  const [a, p, b] = [points[(n + count - 1) % count], points[n], points[(n + 1) % count]]
  if (!a || !p || !b) return [...points]
  const along = minus(b.at, a.at)
  const length = Math.sqrt(along[0] ** 2 + along[1] ** 2) || 1
  const reach = (other: Place): number =>
    Math.sqrt((other[0] - p.at[0]) ** 2 + (other[1] - p.at[1]) ** 2) / (3 * length)
  const [back, forth] = [reach(a.at), reach(b.at)]
  return points.with(n, {
    ...p,
    before: [-along[0] * back, -along[1] * back],
    after: [along[0] * forth, along[1] * forth],
  })
}
export const sharpPoint = (points: readonly MattePoint[], n: number): MattePoint[] =>
  points.map((point, k): MattePoint => (k === n ? { ...point, before: [...CORNER], after: [...CORNER] } : point))

/** Points turned and scaled about a place, then moved. turn: radians, clockwise as seen. */
export function transformed(
  points: readonly MattePoint[],
  { about, move = CORNER, turn = 0, scale = 1 }: { about: Place; move?: Place; turn?: number; scale?: number },
): MattePoint[] {
  const [c, s] = [scale * cos(turn), scale * sin(turn)]
  const round = ([x, y]: Place): [number, number] => [c * x - s * y, s * x + c * y]
  return points.map(({ at, before, after, soft }) => ({
    at: plus(plus(round(minus(at, about)), about), move),
    before: round(before),
    after: round(after),
    soft: soft * scale,
  }))
}

/** The middle of a shape's bounds. */
export function middleOfPoints(points: readonly MattePoint[]): [number, number] {
  const [xs, ys] = [points.map(({ at }) => at[0]), points.map(({ at }) => at[1])]
  return [(Math.min(...xs) + Math.max(...xs)) / 2, (Math.min(...ys) + Math.max(...ys)) / 2]
}

/** What of a shape lies under a place, within a reach of px: a point, one of its handles, its soft edge, a side with where along it, or its inside. Points come first. */
export type ShapeHit =
  | { what: 'point' | 'before' | 'after' | 'soft'; point: number }
  | { what: 'side'; point: number; t: number }
  | { what: 'inside' }
export function hitShape(
  points: readonly MattePoint[],
  place: Place,
  reach: number,
  chosen?: number,
): ShapeHit | undefined {
  const near = (a: Place): boolean => (a[0] - place[0]) ** 2 + (a[1] - place[1]) ** 2 <= reach * reach
  const own = chosen === undefined ? undefined : points[chosen]
  if (own && chosen !== undefined) {
    if (near(softHandle(points, chosen))) return { what: 'soft', point: chosen }
    for (const what of ['before', 'after'] as const)
      if (own[what].some((part) => part !== 0) && near(plus(own.at, own[what]))) return { what, point: chosen }
  }
  const point = points.findIndex(({ at }) => near(at))
  if (point >= 0) return { what: 'point', point }
  let best: { point: number; t: number; away: number } | undefined
  points.forEach((_, n) => {
    const cubic = cubicOf(points, n)
    for (let k = 1; k < 32; k++) {
      const p = onCubic(cubic, k / 32)
      const away = (p[0] - place[0]) ** 2 + (p[1] - place[1]) ** 2
      if (away <= reach * reach && away < (best?.away ?? Infinity)) best = { point: n, t: k / 32, away }
    }
  })
  if (best) return { what: 'side', point: best.point, t: best.t }
  return insideRing(ringOf(points), place) ? { what: 'inside' } : undefined
}

/** Whether a ring goes round a place (not zero times). */
export function insideRing(ring: readonly { at: Place }[], [x, y]: Place): boolean {
  let turns = 0
  ring.forEach(({ at: a }, n) => {
    const b = ring[(n + 1) % ring.length]?.at ?? a
    const side = (b[0] - a[0]) * (y - a[1]) - (x - a[0]) * (b[1] - a[1])
    if (a[1] <= y ? b[1] > y && side > 0 : b[1] <= y && side < 0) turns += a[1] <= y ? 1 : -1
  })
  return turns !== 0
}

/** How far the grip of a point's soft edge stands off where it has none, px: so that it can be taken. */
export const SOFT_GRIP = 14
/** Where a point's soft edge is taken: outward by how soft it is. */
export function softHandle(points: readonly MattePoint[], n: number): Place {
  const ring = points.map(({ at, soft }) => ({ at, soft }))
  return softRing(ring, 1, SOFT_GRIP)[n] ?? [0, 0]
}
