import { describe, expect, it } from 'vitest'
import {
  drawMatte,
  hitShape,
  insertPoint,
  insideRing,
  type MatteItem,
  type MattePoint,
  type MatteShape,
  matteSchema,
  matteShape,
  pointsAt,
  removePoint,
  ringOf,
  sharpPoint,
  smoothPoint,
  softHandle,
  transformed,
  withoutKey,
  withPoints,
} from './index.ts'

const point = (x: number, y: number, over: Partial<MattePoint> = {}): MattePoint => ({
  at: [x, y],
  before: [0, 0],
  after: [0, 0],
  soft: 0,
  ...over,
})
const square = (x: number, y: number, edge: number, soft = 0): MattePoint[] => [
  point(x, y, { soft }),
  point(x + edge, y, { soft }),
  point(x + edge, y + edge, { soft }),
  point(x, y + edge, { soft }),
]
/** A circle by four cubics (within 0.03 % of its radius). */
const circle = (x: number, y: number, r: number): MattePoint[] => {
  const k = 0.5523 * r
  return [
    point(x + r, y, { before: [0, -k], after: [0, k] }),
    point(x, y + r, { before: [k, 0], after: [-k, 0] }),
    point(x - r, y, { before: [0, k], after: [0, -k] }),
    point(x, y - r, { before: [-k, 0], after: [k, 0] }),
  ]
}
const shape = (points: MattePoint[], over: Partial<MatteShape> = {}): MatteShape =>
  matteShape.parse({ name: 'Shape', order: 1, keys: [{ frame: 1, points }], ...over })
const matte = (shapes: Record<string, MatteShape>, over: Partial<MatteItem> = {}): MatteItem =>
  matteSchema.parse({ kind: 'matte', name: 'Worker', order: 1, shapes, ...over })
const VIEW = { width: 48, height: 40, scale: 1, opening: 1, closing: 1 }
const sum = (values: Float32Array): number => values.reduce((total, value) => total + value, 0)

/** Share of 64 x 64 places in a pixel that a ring goes round. */
function sampled(points: readonly MattePoint[], x: number, y: number): number {
  const ring = ringOf(points)
  let inside = 0
  for (let j = 0; j < 64; j++)
    for (let i = 0; i < 64; i++) if (insideRing(ring, [x + (i + 0.5) / 64, y + (j + 0.5) / 64])) inside++
  return inside / 4096
}

