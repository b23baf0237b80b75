import { describe, expect, it } from 'vitest'
import { boxBody, type Convex, measureConvex } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'
import { bricksOf, cellsOf, contactsOf, isOutside, seedsIn } from './index.ts'

const LOW: Vec3 = [-1, 0, -0.1]
const HIGH: Vec3 = [1, 1.5, 0.1]
const sum = (values: readonly number[]): number => values.reduce((a, b) => a + b, 0)

describe('pieces that touch', () => {
  it('are two boxes on each other, by what lies on what', () => {
    const [contact, ...more] = contactsOf([boxBody([0, 0, 0], [2, 1, 1]), boxBody([1, 1, 0.5], [4, 2, 3])])
    expect(more).toEqual([])
    expect(contact).toMatchObject({ a: 0, b: 1, normal: [0, 1, 0] })
    expect(contact?.area).toBeCloseTo(0.5, 12)
    expect(contact?.middle.map((v) => Number(v.toFixed(9)))).toEqual([1.5, 1, 0.75])
  })
  it('are none that only meet in an edge, stand apart, or overlap', () => {
    const one = boxBody([0, 0, 0], [1, 1, 1])
    for (const other of [
      boxBody([1, 1, 0], [2, 2, 1]),
      boxBody([1.01, 0, 0], [2, 1, 1]),
      boxBody([0.5, 0.5, 0.5], [2, 2, 2]),
    ])
      expect(contactsOf([one, other])).toEqual([])
  })
  it('of cells are their shared faces, all of them', () => {
    const cells = cellsOf({ low: LOW, high: HIGH }, seedsIn(LOW, HIGH, 80, 3)) as Convex[]
    const inner = cells.map((cell) => {
      const { areas } = measureConvex(cell)
      return sum(cell.faces.map(({ beyond }, k) => (isOutside(beyond) ? 0 : (areas[k] ?? 0))))
    })
    expect(sum(contactsOf(cells).map(({ area }) => area)) / (sum(inner) / 2)).toBeCloseTo(1, 5)
  })
  it('of bricks are beds and ends: each inner one lies on two and under two', () => {
    const bricks = bricksOf(LOW, HIGH, { length: 0.2, height: 0.1, shift: 0.5 }, 1)
    const contacts = contactsOf(bricks.map(({ body }) => body))
    const middle = bricks.findIndex(({ body }) => {
      const { middle: at } = measureConvex(body)
      return Math.abs(at[0]) < 0.11 && Math.abs(at[1] - 0.75) < 0.06
    })
    const own = contacts.filter(({ a, b }) => a === middle || b === middle)
    expect(own).toHaveLength(6)
    expect(sum(own.map(({ normal, area }) => (Math.abs(normal[1]) > 0.5 ? area : 0)))).toBeCloseTo(2 * 0.2 * 0.2, 9)
  })
})
