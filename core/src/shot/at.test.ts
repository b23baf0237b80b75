import { describe, expect, it } from 'vitest'
import type { GasItem } from '../effects/gas/index.ts'
import { settledAt } from '../settings/index.ts'
import { applyPatch, itemAt, makeItem, makeShot, SETTINGS, type ShotDocument } from './index.ts'

const plate = {
  asset: 'a',
  file: 'f',
  width: 64,
  height: 36,
  first: 1001,
  last: 1048,
  rate: [24, 1] as [number, number],
  encoding: 'srgb' as const,
}
const rising = {
  name: 'Rising',
  shown: true,
  source: {
    kind: 'keys' as const,
    curve: 'straight' as const,
    keys: [
      { frame: 1001, value: 0 },
      { frame: 1011, value: 100 },
    ],
  },
}
const document = (): ShotDocument => ({ ...makeShot('One', plate), signals: { rising } })
const follow = (over: object = {}) => ({ signal: 'rising', gain: 1, offset: 0, smoothing: 0, delay: 0, ...over })
const fire = (over: object): GasItem => makeItem('gas', { name: 'Fire', order: 1, ...over }) as GasItem

describe('what follows a signal', () => {
  it('has gain times it plus offset at the frame, and keeps its own before the signal has a value', () => {
    const item = fire({ heat: 400, follows: { heat: follow({ gain: 2, offset: 50 }) } })
    expect(itemAt(document(), item, 1006).heat).toBe(150)
    expect(itemAt(document(), item, 1006.5).heat).toBe(160)
    // A reading that is not taken yet has no value: the setting stays.
    const unread = {
      ...document(),
      signals: { rising: { ...rising, source: { kind: 'reading' as const, reading: 'wall' } } },
    }
    expect(itemAt(unread, item, 1006).heat).toBe(400)
    expect(itemAt(unread, item, 1006, { reading: () => 10 }).heat).toBe(70)
  })
  it('is held within the limits of its setting', () => {
    const { maximum = Number.NaN, minimum = Number.NaN } = SETTINGS.gas.find(({ key }) => key === 'heat') ?? {}
    expect(itemAt(document(), fire({ follows: { heat: follow({ gain: 1e6 }) } }), 1011).heat).toBe(maximum)
    expect(itemAt(document(), fire({ follows: { heat: follow({ gain: -1e6 }) } }), 1011).heat).toBe(minimum)
  })
  it('may be one part of a place, or a whole colour by its strength', () => {
    const item = fire({ position: [1, 2, 3], follows: { 'position.1': follow({ gain: 0.1 }) } })
    expect(itemAt(document(), item, 1011).position).toEqual([1, 10, 3])
    expect(item.position).toEqual([1, 2, 3])
    const colours = SETTINGS.plateLight.filter(({ type }) => type === 'colour').map(({ key }) => key)
    expect(colours).toContain('sunColour')
    for (const key of colours) {
      const lit = (gain: number): unknown =>
        settledAt(document(), { [key]: [0.5, 1, 0.25] }, { [key]: follow({ gain }) }, SETTINGS.plateLight, 1011, {})[
          key
        ]
      // Twice as strong; and no part over what a colour may be.
      expect(lit(0.02)).toEqual([1, 2, 0.5])
      expect(lit(1)).toEqual([4, 4, 4])
    }
  })
  it('is not what is decided for a whole run, nor what is no setting or is not there', () => {
    const still = SETTINGS.gas.filter((setting) => setting.still && setting.type === 'number')
    expect(still.length).toBeGreaterThan(2)
    for (const { key } of still) {
      const item = fire({ follows: { [key]: follow() } })
      expect(itemAt(document(), item, 1011)[key as 'burnTime'], key).toBe(item[key as 'burnTime'])
    }
    expect(itemAt(document(), fire({ follows: { nonsense: follow() } }), 1011)).not.toHaveProperty('nonsense')
    expect(settledAt(document(), { heat: 5 }, { 'far.heat': follow() }, SETTINGS.gas, 1011, {})).toEqual({ heat: 5 })
  })
  it('is the same thing, not a copy, where nothing follows', () => {
    const item = fire({})
    expect(itemAt(document(), item, 1005)).toBe(item)
  })
})

describe('what moves', () => {
  const keys = [
    { frame: 1001, position: [0, 0, 0] },
    { frame: 1011, position: [10, 0, 0], turn: 90 },
    { frame: 1021, position: [10, 5, 0], turn: 90, tilt: 20 },
  ]
  const beam = (curve: 'smooth' | 'straight') =>
    makeItem('box', { name: 'Beam', order: 1, motion: { keys, curve } }) as Extract<
      ReturnType<typeof makeItem>,
      { kind: 'box' }
    >
  it('is on its keys at their frames, on either curve, and rests before and after', () => {
    for (const curve of ['smooth', 'straight'] as const) {
      for (const key of keys)
        expect(itemAt(document(), beam(curve), key.frame)).toMatchObject({
          position: key.position,
          turn: key.turn ?? 0,
          tilt: key.tilt ?? 0,
        })
      expect(itemAt(document(), beam(curve), 900).position).toEqual([0, 0, 0])
      expect(itemAt(document(), beam(curve), 2000).position).toEqual([10, 5, 0])
    }
  })
  it('goes evenly along a straight curve, frames between frames too', () => {
    expect(itemAt(document(), beam('straight'), 1003.5)).toMatchObject({ position: [2.5, 0, 0], turn: 22.5 })
  })
  it('goes smoothly through a key: the speeds before and after it agree', () => {
    const at = (frame: number): number => itemAt(document(), beam('smooth'), frame).position[0]
    const [before, after] = [at(1011) - at(1010.99), at(1011.01) - at(1011)]
    expect(before).toBeCloseTo(after, 3)
  })
  it('is refused when its keys go back in time', () => {
    expect(() =>
      applyPatch(document(), {
        items: {
          beam: { ...makeItem('box', { name: 'B', order: 1 }), motion: { keys: [keys[1], keys[0]], curve: 'smooth' } },
        },
      }),
    ).toThrow(/items\.beam\.motion\.keys.*forward/)
  })
})
