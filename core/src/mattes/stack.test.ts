import { describe, expect, it } from 'vitest'
import { makeImage } from '../data/index.ts'
import { drawMatte, insideOf, type MatteItem, matteSchema, movedBack, movedPoints } from './index.ts'

const VIEW = { width: 24, height: 16, scale: 1, opening: 1, closing: 1 }
const box = (x: number, y: number, wide: number, high: number) =>
  [
    [x, y],
    [x + wide, y],
    [x + wide, y + high],
    [x, y + high],
  ].map(([u, v]) => ({ at: [u, v] as [number, number], before: [0, 0], after: [0, 0], soft: 0 }))
const shape = (order: number, points: ReturnType<typeof box>, over: object = {}) => ({
  name: 'Shape',
  order,
  keys: [{ frame: 1, points }],
  ...over,
})
const matte = (over: object): MatteItem => matteSchema.parse({ kind: 'matte', name: 'One', order: 1, ...over })
const at = (item: MatteItem, x: number, y: number, sources = {}): number =>
  drawMatte(item, VIEW, sources).data[y * VIEW.width + x] ?? -1
/** Covers columns 8 to 16 at half. */
const half = makeImage(24, 16, 1)
for (let n = 0; n < half.data.length; n++) half.data[n] = n % 24 >= 8 && n % 24 < 16 ? 0.5 : 0
const other = (id: string) => (id === 'half' ? half : undefined)

describe('parts of a matte in their order', () => {
  it('difference covers what one of two covers alone, by hand and by place', () => {
    const item = matte({
      shapes: { a: shape(1, box(2, 2, 10, 10)), b: shape(2, box(8, 2, 10, 10), { way: 'difference' }) },
    })
    expect([4, 9, 15].map((x) => at(item, x, 6))).toEqual([1, 0, 1])
    const inside = insideOf(item, 1)
    expect([4, 9, 15].map((x) => inside([x + 0.5, 6.5]))).toEqual([true, false, true])
  })
  it.each([
    ['add', [1, 1, 0.5, 0]],
    ['subtract', [1, 0.5, 0, 0]],
    ['intersect', [0, 0.5, 0, 0]],
    ['difference', [1, 0.5, 0.5, 0]],
  ] as const)('takes another matte: %s', (way, wanted) => {
    const item = matte({
      shapes: { a: shape(1, box(2, 0, 10, 16)) },
      takes: { t: { of: 'half', order: 2, way } },
    })
    expect([4, 9, 14, 20].map((x) => at(item, x, 6, { other }))).toEqual(wanted)
  })
  it('takes it inverted, hidden ones not at all, and one that is gone as nothing', () => {
    const taking = (over: object): MatteItem =>
      matte({ shapes: { a: shape(1, box(2, 0, 10, 16)) }, takes: { t: { of: 'half', order: 2, ...over } } })
    expect(at(taking({ way: 'intersect', inverted: true }), 4, 6, { other })).toBe(1)
    expect(at(taking({ way: 'subtract', shown: false }), 9, 6, { other })).toBe(1)
    expect(at(taking({ way: 'subtract', of: 'gone' }), 9, 6, { other })).toBe(1)
    expect(at(taking({ way: 'intersect', of: 'gone' }), 9, 6, { other })).toBe(0)
  })
  it('what is taken away first is taken from all', () => {
    const item = matte({ takes: { t: { of: 'half', order: 1, way: 'subtract' } } })
    expect([4, 9].map((x) => at(item, x, 6, { other }))).toEqual([1, 0.5])
  })
  it('grows what it takes and what is painted', () => {
    const painted = makeImage(24, 16, 1)
    for (let y = 4; y < 12; y++) painted.data.fill(1, y * 24 + 8, y * 24 + 16)
    const item = matte({ grow: 2, painted: { s: { order: 1, on: 'wall', radius: 1, points: [[0, 0, 0]] } } })
    expect([5, 6, 7, 10].map((x) => at(item, x, 6, { painted }))).toEqual([0, 1, 1, 1])
    const whole = makeImage(24, 16, 1)
    for (let n = 0; n < 384; n++) whole.data[n] = n % 24 >= 8 ? 1 : 0
    const cut = matte({ grow: 2, takes: { t: { of: 'w', order: 1, way: 'subtract' } } })
    // What is taken away shrinks as the matte grows.
    expect([7, 8, 9, 11].map((x) => at(cut, x, 6, { other: () => whole }))).toEqual([1, 1, 1, 0])
  })
})

describe('a shape that goes with something', () => {
  const tilted = [1.1, 0.08, -4, -0.05, 0.93, 2, 1.2e-3, -8e-4, 1] as const
  it('has its points, handles and soft edges where the picture of them is', () => {
    const [moved] = movedPoints([{ at: [3, 4], before: [0, 0], after: [2, 0], soft: 1 }], [2, 0, 5, 0, 2, -1, 0, 0, 1])
    expect(moved).toEqual({ at: [11, 7], before: [0, 0], after: [4, 0], soft: 2 })
  })
  it('comes back to where it was drawn', () => {
    const points = box(20, 30, 50, 40).map((point) => ({ ...point, after: [3, 1] as [number, number] }))
    const back = movedBack(movedPoints(points as never, tilted), tilted)
    for (const [n, point] of back.entries())
      for (const c of [0, 1] as const) {
        expect(point.at[c]).toBeCloseTo(points[n]?.at[c] ?? 0, 6)
        expect(point.after[c]).toBeCloseTo(points[n]?.after[c] ?? 0, 6)
      }
  })
})
