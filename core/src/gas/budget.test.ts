import { describe, expect, it } from 'vitest'
import { smallFire } from '../../testing/fires.ts'
import { makeCrew } from '../base/index.ts'
import type { CellBox } from '../data/index.ts'
import { allocateFields, moveFields } from './fields.ts'
import { AIR_DENSITY, AIR_HEAT_CAPACITY } from './settings.ts'
import { sourceCells } from './sources.ts'
import { emptyBudget, recount, stepGas } from './step.ts'

const CELL = 0.1
const BOX: CellBox = { cell: CELL, origin: [-12, 0, -12], size: [24, 32, 24] }

/** A fire that has burned for some steps in its box. */
function burned(steps: number) {
  const crew = makeCrew(1)
  const settings = smallFire({ cell: CELL })
  const still = settings.sceneInputs[0]
  if (!still) throw new Error('a fire has a moment')
  const mark = crew.heap.mark()
  const fields = allocateFields(crew, mark, BOX, settings, still)
  const feeds = settings.sources.map((_, n) => sourceCells(crew, fields, settings, n, still))
  const budget = emptyBudget()
  for (let n = 1; n <= steps; n++)
    stepGas(crew, fields, settings, { before: still, now: still }, feeds, budget, 1 / 96, n / 96)
  return { crew, settings, still, mark, fields, budget }
}
const held = ({ theta }: { theta: number }): number => theta * AIR_DENSITY * AIR_HEAT_CAPACITY * 293 * CELL ** 3

describe('the budget of a box that changes', () => {
  it('changes nothing where the box stays', () => {
    const { crew, settings, fields, budget } = burned(40)
    const before = { ...budget }
    recount(crew, fields, settings, budget)
    expect(budget.theta).toBeCloseTo(before.theta, 3)
    expect(budget.carriedOut).toBeCloseTo(before.carriedOut, 0)
    expect(budget.fuel / before.fuel).toBeCloseTo(1, 5)
  })
  it('counts what is cut away as carried out, heat and fuel, and nothing that is widened', () => {
    const { crew, settings, still, mark, fields, budget } = burned(60)
    const before = { ...budget }
    const cut = moveFields(crew, mark, fields, { ...BOX, size: [12, 32, 24] }, settings, still)
    recount(crew, cut, settings, budget)
    expect(before.theta - budget.theta).toBeGreaterThan(0.05 * before.theta)
    expect(held(budget) + budget.carriedOut).toBeCloseTo(held(before) + before.carriedOut, 0)
    expect(budget.fuel * AIR_DENSITY * CELL ** 3 + budget.fuelOut).toBeCloseTo(
      before.fuel * AIR_DENSITY * CELL ** 3 + before.fuelOut,
      9,
    )
    const low = { ...budget }
    recount(crew, moveFields(crew, mark, cut, BOX, settings, still), settings, budget)
    expect(budget.carriedOut).toBeCloseTo(low.carriedOut, 0)
    expect(budget.theta).toBeCloseTo(low.theta, 3)
  })
})
