import { describe, expect, it } from 'vitest'
import { Cancelled, hash01, makeCrew, random } from '../base/index.ts'
import { cos, exp, sin } from '../math/index.ts'
import { followPlate, type PlateFrames } from './follow.ts'

// A pattern that is known at any place: waves of many lengths and directions; moved by stated amounts.
const WAVES = Array.from({ length: 60 }, (_, n) => {
  const length = 6 * 1.07 ** n
  const a = 6.283 * hash01(1, n, 2)
  return { kx: (6.283 / length) * cos(a), ky: (6.283 / length) * sin(a), phase: 6.283 * hash01(1, n, 3), strength: 0.018 * exp(0.012 * n) }
})
/** The pattern along a row of `count` pixels from (x, y) by steps (dx, dy): each wave turned on by its step. */
function patternRow(x: number, y: number, dx: number, dy: number, count: number): Float64Array {
  const row = new Float64Array(count).fill(0.5)
  for (const { kx, ky, phase, strength } of WAVES) {
    let [s, c] = [strength * sin(kx * x + ky * y + phase), strength * cos(kx * x + ky * y + phase)]
    const [ds, dc] = [sin(kx * dx + ky * dy), cos(kx * dx + ky * dy)]
    for (let i = 0; i < count; i++) {
      row[i] = (row[i] as number) + s
      ;[s, c] = [s * dc + c * ds, c * dc - s * ds]
    }
  }
  return row.map((v) => Math.max(0.02, v))
}
const [W, H] = [192, 144]
/** Where a place of frame 0 lies in frame n: moved, turned and scaled a little about the middle. */
function moved(n: number, x: number, y: number): [number, number] {
  const [a, s] = [0.004 * n, 1 + 0.003 * n]
  const [dx, dy] = [x - W / 2, y - H / 2]
  return [W / 2 + s * (cos(a) * dx - sin(a) * dy) + 1.37 * n, H / 2 + s * (sin(a) * dx + cos(a) * dy) - 0.61 * n]
}
function back(n: number, x: number, y: number): [number, number] {
  const [a, s] = [0.004 * n, 1 + 0.003 * n]
  const [dx, dy] = [(x - W / 2 - 1.37 * n) / s, (y - H / 2 + 0.61 * n) / s]
  return [W / 2 + cos(a) * dx + sin(a) * dy, H / 2 - sin(a) * dx + cos(a) * dy]
}
function plate(frames: number, noise: number, light: (n: number) => number = () => 1): PlateFrames {
  return {
    frames, width: W, height: H,
    frame: (n) => {
      const stream = random(50 + n)
      const out = new Float32Array(W * H * 3)
      for (let j = 0; j < H; j++) {
        const [from, next] = [back(n, 0.5, j + 0.5), back(n, 1.5, j + 0.5)]
        const row = patternRow(from[0], from[1], next[0] - from[0], next[1] - from[1], W)
        for (let i = 0; i < W; i++) {
          const v = (row[i] as number) * light(n)
          for (let c = 0; c < 3; c++) {
            const grain = noise * Math.sqrt(v) * (stream.next() + stream.next() + stream.next() + stream.next() - 2) * 1.732
            out[(j * W + i) * 3 + c] = Math.max(0, v + grain)
          }
        }
      }
      return out
    },
  }
}
/** Distances of all tracked places from where their first ones have gone. */
function errors(tracks: Awaited<ReturnType<typeof followPlate>>): number[] {
  return tracks.flatMap((track) => {
    const [x, y] = back(track.first, track.places[0] as number, track.places[1] as number)
    return Array.from({ length: track.places.length / 2 }, (_, n) => {
      const [u, v] = moved(track.first + n, x, y)
      return Math.sqrt((u - (track.places[2 * n] as number)) ** 2 + (v - (track.places[2 * n + 1] as number)) ** 2)
    }).slice(1)
  }).sort((a, b) => a - b)
}

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
    for (const [x, y] of [[0, 0], [1, 0], [0, 1], [1, 1]]) expect(start.filter(({ places: [a, b] }) => (a ?? 0) >= (W / 2) * (x ?? 0) && (a ?? 0) < (W / 2) * ((x ?? 0) + 1) && (b ?? 0) >= (H / 2) * (y ?? 0) && (b ?? 0) < (H / 2) * ((y ?? 0) + 1)).length).toBeGreaterThan(5)
  })
  it('keeps to them in grain and in light that changes', async () => {
    const off = errors(await followPlate(crew, plate(10, 0.025, (n) => 0.5 + 0.05 * n), settings))
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
    for (const track of tracks) for (let n = 0; n < track.places.length; n += 2) expect(track.places[n]).toBeLessThanOrEqual(W / 2)
  })
  it('finds nothing in a flat plate and stops when asked', async () => {
    const flat: PlateFrames = { frames: 6, width: W, height: H, frame: () => new Float32Array(W * H * 3).fill(0.4) }
    expect(await followPlate(crew, flat, settings)).toEqual([])
    await expect(followPlate(crew, plate(6, 0), settings, { report: () => undefined, cancelled: () => true })).rejects.toBeInstanceOf(Cancelled)
  })
  it('loses its tracks at a cut instead of following into another picture', async () => {
    const one = plate(14, 0)
    const cut: PlateFrames = { ...one, frame: (n) => {
      const picture = one.frame(n) as Float32Array
      return n < 7 ? picture : Float32Array.from({ length: picture.length }, (_, k) => picture[picture.length - 1 - k] as number)
    } }
    const tracks = await followPlate(crew, cut, settings)
    const through = tracks.filter((track) => track.first <= 6 && track.first + track.places.length / 2 - 1 >= 7)
    expect(tracks.length).toBeGreaterThan(60)
    expect(through.length).toBeLessThan(0.1 * tracks.length)
  })
})