describe('a drawn matte', () => {
  it('covers every pixel as finely sampled places say, within 1/256', () => {
    const points = circle(20.3, 18.7, 11.4)
    const { data } = drawMatte(matte({ a: shape(points) }), VIEW)
    let worst = 0
    for (const y of [8, 18, 29])
      for (let x = 6; x < 36; x++) worst = Math.max(worst, Math.abs((data[y * 48 + x] ?? 0) - sampled(points, x, y)))
    expect(worst).toBeLessThan(1 / 256)
    expect(sum(data) / (Math.PI * 11.4 ** 2)).toBeCloseTo(1, 3)
  })
  it('counts only what lies in the picture, whichever way it goes round', () => {
    const points = square(-10, 30, 30)
    for (const one of [points, points.toReversed()])
      expect(sum(drawMatte(matte({ a: shape(one) }), VIEW).data)).toBeCloseTo(20 * 10, 3)
    expect(sum(drawMatte(matte({ a: shape(square(60, 60, 9)) }), VIEW).data)).toBe(0)
  })
  it('is soft outward alone, in an even ramp as far as its points say', () => {
    const { data } = drawMatte(matte({ a: shape(square(15, 12, 16, 8)) }), VIEW)
    const row = Array.from({ length: 9 }, (_, n) => data[20 * 48 + 30 + n] ?? 0)
    expect(row[0]).toBeCloseTo(1, 2)
    row.slice(1).forEach((value, n) => expect(value).toBeCloseTo(1 - (n + 0.5) / 8, 1))
  })
  it('adds, takes away and keeps what two have in common, in their order', () => {
    const [a, b] = [square(4, 4, 10), square(9, 4, 10)]
    const area = (way: MatteShape['way'], inverted = false): number =>
      sum(drawMatte(matte({ a: shape(a), b: shape(b, { way, inverted, order: 2 }) }), VIEW).data)
    expect(area('add')).toBeCloseTo(150, 3)
    expect(area('subtract')).toBeCloseTo(50, 3)
    expect(area('intersect')).toBeCloseTo(50, 3)
    expect(area('subtract', true)).toBeCloseTo(50, 3)
    const all = drawMatte(matte({ a: shape(a) }, { inverted: true }), VIEW)
    expect(sum(all.data)).toBeCloseTo(48 * 40 - 100, 2)
  })
  it('has no seam where two shapes meet', () => {
    const two = { a: shape(square(4.5, 4, 10)), b: shape(square(14.5, 4, 10)) }
    expect(drawMatte(matte(two), VIEW).data[8 * 48 + 14]).toBeCloseTo(1, 6)
  })
  it('grows and shrinks by so many px, and is softened without a change of its sum', () => {
    const area = (over: Partial<MatteItem>): number =>
      sum(drawMatte(matte({ a: shape(square(15, 12, 12)) }, over), VIEW).data)
    expect(area({ grow: 2 })).toBeGreaterThan(220)
    expect(area({ grow: -2 })).toBeLessThan(85)
    expect(area({ soften: 4 })).toBeCloseTo(144, 1)
  })
  it('is blurred by its own keys over the open shutter, within 1/128', () => {
    const keys = [
      { frame: 1, points: square(8, 8, 10) },
      { frame: 2, points: square(28, 8, 10) },
    ]
    const moving = matte({ a: shape([], { keys, curve: 'straight' }) })
    const { data } = drawMatte(moving, { ...VIEW, opening: 1, closing: 1.5 })
    // Over half a frame it goes 10 px: a ramp up over 10 px, and down again.
    for (let x = 8; x < 28; x++) {
      const expected = x < 18 ? (x + 0.5 - 8) / 10 : (28 - x - 0.5) / 10
      expect(Math.abs((data[12 * 48 + x] ?? 0) - expected)).toBeLessThan(1 / 128)
    }
    const sharp = drawMatte({ ...moving, blurs: false }, { ...VIEW, opening: 1, closing: 1.5 }).data
    expect([...sharp].every((value) => value === 0 || value === 1)).toBe(true)
  })
  it('takes curves that cross themselves, two points and none', () => {
    const eight = [point(4, 4), point(30, 30), point(30, 4), point(4, 30)]
    expect(sum(drawMatte(matte({ a: shape(eight) }), VIEW).data)).toBeCloseTo((26 * 26) / 2, 1)
    expect(sum(drawMatte(matte({ a: shape([point(4, 4), point(30, 30)]) }), VIEW).data)).toBeCloseTo(0, 6)
    expect(sum(drawMatte(matte({}), VIEW).data)).toBe(0)
  })
})

