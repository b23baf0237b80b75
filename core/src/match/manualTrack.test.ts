import { describe, expect, it } from 'vitest'
import { H, moved, patternPlate, W } from '../../testing/pattern.ts'
import { Cancelled } from '../base/index.ts'
import type { Track } from '../data/index.ts'
import { fitPlane, type Homography, inverseHomography, throughHomography, timesHomography } from '../math/index.ts'
import type { PlateFrames } from './follow.ts'
import { followManualTrack, type ManualTrackSettings } from './manualTrack.ts'

const settings: ManualTrackSettings = {
  keys: [{ frame: 0, places: [[70, 60]] }],
  model: 'turn',
  pattern: 10,
  search: 8,
}
/** Largest distance of a track from where a place of frame 0 goes. */
const worst = (track: Track | undefined, x: number, y: number): number =>
  Math.max(
    ...Array.from({ length: (track?.places.length ?? 0) / 2 }, (_, n) => {
      const [u, v] = moved((track?.first ?? 0) + n, x, y)
      return Math.hypot(u - (track?.places[2 * n] ?? 0), v - (track?.places[2 * n + 1] ?? 0))
    }),
  )

describe('a track set by hand', () => {
  it('keeps to a point that moves, turns and grows, in light that changes, to a twentieth of a pixel', async () => {
    const path = await followManualTrack(
      patternPlate(12, 0, (n) => 1 - 0.03 * n),
      settings,
    )
    expect(path.tracks[0]?.places.length).toBe(24)
    expect(path.lost).toEqual([])
    expect(worst(path.tracks[0], 70, 60)).toBeLessThan(0.05)
  })
  it('goes back to the start from a later frame, and holds in grain', async () => {
    const [x, y] = moved(8, 80, 70)
    const path = await followManualTrack(patternPlate(12, 0.02), {
      ...settings,
      keys: [{ frame: 8, places: [[x, y]] }],
    })
    expect(path.tracks[0]?.first).toBe(0)
    expect(worst(path.tracks[0], 80, 70)).toBeLessThan(0.2)
  })
  it('comes out at every place a person sets, and is mixed between them', async () => {
    const [x, y] = moved(10, 70, 60)
    const path = await followManualTrack(patternPlate(11, 0), {
      ...settings,
      keys: [...settings.keys, { frame: 10, places: [[x + 1, y]] }],
    })
    const places = path.tracks[0]?.places ?? new Float64Array(22)
    expect([places[20], places[21]]).toEqual([x + 1, y])
    const [u] = moved(5, 70, 60)
    expect((places[10] ?? 0) - u).toBeCloseTo(0.5, 1)
  })
  it('follows a flat patch in perspective by its corners', async () => {
    const plate = patternPlate(8, 0.01)
    // The pattern seen ever more from the side: each frame's picture through a homography of its own.
    const view = (n: number): Homography => [
      1 + 0.004 * n,
      0.003 * n,
      0.8 * n,
      -0.002 * n,
      1,
      0.4 * n,
      0.00004 * n,
      0.00002 * n,
      1,
    ]
    const still = plate.frame(0) as Float32Array
    const seen: PlateFrames = {
      ...plate,
      frame: (n) => {
        const out = new Float32Array(W * H * 3)
        const back = inverseHomography(view(n))
        for (let j = 0; j < H; j++)
          for (let i = 0; i < W; i++) {
            const [x, y] = throughHomography(back, i + 0.5, j + 0.5)
            const [a, b] = [
              Math.max(0, Math.min(W - 2, Math.floor(x - 0.5))),
              Math.max(0, Math.min(H - 2, Math.floor(y - 0.5))),
            ]
            const [s, t] = [x - 0.5 - a, y - 0.5 - b]
            for (let c = 0; c < 3; c++) {
              const at = (p: number, q: number): number => still[((b + q) * W + a + p) * 3 + c] as number
              out[(j * W + i) * 3 + c] =
                (at(0, 0) * (1 - s) + at(1, 0) * s) * (1 - t) + (at(0, 1) * (1 - s) + at(1, 1) * s) * t
            }
          }
        return out
      },
    }
    const corners = [
      [50, 40],
      [140, 44],
      [136, 110],
      [54, 104],
    ] as const
    const path = await followManualTrack(seen, {
      keys: [{ frame: 0, places: corners }],
      model: 'perspective',
      pattern: 0,
      search: 6,
    })
    for (const [c, [x, y]] of corners.entries()) {
      const track = path.tracks[c] as Track
      for (let n = 0; n < 8; n++) {
        const [u, v] = throughHomography(view(n), x, y)
        expect(Math.hypot(u - (track.places[2 * n] as number), v - (track.places[2 * n + 1] as number))).toBeLessThan(
          0.15,
        )
      }
    }
  })
  it('is lost, and says where, when it is covered or leaves the picture', async () => {
    const plate = patternPlate(10, 0)
    const covered: PlateFrames = {
      ...plate,
      frame: (n) => (n < 6 ? plate.frame(n) : new Float32Array(W * H * 3).fill(0.3)),
    }
    const path = await followManualTrack(covered, settings)
    expect(path.tracks[0]?.places.length).toBe(12)
    expect(path.lost).toEqual([6])
    const edge = await followManualTrack(plate, { ...settings, keys: [{ frame: 0, places: [[W - 14, 30]] }] })
    expect(edge.tracks[0]?.places.length).toBeLessThan(20)
    expect(edge.lost.length).toBe(1)
  })
  it('refuses a spot without contrast and a frame outside the plate, and stops when asked', async () => {
    const flat: PlateFrames = { frames: 3, width: W, height: H, frame: () => new Float32Array(W * H * 3).fill(0.4) }
    await expect(followManualTrack(flat, settings)).rejects.toMatchObject({ code: 'hand-flat', place: { frame: 0 } })
    await expect(
      followManualTrack(flat, { ...settings, keys: [{ frame: 3, places: [[70, 60]] }] }),
    ).rejects.toMatchObject({
      code: 'hand',
    })
    await expect(
      followManualTrack(patternPlate(4, 0), settings, { report: () => undefined, cancelled: () => true }),
    ).rejects.toBeInstanceOf(Cancelled)
  })
})

describe('motions of a plane', () => {
  const from = [
    [10, 20],
    [200, 25],
    [190, 150],
    [15, 140],
  ] as const
  const h: Homography = [1.1, 0.02, 5, -0.03, 0.95, -7, 0.0002, -0.0001, 1]
  it('are found from places and taken back', () => {
    const to = from.map(([x, y]) => throughHomography(h, x, y))
    const found = fitPlane('perspective', from, to)
    for (const [x, y] of [
      [50, 60],
      [120, 100],
    ] as const) {
      const [u, v] = throughHomography(h, x, y)
      const [a, b] = throughHomography(found ?? h, x, y)
      expect(Math.hypot(a - u, b - v)).toBeLessThan(1e-9)
      const [p, q] = throughHomography(timesHomography(inverseHomography(h), h), x, y)
      expect(Math.hypot(p - x, q - y)).toBeLessThan(1e-9)
    }
  })
  it('of fewer numbers are the nearest in the sense of least squares', () => {
    const to = from.map(([x, y]) => [x + 3, y - 2] as const)
    for (const model of ['place', 'turn', 'perspective'] as const) {
      const [x, y] = throughHomography(fitPlane(model, from, to) as Homography, 77, 88)
      expect(x).toBeCloseTo(80, 9)
      expect(y).toBeCloseTo(86, 9)
    }
    expect(fitPlane('perspective', from.slice(0, 3), to.slice(0, 3))).toBeUndefined()
  })
})
