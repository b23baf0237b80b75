import { describe, expect, it } from 'vitest'
import { lensOf, syntheticTracks, walk, yardPoints } from '../../testing/tracks.ts'
import { hash01, LanternError } from '../base/index.ts'
import type { Camera, Track } from '../data/index.ts'
import { panTiltRoll } from '../math/index.ts'
import { solveCamera } from './camera.ts'

const FRAMES = 24
const input = { frames: FRAMES, width: 1280, height: 720, known: { k1: 0, k2: 0 }, seed: 1 }
const faults = { noise: 0.08, wrong: 0.05, longest: FRAMES }
const tracksOf = (camera: (frame: number) => Camera): Track[] =>
  syntheticTracks({ frames: FRAMES, camera, points: yardPoints(220, 4) }, faults, 2)

describe('what kind of camera it is', () => {
  it('says that a move is a move, with its error by frame and nothing in doubt', async () => {
    const solve = await solveCamera({ ...input, tracks: tracksOf(walk(FRAMES, 1.5, lensOf(1097))) })
    expect(solve.kind).toBe('moving')
    expect(solve.doubts).toEqual([])
    expect(solve.medianPx).toBeLessThan(0.2)
    expect(solve.framePx.every((px) => px < 0.4)).toBe(true)
    expect(solve.parallax).toBeGreaterThan(3)
    expect(solve.cameras.length).toBe(FRAMES)
  }, 60_000)
  it('says that a turn is a turn', async () => {
    const solve = await solveCamera({
      ...input,
      tracks: tracksOf((n) => ({ ...lensOf(1097), position: [0, 1.6, 10], rotation: panTiltRoll(0.012 * n, 0.01, 0) })),
    })
    expect(solve.kind).toBe('turning')
    expect(solve.parallax).toBe(0)
    expect(solve.doubts).toEqual([])
  }, 60_000)
})

describe('plates that cannot be solved', () => {
  it('are refused with what was tried: too short, too few features', async () => {
    await expect(solveCamera({ ...input, frames: 2, tracks: [] })).rejects.toThrow(/2 frames/)
    await expect(
      solveCamera({ ...input, tracks: tracksOf(walk(FRAMES, 1, lensOf(1097))).slice(0, 5) }),
    ).rejects.toThrow(/5 features/)
  })
  it('are never given as right where everything goes its own way', async () => {
    const tracks: Track[] = Array.from({ length: 60 }, (_, id) => {
      const h = (n: number): number => hash01(3, id, n)
      return {
        id,
        first: 0,
        weight: 1,
        places: Float64Array.from({ length: 2 * FRAMES }, (_n, k) =>
          k % 2 === 0 ? 1280 * h(1) + (k >> 1) * 8 * (h(3) - 0.5) : 720 * h(2) + (k >> 1) * 8 * (h(4) - 0.5),
        ),
      }
    })
    try {
      expect((await solveCamera({ ...input, tracks })).doubts.length).toBeGreaterThan(0)
    } catch (error) {
      expect(error).toBeInstanceOf(LanternError)
    }
  }, 60_000)
})
