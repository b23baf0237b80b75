import { describe, expect, it } from 'vitest'
import { type GasFrame, TILE, toHalf } from '../data/index.ts'
import {
  blackBodyXyz,
  FLAME_FROM,
  GLOW_FROM,
  GLOW_STEP,
  gatherEmitters,
  glowTable,
  intoGamut,
  rec709,
  SHEET,
  SOOT_EXTINCTION,
} from './index.ts'

describe('a black body', () => {
  it.each([
    [1500, 0.5857, 0.3931],
    [2000, 0.5267, 0.4133],
    [3000, 0.4369, 0.4041],
    [6500, 0.3135, 0.3237],
  ])('at %d K lies on the Planckian locus', (kelvin, x, y) => {
    const [X, Y, Z] = blackBodyXyz(kelvin)
    expect(Math.abs(X / (X + Y + Z) - x)).toBeLessThan(0.002)
    expect(Math.abs(Y / (X + Y + Z) - y)).toBeLessThan(0.002)
  })
  it('is desaturated at equal luminance where it lies outside Rec. 709', () => {
    const raw = rec709(blackBodyXyz(1500))
    const mapped = intoGamut(raw)
    const luminance = ([r, g, b]: readonly [number, number, number]): number =>
      0.2126729 * r + 0.7151522 * g + 0.072175 * b
    expect(Math.min(...raw)).toBeLessThan(0)
    expect(Math.min(...mapped)).toBeGreaterThanOrEqual(0)
    expect(luminance(mapped) / luminance(raw)).toBeCloseTo(1, 3)
  })
  it('gives platinum’s freezing point its 60 cd/cm^2', () => {
    expect(blackBodyXyz(2042)[1] / 6e5).toBeCloseTo(1, 1)
  })
  it('fills its table in the plate’s unit', () => {
    const table = glowTable(300, 1)
    const luminance = (kelvin: number): number => {
      const n = (kelvin - GLOW_FROM) / GLOW_STEP
      const [r, g, b] = [table[n * 4] ?? 0, table[n * 4 + 1] ?? 0, table[n * 4 + 2] ?? 0]
      return ((0.2126729 * r + 0.7151522 * g + 0.072175 * b) * 300) / Math.PI
    }
    expect(luminance(1700) / blackBodyXyz(1700)[1]).toBeCloseTo(1, 3)
    // Cooler cells shine by the flame sheets in them; under the flame's last temperature there are none.
    expect(luminance(1170) / blackBodyXyz(SHEET)[1]).toBeCloseTo((1170 - FLAME_FROM) / (SHEET - FLAME_FROM), 3)
    expect(luminance(780) / blackBodyXyz(780)[1]).toBeCloseTo(1, 1)
    for (let kelvin = 800; kelvin < 2000; kelvin += 10)
      expect(luminance(kelvin)).toBeGreaterThan(luminance(kelvin - 10))
  })
})

describe('emitters', () => {
  /** One temperature and soot in the given tiles of a box of so many along an edge; the first `cold` of them hold cold smoke. */
  const frame = (heat: number, soot: number, tiles: readonly number[] = [7], edge = 2, cold = 0): GasFrame => {
    const channels = Array.from({ length: 6 }, () => new Uint16Array(tiles.length * TILE ** 3))
    channels[0]?.fill(toHalf(soot))
    channels[1]?.fill(toHalf(heat)).fill(0, 0, cold * TILE ** 3)
    return {
      box: { cell: 0.05, origin: [0, 0, 0], size: [edge * TILE, edge * TILE, edge * TILE] },
      ambient: 300,
      tiles: Int32Array.from(tiles),
      channels,
    }
  }
  const table = glowTable(100, 1)
  it('carry the power that the cells give out, where optically thin', () => {
    const thin = frame(1200, 1e-4)
    const [one, ...rest] = gatherEmitters(thin, table, 0.3, 8)
    const n = (1500 - GLOW_FROM) / GLOW_STEP
    const expected = (table[n * 4] ?? 0) * 1e-7 * SOOT_EXTINCTION * 0.7 * 0.05 ** 3 * TILE ** 3
    expect(rest).toHaveLength(0)
    expect((one?.intensity[0] ?? 0) / expected).toBeCloseTo(1, 1)
    expect(one?.at[0]).toBeCloseTo(12 * 0.05, 5)
  })
  it.each([
    [64, 64],
    [40, 8],
    [8, 8],
    [7, 1],
  ])('are at most %i, of neighbours put together, with the same power and middle', (most, count) => {
    // 4 x 4 x 4 tiles that glow, and as many of cold smoke beside them that count for nothing.
    const side = (half: number): number[] =>
      Array.from({ length: 64 }, (_, n) => (Math.floor(n / 16) * 8 + (Math.floor(n / 4) % 4)) * 8 + (n % 4) + 4 * half)
    const made = gatherEmitters(frame(1200, 1e-4, [...side(1), ...side(0)], 8, 64), table, 0.3, most)
    expect(made).toHaveLength(count)
    const single = gatherEmitters(frame(1200, 1e-4), table, 0.3, 8)[0]?.intensity[0] ?? 0
    const power = made.reduce((sum, { intensity }) => sum + intensity[0], 0)
    expect(power / (64 * single)).toBeCloseTo(1, 3)
    for (const axis of [0, 1, 2])
      expect(made.reduce((sum, { at, intensity }) => sum + (at[axis] ?? 0) * intensity[0], 0) / power).toBeCloseTo(
        2 * TILE * 0.05,
        5,
      )
  })
  it('are none where nothing glows', () => {
    expect(gatherEmitters(frame(20, 1), table, 0.3, 8)).toHaveLength(0)
  })
})
