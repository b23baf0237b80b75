import { describe, expect, it } from 'vitest'
import { type Camera, pixelRay, pointAlong, projectPoint } from '../data/index.ts'
import { panTiltRoll, type Vec3 } from '../math/index.ts'
import { stickingTo } from './stuck.ts'

const camera = (over: Partial<Camera> = {}): Camera => ({
  position: [0, 1.5, 0],
  rotation: [0, 0, 0, 1],
  focalPx: 640,
  centre: [320, 180],
  k1: -0.06,
  k2: 0.01,
  width: 640,
  height: 360,
  ...over,
})
const there = camera()
const here = camera({ position: [0.4, 1.6, -0.3], rotation: panTiltRoll(0.05, -0.02, 0.03) })
/** A flat track: the corners of a board in the set, which goes with nothing but the camera. */
const board: Vec3[] = [
  [-1, 2, -6],
  [1, 2, -6.6],
  [1, 0.8, -6.6],
  [-1, 0.8, -6],
]
const cornersIn = (seen: Camera): [number, number][] =>
  board.map((at) => {
    const p = projectPoint(seen, at)
    return [p?.x ?? 0, p?.y ?? 0]
  })
const px = (at: Vec3, seen: Camera): [number, number] => {
  const p = projectPoint(seen, at)
  return [p?.x ?? Number.NaN, p?.y ?? Number.NaN]
}
const middle: Vec3 = [0, 1.4, -5]
const sticking = { way: 'perspective' as const, from: cornersIn(there), to: cornersIn(here), plateWidth: 640 }

describe('what is stuck to a flat track', () => {
  it('lies on what was tracked as it was seen, whatever the lens', () => {
    const move = stickingTo(there, here, sticking, middle)
    if (!move) throw new TypeError('it moves')
    // Seen at a place of the board at the one frame, it is there at the other.
    for (const [a, b] of [
      [0.2, 0.3],
      [0.9, 0.1],
      [0.5, 0.8],
    ] as const) {
      const on = [0, 1, 2].map((c) => {
        const [p, q, r, s] = board.map((corner) => corner[c] ?? 0) as [number, number, number, number]
        return (p * (1 - a) + q * a) * (1 - b) + (s * (1 - a) + r * a) * b
      }) as unknown as Vec3
      // Nearer than the board, on the same line of sight.
      const card = pointAlong(pixelRay(there, ...px(on, there)), 3)
      const [x, y] = px(move(card), here)
      const [u, v] = px(on, here)
      expect(Math.hypot(x - u, y - v)).toBeLessThan(0.02)
    }
  })
  it('stays flat, and as far away as what was tracked: on a still board it stays where it is in the set', () => {
    const move = stickingTo(there, here, sticking, middle)
    if (!move) throw new TypeError('it moves')
    const at = (x: number, y: number): Vec3 => move([x, y, -5])
    const [o, a, b, ab] = [at(0, 1), at(1, 1), at(0, 2), at(1, 2)]
    for (let c = 0; c < 3; c++) expect((a[c] ?? 0) + (b[c] ?? 0) - (o[c] ?? 0)).toBeCloseTo(ab[c] ?? 9, 9)
    for (const corner of board)
      move(corner).forEach((value, c) => expect(Math.abs(value - (corner[c] ?? 9))).toBeLessThan(0.01))
  })
  it('goes in place alone, or turned and as large too, where that is wanted', () => {
    const [from, to] = [sticking.from, sticking.from.map(([x, y]): [number, number] => [1.1 * x + 30, 1.1 * y - 4])]
    const seen = camera({ k1: 0, k2: 0 })
    const wide = (way: 'place' | 'turn'): number => {
      const move = stickingTo(seen, seen, { way, from, to, plateWidth: 640 }, middle)
      const [a, b] = [[-0.5, 1.4, -5] as Vec3, [0.5, 1.4, -5] as Vec3].map((at) => px(move?.(at) ?? at, seen))
      return (b?.[0] ?? 0) - (a?.[0] ?? 0)
    }
    expect(wide('place')).toBeCloseTo(128, 6)
    expect(wide('turn')).toBeCloseTo(1.1 * 128, 6)
  })
  it('of a smaller picture is the same, and corners that decide nothing move nothing', () => {
    const half = (c: Camera): Camera => ({ ...c, width: 320, height: 180, focalPx: 320, centre: [160, 90] })
    const [whole, small] = [
      stickingTo(there, here, sticking, middle),
      stickingTo(half(there), half(here), sticking, middle),
    ]
    for (let c = 0; c < 3; c++) expect(small?.(middle)[c]).toBeCloseTo(whole?.(middle)[c] ?? 9, 9)
    const none = sticking.from.map((): [number, number] => [100, 100])
    expect(stickingTo(there, here, { ...sticking, from: none, to: none }, middle)).toBeUndefined()
  })
})
