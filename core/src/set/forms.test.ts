import { describe, expect, it } from 'vitest'
import { distanceTo, type Mesh } from '../data/index.ts'
import { FORM_SHAPES, type FormItem, formBounds, formSchema, formSolid, formTriangles, meetPiece } from './index.ts'

const made = (over: Record<string, unknown>): FormItem =>
  formSchema.parse({ kind: 'form', name: 'Form', order: 1, ...over })
const ELL = [
  [0, 0],
  [2, 0],
  [2, 1],
  [1, 1],
  [1, 2],
  [0, 2],
]
const ofShape = (shape: string, over: Record<string, unknown> = {}): FormItem =>
  made({ shape, width: 2, height: 1.5, depth: 1, ...(shape === 'outline' ? { corners: ELL } : {}), ...over })

/** Volume within closed triangles, by the divergence theorem; below 0 where they face inward. */
function volume({ positions: p, indices }: Mesh): number {
  let sum = 0
  for (let n = 0; n < indices.length; n += 3) {
    const [a = 0, b = 0, c = 0] = [0, 1, 2].map((k) => 3 * (indices[n + k] ?? 0))
    const at = (m: number): number => p[m] ?? 0
    sum +=
      (at(a) * (at(b + 1) * at(c + 2) - at(b + 2) * at(c + 1)) +
        at(a + 1) * (at(b + 2) * at(c) - at(b) * at(c + 2)) +
        at(a + 2) * (at(b) * at(c + 1) - at(b + 1) * at(c))) /
      6
  }
  return sum
}

describe('A form', () => {
  it.each([
    ['ramp', 1.5],
    ['cylinder', (Math.PI / 4) * 2 * 1.5],
    ['outline', 3 * 1.5],
    ['ball', (Math.PI / 6) * 2 * 1.5 * 1],
  ])('that is a %s faces outward and holds what it should', (shape, expected) => {
    expect(volume(formTriangles(ofShape(shape))) / expected).toBeCloseTo(1, 1.8)
  })

  it('that is a lump faces outward, lies within its size, and is another one by its variant', () => {
    const lump = ofShape('lump')
    const whole = volume(formTriangles(lump))
    // Of the half ellipsoid that it is made from, less what goes in.
    expect(whole / ((2 / 3) * Math.PI * 1 * 1.5 * 0.5)).toBeGreaterThan(0.4)
    expect(whole / ((2 / 3) * Math.PI * 1 * 1.5 * 0.5)).toBeLessThan(1.01)
    const { low, high } = formBounds(lump)
    expect(Math.max(-low[0], high[0])).toBeLessThanOrEqual(1.0001)
    expect(volume(formTriangles(ofShape('lump', { variant: 2 })))).not.toBeCloseTo(whole, 4)
  })

  it('holds the same whichever way round its outline was drawn', () => {
    const other = formTriangles(ofShape('outline', { corners: ELL.toReversed() }))
    expect(volume(other)).toBeCloseTo(4.5, 5)
  })

  it.each(FORM_SHAPES)('that is a %s stops gas where its surface is, turned and in a row too', (shape) => {
    const item = ofShape(shape, { position: [3, 0.5, -2], turn: 30, tilt: 10, copies: 3, gap: 4 })
    const solid = formSolid(item)
    for (const from of [
      [3, 9, -2],
      [9, 4, 6],
      [2.6, 6, -2.3],
    ] as const) {
      const to = [3, 0.9, -2] as const
      const along = [to[0] - from[0], to[1] - from[1], to[2] - from[2]] as const
      const t = meetPiece(item, { from, along })
      expect(t, `from ${from}`).toBeDefined()
      const met = along.map((part, c) => (from[c] ?? 0) + part * (t ?? 0)) as unknown as [number, number, number]
      // Gas meets a ball that is cut coarser than the one that is seen.
      expect(Math.abs(distanceTo(solid, met)), `from ${from}`).toBeLessThan(shape === 'ball' ? 0.05 : 2e-3)
      expect(distanceTo(solid, [from[0], from[1], from[2]])).toBeGreaterThan(0)
    }
  })

  it('in a row reaches as far as its last one', () => {
    expect(formBounds(ofShape('ramp', { copies: 4, gap: 2.5 })).high[0]).toBeCloseTo(1 + 3 * 2.5, 6)
  })
})
