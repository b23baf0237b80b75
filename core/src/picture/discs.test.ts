import { describe, expect, it } from 'vitest'
import { at, ball, layer, lookingDown, render, thing } from '../../testing/frames.ts'
import { makeCrew } from '../base/index.ts'
import { discTable } from './discs.ts'

const SIDE = 48
const disc = (value: (x: number, y: number) => number): Uint8Array =>
  Uint8Array.from({ length: SIDE * SIDE }, (_, n) => value(n % SIDE, Math.floor(n / SIDE)))
const places = (table: Float32Array): [number, number][] =>
  Array.from({ length: table.length / 2 }, (_, n) => [table[n * 2] ?? 0, table[n * 2 + 1] ?? 0])

describe('a picture of a blur disc', () => {
  it('has places where it is bright, as many as it is', () => {
    const [left, right] = [10, 30]
    const all = places(discTable(disc((x, y) => (y !== 20 ? 0 : x === left ? 60 : x === right ? 180 : 0))))
    const inColumn = (column: number): number =>
      all.filter(([x]) => x >= (2 * column) / SIDE - 1 - 1e-6 && x <= (2 * (column + 1)) / SIDE - 1 + 1e-6).length
    expect(inColumn(left) / all.length).toBeCloseTo(0.25, 1)
    expect(inColumn(right) / all.length).toBeCloseTo(0.75, 1)
    // The twentieth row from the top lies above the middle.
    expect(all.every(([, y]) => y > 1 - (2 * 21) / SIDE - 1e-6 && y < 1 - (2 * 20) / SIDE + 1e-6)).toBe(true)
  })
  it('is a point where it is black', () => {
    expect(discTable(disc(() => 0)).every((value) => value === 0)).toBe(true)
  })
  it('is what a light far behind the focus looks like, upright: half a disc', () => {
    const glow = { base: [0, 0, 0, 1], emission: [1, 1, 1] } as const
    const lens = { radius: 0.05, focus: 1, blades: 0, squeeze: 1, disc: disc((x) => (x < SIDE / 2 ? 255 : 0)) }
    const picture = render(
      makeCrew(1),
      { light: [thing(ball(0.1), { opening: at([0, 1, -5]) }, glow)] },
      { camera: lookingDown(0, [0, 1, 5], 64, 200), lens },
    )
    const own = layer(picture, 'light')
    const side = (right: boolean): number =>
      (own.alpha?.data ?? new Float32Array()).reduce(
        (sum: number, value: number, n: number) => (own.x + (n % own.width) >= 32 === right ? sum + value : sum),
        0,
      )
    expect(side(false)).toBeGreaterThan(5 * side(true))
    expect(side(false)).toBeGreaterThan(5)
  })
})
