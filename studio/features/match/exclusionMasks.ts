import { exclusionMaskAt } from '@lantern/core/pipeline'
import type { ExclusionMask } from '@lantern/core/shot'

export type Corner = readonly [number, number]

/** A place in the picture to hundredths of a pixel. */
export const tidy = (v: number): number => Math.round(v * 100) / 100

const tenth = (v: number): number => Math.round(v * 10) / 10

/** A shape's keys with its corners at a frame set: that key is made or replaced, all others stay. */
export function withKey(
  shape: Pick<ExclusionMask, 'keys'>,
  frame: number,
  points: readonly Corner[],
): ExclusionMask['keys'] {
  const key = { frame, points: points.map(([x, y]) => [tenth(x), tenth(y)] as [number, number]) }
  return [...shape.keys.filter((one) => one.frame !== frame), key].sort((a, b) => a.frame - b.frame)
}

/** Its keys without one frame's; the last key stays. */
export const withoutKey = (shape: Pick<ExclusionMask, 'keys'>, frame: number): ExclusionMask['keys'] =>
  shape.keys.length > 1 ? shape.keys.filter((one) => one.frame !== frame) : shape.keys

export const middleOf = (points: readonly Corner[]): Corner => [
  points.reduce((sum, p) => sum + p[0], 0) / points.length,
  points.reduce((sum, p) => sum + p[1], 0) / points.length,
]

/** Corners turned and scaled about their middle so that what was at `from` comes to `to`. */
export function turnedTo(points: readonly Corner[], from: Corner, to: Corner): Corner[] {
  const [mx, my] = middleOf(points)
  const [a, b] = [[from[0] - mx, from[1] - my] as const, [to[0] - mx, to[1] - my] as const]
  const size = a[0] * a[0] + a[1] * a[1]
  if (size < 1) return [...points]
  const [c, s] = [(a[0] * b[0] + a[1] * b[1]) / size, (a[0] * b[1] - a[1] * b[0]) / size]
  return points.map(([x, y]) => [mx + c * (x - mx) - s * (y - my), my + s * (x - mx) + c * (y - my)])
}

export const movedBy = (points: readonly Corner[], dx: number, dy: number): Corner[] =>
  points.map(([x, y]) => [x + dx, y + dy])

/** A closed path through corners. */
export const cornersPath = (points: readonly Corner[]): string =>
  points.length === 0 ? '' : `M${points.map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`).join('L')}Z`

export const keepOutPath = (shape: ExclusionMask, frame: number): string => cornersPath(exclusionMaskAt(shape, frame))
