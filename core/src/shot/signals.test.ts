import { describe, expect, it } from 'vitest'
import { curveAt } from '../math/index.ts'
import { followed, type Signal, settingShows, signalValue } from '../settings/index.ts'
import { makeItem, makeShot, parseShot, SETTINGS } from './index.ts'

const clock = { first: 1, rate: 24 }
const keys = (curve: 'smooth' | 'straight' | 'hold', ...points: [number, number][]): Signal => ({
  name: 'Keys',
  shown: true,
  source: { kind: 'keys', curve, keys: points.map(([frame, value]) => ({ frame, value })) },
})

describe('a curve', () => {
  const points = [
    { at: 0, value: 0 },
    { at: 2, value: 4 },
    { at: 3, value: 4 },
    { at: 7, value: -1 },
  ]
  it.each(['hold', 'straight', 'smooth', 'round'] as const)(
    '%s goes through its points and stays at its ends',
    (kind) => {
      for (const { at, value } of points) expect(curveAt(points, at, kind)).toBeCloseTo(value, 9)
      expect(curveAt(points, -5, kind)).toBe(0)
      expect(curveAt(points, 50, kind)).toBe(-1)
      expect(curveAt([], 1, kind)).toBeNaN()
      expect(curveAt([{ at: 3, value: 8 }], 1, kind)).toBe(8)
    },
  )
  it('smooth never leaves the values of its neighbours; round is straight on a straight line', () => {
    for (let x = 0; x <= 7; x += 0.05) {
      const value = curveAt(points, x, 'smooth')
      const [low, high] = x < 2 ? [0, 4] : x < 3 ? [4, 4] : [-1, 4]
      expect(value).toBeGreaterThanOrEqual(low - 1e-9)
      expect(value).toBeLessThanOrEqual(high + 1e-9)
    }
    const line = [0, 1, 4, 9].map((at) => ({ at, value: 3 * at - 2 }))
    for (let x = 0; x <= 9; x += 0.3) expect(curveAt(line, x, 'round')).toBeCloseTo(3 * x - 2, 9)
  })
  it('smooth has no corner within it', () => {
    for (const at of [2, 3]) {
      const slope = (x: number): number =>
        (curveAt(points, x + 1e-5, 'smooth') - curveAt(points, x - 1e-5, 'smooth')) / 2e-5
      expect(slope(at - 1e-4)).toBeCloseTo(slope(at + 1e-4), 2)
    }
  })
})

describe('signals', () => {
  it('have the value of their keys, of a reading, of a figure, of the camera', () => {
    expect(signalValue(keys('straight', [1, 0], [5, 8]), 3, clock, {})).toBe(4)
    expect(signalValue(keys('hold', [1, 0], [5, 8]), 4.9, clock, {})).toBe(0)
    const reading: Signal = { name: 'R', shown: true, source: { kind: 'reading', reading: 'wall' } }
    expect(signalValue(reading, 3, clock, { reading: (id, frame) => (id === 'wall' ? frame * 2 : undefined) })).toBe(6)
    expect(signalValue(reading, 3, clock, {})).toBeUndefined()
    expect(
      signalValue({ name: 'F', shown: true, source: { kind: 'figure', item: 'fire', figure: 'heat' } }, 3, clock, {
        figure: (item, name, frame) => (item === 'fire' && name === 'heat' ? frame : undefined),
      }),
    ).toBe(3)
    expect(
      signalValue({ name: 'C', shown: true, source: { kind: 'camera' } }, 3, clock, { cameraSpeed: () => 1.5 }),
    ).toBe(1.5)
  })
  it('flicker between their least and most, as fast as they are told, the same every time', () => {
    const flicker = (pace: number): number[] =>
      Array.from(
        { length: 480 },
        (_, n) =>
          signalValue(
            { name: 'F', shown: true, source: { kind: 'flicker', seed: 4, low: 0.5, high: 1.5, pace } },
            n,
            clock,
            {},
          ) ?? 0,
      )
    const [slow, fast] = [flicker(1), flicker(8)]
    for (const values of [slow, fast]) {
      expect(Math.min(...values)).toBeGreaterThanOrEqual(0.5)
      expect(Math.max(...values)).toBeLessThanOrEqual(1.5)
      expect(Math.max(...values) - Math.min(...values)).toBeGreaterThan(0.4)
    }
    const crossings = (values: number[]): number =>
      values.filter((v, n) => n > 0 && v > 1 !== (values[n - 1] ?? 0) > 1).length
    expect(crossings(fast)).toBeGreaterThan(3 * crossings(slow))
    expect(flicker(8)).toEqual(fast)
  })
  it('are followed times gain plus offset, late by their delay, smoothed over their frames', () => {
    const signals = { step: keys('hold', [1, 0], [11, 10]) }
    const follow = (over: object, frame: number): number | undefined =>
      followed({ signal: 'step', gain: 1, offset: 0, smoothing: 0, delay: 0, ...over }, signals, frame, clock, {})
    expect([follow({}, 10), follow({}, 11)]).toEqual([0, 10])
    expect(follow({ gain: 3, offset: -2 }, 12)).toBe(28)
    expect([follow({ delay: 4 }, 14), follow({ delay: 4 }, 15)]).toEqual([0, 10])
    expect(follow({ smoothing: 4 }, 11)).toBeCloseTo(6, 9)
    expect(follow({ signal: 'none' }, 3)).toBeUndefined()
  })
  it('are refused by name: keys that go back, a follow without a signal', () => {
    const shot = makeShot('One', {
      asset: 'a',
      file: 'f',
      width: 64,
      height: 36,
      first: 1,
      last: 10,
      rate: [24, 1],
      encoding: 'srgb',
    })
    expect(() => parseShot({ ...shot, signals: { a: keys('smooth', [5, 1], [3, 2]) } })).toThrow(
      /signals\.a\.source\.keys.*forward/,
    )
    expect(() =>
      parseShot({
        ...shot,
        items: { fire: { ...makeItem('gas', { name: 'F', order: 1 }), follows: { heat: { gain: 2 } } } },
      }),
    ).toThrow(/items\.fire\.follows\.heat\.signal/)
    expect(() =>
      parseShot({ ...shot, items: { fire: { ...makeItem('gas', { name: 'F', order: 1 }), wind: 1000 } } }),
    ).toThrow(/items\.fire\.wind/)
    expect(() =>
      parseShot({ ...shot, items: { fire: { ...makeItem('gas', { name: 'F', order: 1 }), diameter: 0 } } }),
    ).toThrow(/items\.fire\.diameter/)
  })
})

it('settings are shown only beside the values that they belong to', () => {
  const setting = (key: string) => SETTINGS.gas.find((one) => one.key === key)
  const shows = (key: string, values: Record<string, unknown>): boolean =>
    settingShows(setting(key) as NonNullable<ReturnType<typeof setting>>, values)
  expect(shows('piece', { shape: 'piece' })).toBe(true)
  expect(shows('piece', { shape: 'disc' })).toBe(false)
  expect(shows('heat', { shape: 'disc' })).toBe(true)
  expect(setting('piece')).toMatchObject({ type: 'item', itemKinds: ['box', 'ground'] })
  expect(setting('position')?.type).toBe('vector')
})
