import { describe, expect, it } from 'vitest'
import { makeShot } from '../shot/index.ts'
import type { CheckFigures, CheckLine } from '../sit/index.ts'
import { lineOf } from '../sit/index.ts'
import type { FrameCheck } from './sitCheck.ts'
import { matchLayers, saidOfMatch, WHOLE } from './sitMatch.ts'

const plate = { asset: 'a'.repeat(64), file: 'a.mp4', width: 160, height: 96, first: 1, last: 9 }
const shot = makeShot('Match', { ...plate, rate: [24, 1], encoding: 'srgb' } as unknown as Parameters<
  typeof makeShot
>[1])
const figures = (level: number): CheckFigures => ({
  pixels: 1000,
  tones: { p2: 0.1 * level, p10: 0.2 * level, p50: 0.3 * level, p90: 0.5 * level, p98: 0.6 * level },
})
const stops = (ratio: number): number => Math.log2(ratio)

/** A frame whose layer is `bright` times as bright as the plate before anything is set, and whose halo goes with the halation. */
const frameOf = (white: number, halation: number, bright: number): FrameCheck => {
  const off = stops(bright * white)
  const lines: CheckLine[] = [lineOf('white', -2, -2 + off, off, 0.15)]
  return {
    frame: 1,
    scale: 1,
    layers: [
      { id: 'wall', name: 'Wall', share: 0.1, lines, own: figures(bright * white), plate: figures(1) },
      { id: WHOLE, name: 'All', share: 0.1, lines: [lineOf('halo', 6, halation, halation - 6, 1)] },
    ],
  }
}

describe('a match', () => {
  it('brings a layer to the plate over several frames, on their mean', async () => {
    const seen: number[] = []
    const { changed } = await matchLayers(shot, ['wall'], async ({ sit }) => {
      const white = sit.layers.wall?.white ?? 1
      seen.push(white)
      return [frameOf(white, 6, 2), frameOf(white, 6, 2.1)]
    })
    expect(seen[0]).toBe(1)
    expect(changed.wall?.white).toBeGreaterThan(0.46)
    expect(changed.wall?.white).toBeLessThan(0.51)
  })
  it('changes nothing where nothing brings it nearer, and says what was tried', async () => {
    const { changed, before } = await matchLayers(shot, ['wall'], async () => [frameOf(1, 6, 4)])
    expect(changed).toEqual({})
    expect(before.wall?.white).toBe(1)
  })
  it('asks once and tries nothing where all is within', async () => {
    let asked = 0
    const match = await matchLayers(shot, ['wall', WHOLE], async () => {
      asked++
      return [frameOf(1, 6, 1)]
    })
    expect(asked).toBe(1)
    expect(match).toEqual({ changed: {}, before: {} })
  })
  it('says of each layer what becomes of it', () => {
    const changed = { wall: { white: 0.5, grain: 0 }, crate: { tint: [1, 1, 0.5] as const } }
    expect(saidOfMatch(shot, { changed, before: {} })).toBe(
      'wall: white 1.000 to 0.500, grain 1.000 to 0.000; crate: tint 1.00 1.00 1.00 to 1.00 1.00 0.50',
    )
  })
  it('goes no further with the halo than halation is held at', async () => {
    const held = { ...shot, sit: { ...shot.sit, halationHeld: true, halationMost: 8 } }
    const { halation } = await matchLayers(held, [WHOLE], async ({ sit }) => [frameOf(1, 0.1 * sit.halation, 1)])
    expect(halation).toBe(8)
  })
  it('brings the halo of the whole picture to the plate’s by halation, and says so', async () => {
    const match = await matchLayers(shot, [WHOLE], async ({ sit }) => [frameOf(1, 0.4 * sit.halation, 1)])
    expect(0.4 * (match.halation ?? 0)).toBeCloseTo(6, 1)
    expect(match.changed).toEqual({})
    expect(saidOfMatch(shot, match)).toBe(`halation ${shot.sit.halation.toFixed(3)} to ${match.halation?.toFixed(3)}`)
  })
})
