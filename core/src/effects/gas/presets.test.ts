import { describe, expect, it } from 'vitest'
import { GAS_PRESETS, resized } from './presets.ts'
import { gasSchema } from './schema.ts'

const fire = (over: object = {}) =>
  gasSchema.parse({
    kind: 'gas',
    name: 'Fire',
    order: 1,
    diameter: 1,
    heat: 1000,
    smoke: 2,
    speed: 0.4,
    stir: 0.2,
    burnTime: 2,
    tall: 0.5,
    cell: 60,
    reach: 3,
    rise: 6,
    ...over,
  })

describe('a fire made larger', () => {
  it('burns as much on each square metre, and moves as fast for its size', () => {
    const [one, four] = [fire(), { ...fire(), ...resized(fire(), 4) }]
    expect(four.diameter).toBe(4)
    expect(four.heat / four.diameter ** 2).toBeCloseTo(one.heat / one.diameter ** 2, 9)
    expect(four.smoke).toBeCloseTo(16 * one.smoke, 9)
    const froude = ({ speed, stir, diameter }: typeof one): number[] =>
      [speed, stir].map((v) => v / Math.sqrt(9.81 * diameter))
    froude(four).forEach((value, n) => expect(value).toBeCloseTo(froude(one)[n] ?? Number.NaN, 4))
    expect(four.burnTime).toBeCloseTo(2 * one.burnTime, 9)
    for (const key of ['tall', 'cell', 'reach', 'rise'] as const) expect(four[key], key).toBeCloseTo(4 * one[key], 9)
  })
  it('leaves amounts of a square metre, its place, its air and its seed as they are', () => {
    const change = resized(fire({ per: 'a square metre' }), 3)
    for (const key of ['heat', 'smoke', 'position', 'wind', 'airTemperature', 'seed', 'warmth', 'soot'] as const)
      expect(change, key).not.toHaveProperty(key)
  })
  it('follows its signals by as much more', () => {
    const follows = {
      heat: { signal: 'loose', gain: 900, offset: 100 },
      speed: { signal: 'loose', gain: 6 },
      warmth: { signal: 'loose', gain: 2 },
    }
    const change = resized(fire({ follows }), 4)
    expect(change.follows).toMatchObject({
      heat: { gain: 14400, offset: 1600 },
      speed: { gain: 12 },
      warmth: { signal: 'loose', gain: 2 },
    })
    expect(resized(fire({ follows, per: 'a square metre' }), 4).follows).toMatchObject({
      heat: { gain: 900, offset: 100 },
      speed: { gain: 12 },
    })
    expect(resized(fire(), 4)).not.toHaveProperty('follows')
  })
  it('goes back to what it was', () => {
    const there = { ...fire(), ...resized(fire(), 2.5) }
    const back = { ...there, ...resized(there, 1) }
    for (const key of ['diameter', 'heat', 'smoke', 'speed', 'stir', 'burnTime', 'cell', 'reach', 'rise'] as const)
      expect(back[key] / fire()[key], key).toBeCloseTo(1, 2)
  })
  it.each([0.001, 0.02, 50, 1000])('of every kind stays one that can be: %f m', (diameter) => {
    for (const kind of GAS_PRESETS) {
      const item = gasSchema.parse({
        kind: 'gas',
        name: kind.name,
        order: 1,
        ...kind.settings,
        follows: { heat: { signal: 'loose', gain: 3000 } },
      })
      expect(gasSchema.safeParse({ ...item, ...resized(item, diameter) }).success, kind.name).toBe(true)
    }
  })
})