describe('a shape', () => {
  const keyed = shape([], {
    keys: [
      { frame: 10, points: square(0, 0, 10) },
      { frame: 20, points: square(20, 0, 10) },
    ],
  })
  it('is on its keys, between them on its curve, and held beyond them', () => {
    expect(pointsAt(keyed, 10)[1]?.at).toEqual([10, 0])
    expect(pointsAt(keyed, 15)[1]?.at[0]).toBeCloseTo(20, 6)
    expect(pointsAt(keyed, 99)).toEqual(pointsAt(keyed, 20))
    expect(pointsAt(keyed, -5)).toEqual(pointsAt(keyed, 10))
  })
  it('takes a key where it is changed, or changes on all of its keys', () => {
    const moved = (points: readonly MattePoint[]) => transformed(points, { about: [0, 0], move: [0, 5] })
    const one = withPoints(keyed, 15, moved)
    expect(one.keys.map(({ frame }) => frame)).toEqual([10, 15, 20])
    expect(pointsAt(one, 15)[0]?.at[1]).toBeCloseTo(5, 6)
    expect(withPoints(keyed, 15, moved, 'all').keys.every(({ points }) => points[0]?.at[1] === 5)).toBe(true)
    expect(withoutKey(one, 15).keys).toHaveLength(2)
    expect(withoutKey(shape(square(0, 0, 2)), 1).keys).toHaveLength(1)
  })
  it('keeps its curve where a point is added, and a point that is taken away goes from every key', () => {
    const round = shape(circle(20, 20, 10))
    const more = insertPoint(round, 1, 0.3)
    expect(more.keys[0]?.points).toHaveLength(5)
    const before = sum(drawMatte(matte({ a: round }), VIEW).data)
    expect(sum(drawMatte(matte({ a: more }), VIEW).data)).toBeCloseTo(before, 2)
    expect(insertPoint(keyed, 0, 0.5).keys.every(({ points }) => points.length === 5)).toBe(true)
    expect(removePoint(more, 2).keys[0]?.points).toHaveLength(4)
    const two = shape([point(0, 0), point(5, 5)])
    expect(removePoint(two, 0)).toBe(two)
  })
  it('has points that are made smooth along their neighbours, and sharp', () => {
    const smooth = smoothPoint(square(0, 0, 9), 1)
    expect(smooth[1]?.after[0]).toBeCloseTo(smooth[1]?.after[1] ?? 9, 6)
    expect(smooth[1]?.before[0]).toBeCloseTo(-(smooth[1]?.after[0] ?? 9), 6)
    expect(sharpPoint(smooth, 1)[1]).toMatchObject({ before: [0, 0], after: [0, 0] })
  })
  it('is turned and scaled about a place, its softness with it', () => {
    const [first] = transformed([point(10, 0, { soft: 2, after: [1, 0] })], {
      about: [0, 0],
      turn: Math.PI / 2,
      scale: 2,
    })
    expect(first?.at[0]).toBeCloseTo(0, 6)
    expect(first?.at[1]).toBeCloseTo(20, 6)
    expect(first?.after[1]).toBeCloseTo(2, 6)
    expect(first?.soft).toBe(4)
  })
  it('is met at its points, handles, soft edges, sides and inside', () => {
    const points = square(10, 10, 20)
    expect(hitShape(points, [10.5, 10], 2)).toEqual({ what: 'point', point: 0 })
    expect(hitShape(points, [20, 10.5], 2)).toMatchObject({ what: 'side', point: 0 })
    expect(hitShape(points, [20, 20], 2)).toEqual({ what: 'inside' })
    expect(hitShape(points, [50, 20], 2)).toBeUndefined()
    expect(hitShape(points, softHandle(points, 2), 2, 2)).toEqual({ what: 'soft', point: 2 })
    const smooth = smoothPoint(points, 1)
    const [x, y] = [
      (smooth[1]?.at[0] ?? 0) + (smooth[1]?.after[0] ?? 0),
      (smooth[1]?.at[1] ?? 0) + (smooth[1]?.after[1] ?? 0),
    ]
    expect(hitShape(smooth, [x, y], 1, 1)).toEqual({ what: 'after', point: 1 })
  })
  it('is refused where keys have other points, or lie on one frame', () => {
    const bad = (keys: unknown[]) => matteShape.safeParse({ name: 'a', order: 1, keys }).success
    expect(
      bad([
        { frame: 1, points: square(0, 0, 1) },
        { frame: 2, points: square(0, 0, 1).slice(1) },
      ]),
    ).toBe(false)
    expect(
      bad([
        { frame: 1, points: square(0, 0, 1) },
        { frame: 1, points: square(0, 0, 1) },
      ]),
    ).toBe(false)
  })
})
