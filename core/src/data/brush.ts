import { subtract, type Vec3 } from '../math/index.ts'

/** A stroke of a brush on a surface: the way of a ball in the surface's own space, m. */
export interface BrushStroke {
  points: readonly Vec3[]
  radius: number
  /** Share of the radius over which it fades inward. */
  soft: number
  erase: boolean
}

/** Distance of a place to a line from a to b. */
function toSegment(p: Vec3, a: Vec3, b: Vec3): number {
  const [along, own] = [subtract(b, a), subtract(p, a)]
  const square = along[0] ** 2 + along[1] ** 2 + along[2] ** 2
  const t =
    square > 0 ? Math.min(1, Math.max(0, (along[0] * own[0] + along[1] * own[1] + along[2] * own[2]) / square)) : 0
  const away = subtract(own, [t * along[0], t * along[1], t * along[2]])
  return Math.sqrt(away[0] ** 2 + away[1] ** 2 + away[2] ** 2)
}

/** What a stroke covers of a place, 0 to 1. pixel: m within which its edge fades at least. */
export function strokeCovers({ points, radius, soft }: BrushStroke, at: Vec3, pixel: number): number {
  let away = Infinity
  for (let n = 0; n < Math.max(1, points.length - 1); n++) {
    const a = points[n] as Vec3
    away = Math.min(away, toSegment(at, a, points[n + 1] ?? a))
    if (away === 0) break
  }
  const fade = Math.max(soft * radius, pixel)
  const t = Math.min(1, Math.max(0, (radius + (soft * radius > pixel ? 0 : pixel / 2) - away) / fade))
  return t * t * (3 - 2 * t)
}

/** What strokes cover of a place together, in their order: each adds to what is left, or erases. */
export function strokesCover(strokes: readonly BrushStroke[], at: Vec3, pixel: number): number {
  let covered = 0
  for (const stroke of strokes) {
    const share = strokeCovers(stroke, at, pixel)
    covered = stroke.erase ? covered * (1 - share) : covered + (1 - covered) * share
  }
  return covered
}
