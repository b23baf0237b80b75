import { describe, expect, it } from 'vitest'
import { lensOf, type SyntheticPlate, syntheticTracks, yardPoints } from '../../testing/tracks.ts'
import { hash01 } from '../base/index.ts'
import type { Camera, Track } from '../data/index.ts'
import { panTiltRoll, radians, sin } from '../math/index.ts'
import { solveCamera } from './camera.ts'
import { chanceOfF, commonMotion } from './lockedOff.ts'

const FRAMES = 16
const input = { frames: FRAMES, width: 1280, height: 720, known: {}, seed: 1, proposedFocalPx: 1000 }
const lens = lensOf(1097, -0.052, 0.009)
const still = (pan: number, tilt = 0.01): Camera => ({
  ...lens,
  position: [0, 1.6, 10],
  rotation: panTiltRoll(pan, tilt, 0),
})
const tracksOf = (camera: SyntheticPlate['camera'], noise: number, seed = 2): Track[] =>
  syntheticTracks({ frames: FRAMES, camera, points: yardPoints(150, 4) }, { noise, wrong: 0, longest: FRAMES }, seed)
/** Features on a person who walks through the picture. */
const walker = (count: number): Track[] =>
  Array.from({ length: count }, (_, id) => ({
    id: 10_000 + id,
    first: 0,
    weight: 1,
    places: Float64Array.from({ length: 2 * FRAMES }, (_v, k) =>
      k % 2 === 0
        ? 300 + 60 * hash01(5, id, 1) + 11 * (k >> 1)
        : 250 + 220 * hash01(5, id, 2) + 4 * sin(0.6 * (k >> 1)),
    ),
  }))

describe('F', () => {
  it('has the chances of the tables', () => {
    expect(chanceOfF(3.217, 6, 10)).toBeCloseTo(0.05, 3)
    expect(chanceOfF(2.956, 6, 120)).toBeCloseTo(0.01, 3)
    expect(chanceOfF(0, 6, 50)).toBe(1)
  })
})

describe('a locked-off camera', () => {
  it.each([0, 0.02, 0.08, 0.3])(
    'is told where tracks have a noise of %f px and a person walks through',
    async (noise) => {
      const tracks = [...tracksOf(() => still(0.01), noise), ...walker(40)]
      const found = commonMotion(tracks, FRAMES, 1280, 720)
      expect(found?.locked).toBe(true)
      await expect(solveCamera({ ...input, tracks })).rejects.toMatchObject({
        code: 'locked-off',
        message: expect.stringContaining('does not move'),
        remedy: expect.stringContaining('line the shot up'),
      })
    },
  )
  it('is hardly ever denied: of 25 noisy plates not one moves', () => {
    let moved = 0
    for (let seed = 0; seed < 25; seed++)
      if (
        !commonMotion(
          tracksOf(() => still(0.01), 0.15, 50 + seed),
          FRAMES,
          1280,
          720,
        )?.locked
      )
        moved++
    expect(moved).toBe(0)
  })
  it('is not one that trembles by a fifth of a pixel, nor one that tilts in its last frames', () => {
    const tremble = tracksOf((n) => still(0.0002 * sin(1.3 * n)), 0.1)
    expect(commonMotion(tremble, FRAMES, 1280, 720)?.locked).toBe(false)
    const late = tracksOf((n) => still(0.01, n > 13 ? 0.011 : 0.01), 0.1)
    expect(commonMotion(late, FRAMES, 1280, 720)?.locked).toBe(false)
  })
})

describe('what the tracks do not carry', () => {
  it('is not made up: a turn of 0.08 degrees keeps the proposed focal length, and says so with its uncertainty', async () => {
    const tracks = tracksOf((n) => still((radians(0.08) * n) / (FRAMES - 1)), 0.08)
    const found = await solveCamera({ ...input, tracks })
    expect(found.kind).toBe('turning')
    expect([...found.structure.lens]).toEqual([1000, 0, 0])
    expect(found.lens.held.map(({ term }) => term)).toEqual(['k2', 'k1', 'focalPx'])
    expect(found.doubts[0]?.what).toMatch(/turned too little.*0\.78 is kept/)
  }, 60_000)
  it('leaves a wide turn alone: its focal length stands with an error that covers the true one', async () => {
    const tracks = tracksOf((n) => still((radians(16) * (n - 8)) / (FRAMES - 1)), 0.08)
    const found = await solveCamera({ ...input, tracks })
    const error = found.lens.errors.focalPx ?? 0
    expect(found.doubts).toEqual([])
    expect(error).toBeGreaterThan(0)
    expect(error).toBeLessThan(0.03 * 1097)
    expect(Math.abs((found.structure.lens[0] as number) - 1097)).toBeLessThan(4 * error)
  }, 60_000)
  it('is doubted where all lies in one plane', async () => {
    const points = yardPoints(130, 4).map(([x, y]) => [x, y * 1.2, 0] as [number, number, number])
    const tracks = syntheticTracks(
      {
        frames: FRAMES,
        points,
        camera: (n) => ({ ...lens, position: [-0.6 + 0.08 * n, 1.6, 9], rotation: panTiltRoll(0, 0.02, 0) }),
      },
      { noise: 0.08, wrong: 0, longest: FRAMES },
      3,
    )
    const found = await solveCamera({ ...input, tracks })
    expect(found.kind).toBe('moving')
    expect([...found.structure.lens]).toEqual([1000, 0, 0])
    expect(found.doubts[0]?.what).toMatch(/one plane.*0\.78 is kept/)
  }, 60_000)
  it('is doubted where the camera hardly moved', async () => {
    const tracks = tracksOf((n) => ({ ...still(0.01), position: [0.004 * n, 1.6, 10] }), 0.08)
    const found = await solveCamera({ ...input, tracks })
    expect([...found.structure.lens]).toEqual([1000, 0, 0])
    expect(found.doubts[0]?.what).toMatch(/too little to fix its focal length/)
  }, 60_000)
})
