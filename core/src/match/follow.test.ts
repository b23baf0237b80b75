import { describe, expect, it } from 'vitest'
import { back, trackErrors as errors, H, patternPlate as plate, W } from '../../testing/pattern.ts'
import { Cancelled, makeCrew } from '../base/index.ts'
import { followPlate, type PlateFrames } from './follow.ts'

const median = (values: readonly number[]): number => values[values.length >> 1] ?? Number.NaN
const settings = { count: 60, even: true }

describe('following', () => {
  const crew = makeCrew(1)
  it('finds features evenly and keeps to their exact places while they move, turn and grow', async () => {
    const tracks = await followPlate(crew, plate(14, 0), settings)
    const off = errors(tracks)
    expect(off.length).toBeGreaterThan(500)
    expect(median(off)).toBeLessThan(0.05)
    expect(off[Math.floor(0.95 * off.length)]).toBeLessThan(0.15)
    const start = tracks.filter((track) => track.first === 0)
    for (const [x, y] of [
      [0, 0],
      [1, 0],
      [0, 1],
      [1, 1],
    ])
      expect(
        start.filter(
          ({ places: [a, b] }) =>
            (a ?? 0) >= (W / 2) * (x ?? 0) &&
            (a ?? 0) < (W / 2) * ((x ?? 0) + 1) &&
            (b ?? 0) >= (H / 2) * (y ?? 0) &&
            (b ?? 0) < (H / 2) * ((y ?? 0) + 1),
        ).length,
      ).toBeGreaterThan(5)
  })
  it('keeps to them in grain and in light that changes', async () => {
    const off = errors(
      await followPlate(
        crew,
        plate(10, 0.025, (n) => 0.5 + 0.05 * n),
        settings,
      ),
    )
    expect(off.length).toBeGreaterThan(300)
    expect(median(off)).toBeLessThan(0.15)
  })
  it('follows back to the start what was begun later', async () => {
    const tracks = await followPlate(crew, plate(14, 0), settings)
    // What comes in at the left edge is begun late; none of it was to be seen in frame 0.
    const late = tracks.filter((track) => track.first > 0)
    expect(late.length).toBeGreaterThan(0)
    for (const track of late) {
      const [x, y] = back(track.first - 1, ...back(0, track.places[0] as number, track.places[1] as number))
      expect(Math.min(x, y, W - x, H - y)).toBeLessThan(40)
    }
  })
  it('leaves alone what is kept out, and gives tracks up that go there', async () => {
    const tracks = await followPlate(crew, plate(8, 0), { ...settings, keptOut: (_, x) => x > W / 2 })
    expect(tracks.length).toBeGreaterThan(10)
    for (const track of tracks)
      for (let n = 0; n < track.places.length; n += 2) expect(track.places[n]).toBeLessThanOrEqual(W / 2)
  })
  it('finds nothing in a flat plate and stops when asked', async () => {
    const flat: PlateFrames = { frames: 6, width: W, height: H, frame: () => new Float32Array(W * H * 3).fill(0.4) }
    expect(await followPlate(crew, flat, settings)).toEqual([])
    await expect(
      followPlate(crew, plate(6, 0), settings, { report: () => undefined, cancelled: () => true }),
    ).rejects.toBeInstanceOf(Cancelled)
  })
  it('loses its tracks at a cut instead of following into another picture', async () => {
    const one = plate(14, 0)
    const cut: PlateFrames = {
      ...one,
      frame: (n) => {
        const picture = one.frame(n) as Float32Array
        return n < 7
          ? picture
          : Float32Array.from({ length: picture.length }, (_, k) => picture[picture.length - 1 - k] as number)
      },
    }
    const tracks = await followPlate(crew, cut, settings)
    const through = tracks.filter((track) => track.first <= 6 && track.first + track.places.length / 2 - 1 >= 7)
    expect(tracks.length).toBeGreaterThan(60)
    expect(through.length).toBeLessThan(0.1 * tracks.length)
  })
})
