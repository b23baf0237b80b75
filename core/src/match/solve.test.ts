import { describe, expect, it } from 'vitest'
import { againstTruth, lensOf, syntheticTracks, walk, yardPoints } from '../../testing/tracks.ts'
import { LanternError } from '../base/index.ts'
import type { Camera } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'
import { solveMoving } from './solve.ts'
import { residualsOf } from './structure.ts'

const FRAMES = 24
const input = { frames: FRAMES, width: 1280, height: 720, known: {}, seed: 1 }
const plateOf = (lens: Omit<Camera, 'position' | 'rotation'>, far: number, count: number) => ({
  frames: FRAMES,
  camera: walk(FRAMES, far, lens),
  points: yardPoints(count, 3),
})

describe('a camera that moves', () => {
  it.each([
    ['an ordinary lens', 1097, -0.052, 0.009],
    ['a wide lens that bends', 777, -0.15, 0.03],
  ] as const)(
    'is found through %s from noisy tracks of which some drift away, nothing told',
    async (_, focal, k1, k2) => {
      const plate = plateOf(lensOf(focal, k1, k2), 1.4, 220)
      const tracks = syntheticTracks(plate, { noise: 0.05, wrong: 0.08, longest: FRAMES }, 5)
      const s = await solveMoving({ ...input, tracks })
      expect(Math.abs((s.lens[0] as number) / focal - 1)).toBeLessThan(0.01)
      expect(Math.abs((s.lens[1] as number) - k1)).toBeLessThan(0.02)
      const rests = tracks.flatMap((_track, n) => residualsOf(s, n)).sort((a, b) => a - b)
      expect(rests[rests.length >> 1]).toBeLessThan(0.1)
      expect(rests.length).toBeGreaterThan(0.7 * tracks.reduce((sum, track) => sum + track.places.length / 2, 0))
      const { positions, directions, slide } = againstTruth(
        s,
        plate.camera,
        tracks.map((track) => plate.points[track.id] as Vec3),
      )
      expect(positions).toBeLessThan(0.01)
      expect(directions).toBeLessThan(0.05)
      expect(slide).toBeLessThan(0.5)
    },
    60_000,
  )
  it('is found exactly from exact tracks, holds what is known, and comes out the same again', async () => {
    const plate = plateOf(lensOf(1097, -0.052, 0.009), 1.4, 110)
    const tracks = syntheticTracks(plate, { noise: 0, wrong: 0, longest: FRAMES }, 5)
    const known = { focalPx: 1097, k1: -0.052, k2: 0.009 }
    const s = await solveMoving({ ...input, tracks, known })
    expect([...s.lens]).toEqual([1097, -0.052, 0.009])
    expect(
      againstTruth(
        s,
        plate.camera,
        tracks.map((track) => plate.points[track.id] as Vec3),
      ).slide,
    ).toBeLessThan(0.01)
    expect((await solveMoving({ ...input, tracks, known })).poses).toEqual(s.poses)
  }, 60_000)
  it('is refused with what was tried where nothing hangs together', async () => {
    const plate = plateOf(lensOf(1097), 1.4, 120)
    const tracks = syntheticTracks(plate, { noise: 0.1, wrong: 0, longest: 3 }, 5)
    await expect(solveMoving({ ...input, tracks })).rejects.toThrow(LanternError)
  })
})
