import { describe, expect, it } from 'vitest'
import { smallFire } from '../../testing/fires.ts'
import { makeCrew } from '../base/index.ts'
import { type GasFrame, halfTable, paddedIndex, TILE, toHalf } from '../data/index.ts'
import { DETAIL_LIFE, detailNeeds, frameWhirls, synthesiseDetail } from './detail.ts'
import { GasSimulation } from './simulate.ts'

const burnt = ((): GasFrame[] => {
  const simulation = new GasSimulation(makeCrew(1), smallFire(), 24)
  for (let n = 0; n < 10; n++) simulation.advance()
  return Array.from({ length: 4 }, () => {
    simulation.advance()
    return simulation.keep()
  })
})()
const last = burnt.at(-1) as GasFrame
const table = halfTable()
const total = (frame: GasFrame, channel: number): number =>
  (frame.channels[channel] ?? new Uint16Array(0)).reduce((sum, half) => sum + (table[half] ?? 0), 0) *
  frame.box.cell ** 3
const finer = (
  over: Partial<Parameters<typeof synthesiseDetail>[2]> = {},
  frames: readonly GasFrame[] = burnt,
  number = 13,
): GasFrame => synthesiseDetail(makeCrew(1), frames, { factor: 2, amount: 1, seed: 1, ...over }, 1 / 24, number)

describe('a kept frame made finer', () => {
  it.each([2, 3, 4])('has %d times the cells along every edge, over the same place', (factor) => {
    const made = finer({ factor })
    expect(made.box.cell).toBeCloseTo(last.box.cell / factor, 9)
    expect(made.box.size).toEqual(last.box.size.map((n) => n * factor))
    expect(made.box.origin.map((o) => o * made.box.cell)).toEqual(
      last.box.origin.map((o) => expect.closeTo(o * last.box.cell, 9)),
    )
  })
  it('holds what the coarse one holds: soot and heat within a few hundredths', () => {
    for (const channel of [0, 1]) expect(total(finer(), channel) / total(last, channel)).toBeCloseTo(1, 1)
  })
  it('makes no value that was not there', () => {
    const most = (frame: GasFrame, c: number): number =>
      (frame.channels[c] ?? new Uint16Array(0)).reduce((top, half) => Math.max(top, table[half] ?? 0), 0)
    for (const channel of [0, 1, 2])
      expect(most(finer({ amount: 2 }), channel)).toBeLessThanOrEqual(most(last, channel) * 1.001)
  })
  it('keeps the large motion: brought down to the coarse cells it is nearly the coarse frame', () => {
    const made = finer()
    const [tx, ty] = [Math.ceil(last.box.size[0] / TILE), Math.ceil(last.box.size[1] / TILE)]
    const [fx, fy] = [tx * 2, ty * 2]
    const places = new Map([...made.tiles].map((tile, n) => [tile, n]))
    const fine = (i: number, j: number, k: number): number => {
      const n = places.get(((k >> 3) * fy + (j >> 3)) * fx + (i >> 3))
      return n === undefined
        ? 0
        : (table[made.channels[1]?.[n * TILE ** 3 + ((k & 7) * TILE + (j & 7)) * TILE + (i & 7)] ?? 0] ?? 0)
    }
    let [wrong, size] = [0, 0]
    last.tiles.forEach((tile, n) => {
      const [ti, tj, tk] = [tile % tx, Math.floor(tile / tx) % ty, Math.floor(tile / (tx * ty))]
      for (let at = 0; at < TILE ** 3; at++) {
        const [i, j, k] = [
          ti * TILE + (at % TILE),
          tj * TILE + (Math.floor(at / TILE) % TILE),
          tk * TILE + Math.floor(at / TILE ** 2),
        ]
        let sum = 0
        for (let c = 0; c < 8; c++) sum += fine(2 * i + (c & 1), 2 * j + ((c >> 1) & 1), 2 * k + (c >> 2)) / 8
        const own = table[last.channels[1]?.[n * TILE ** 3 + at] ?? 0] ?? 0
        wrong += Math.abs(sum - own)
        size += own
      }
    })
    expect(wrong / size).toBeLessThan(0.35)
  })
  it('adds what the coarse cells had not, more of it where it is stronger, and none to still air', () => {
    const rough = (frame: GasFrame): number => {
      let sum = 0
      frame.channels[1]?.forEach((half, n, all) => {
        if (n % TILE > 0 && n % TILE < TILE - 1)
          sum += Math.abs(2 * (table[half] ?? 0) - (table[all[n - 1] ?? 0] ?? 0) - (table[all[n + 1] ?? 0] ?? 0))
      })
      return sum
    }
    expect(rough(finer({ amount: 1 }))).toBeGreaterThan(1.2 * rough(finer({ amount: 0 })))
    expect(rough(finer({ amount: 2 }))).toBeGreaterThan(rough(finer({ amount: 1 })))
    const calm = burnt.map((frame) => ({
      ...frame,
      channels: frame.channels.map((channel, c) => (c > 2 ? new Uint16Array(channel.length) : channel)),
    }))
    expect(finer({ amount: 1 }, calm).channels[1]).toEqual(finer({ amount: 0 }, calm).channels[1])
  })
  it('is the same on any machine, and another with another seed', () => {
    expect(finer()).toEqual(finer())
    expect(finer({ seed: 2 }).channels[1]).not.toEqual(finer().channels[1])
  })
  it('needs the frames just before it, held at the run’s first', () => {
    expect(detailNeeds(40, 1)).toEqual(Array.from({ length: DETAIL_LIFE + 1 }, (_, n) => 40 - DETAIL_LIFE + n))
    expect(detailNeeds(3, 1)).toEqual([1, 2, 3])
  })
})

describe('whirls for a picture', () => {
  it('go along with the gas: their coordinates are where it came from, each set from when it was begun', () => {
    const flowing = burnt.map((frame) => ({
      ...last,
      channels: frame.channels.map((_, c) =>
        new Uint16Array(last.tiles.length * TILE ** 3).fill(c === 3 ? toHalf(1.2) : 0),
      ),
    }))
    const crew = makeCrew(1)
    const { sets } = frameWhirls(crew, flowing, { factor: 2, amount: 1, seed: 1 }, 1 / 24, 2 * DETAIL_LIFE + 3)
    const { size, origin, cell } = last.box
    const tile = last.tiles[Math.floor(last.tiles.length / 2)] ?? 0
    const [tx, ty] = [Math.ceil(size[0] / TILE), Math.ceil(size[1] / TILE)]
    const [i, j, k] = [
      (tile % tx) * TILE + 5,
      (Math.floor(tile / tx) % ty) * TILE + 3,
      Math.floor(tile / (tx * ty)) * TILE + 3,
    ]
    // Three frames old, and seven, of which there are three before this one.
    for (const [n, age] of [
      [0, 3],
      [1, 3],
    ] as const) {
      const at = 4 * paddedIndex(size, i, j, k)
      const places = crew.heap.f32(sets[n]?.places ?? 0, at + 4)
      expect(places[at]).toBeCloseTo(origin[0] + i + 0.5 - (age * 1.2) / 24 / cell, 3)
      expect(places[at + 1]).toBeCloseTo(origin[1] + j + 0.5, 3)
    }
    expect(sets.reduce((sum, { weight }) => sum + weight ** 2, 0)).toBeCloseTo(1, 6)
  })
})
