import { hash01, random } from '../src/base/index.ts'
import type { Track } from '../src/data/index.ts'
import type { PlateFrames } from '../src/match/index.ts'
import { cos, exp, sin } from '../src/math/index.ts'

// A pattern that is known at any place: waves of many lengths and directions; moved by stated amounts.
const WAVES = Array.from({ length: 60 }, (_, n) => {
  const length = 6 * 1.07 ** n
  const a = 6.283 * hash01(1, n, 2)
  return {
    kx: (6.283 / length) * cos(a),
    ky: (6.283 / length) * sin(a),
    phase: 6.283 * hash01(1, n, 3),
    strength: 0.018 * exp(0.012 * n),
  }
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
export const [W, H] = [192, 144]
/** Where a place of frame 0 lies in frame n: moved, turned and scaled a little about the middle. */
export function moved(n: number, x: number, y: number): [number, number] {
  const [a, s] = [0.004 * n, 1 + 0.003 * n]
  const [dx, dy] = [x - W / 2, y - H / 2]
  return [W / 2 + s * (cos(a) * dx - sin(a) * dy) + 1.37 * n, H / 2 + s * (sin(a) * dx + cos(a) * dy) - 0.61 * n]
}
export function back(n: number, x: number, y: number): [number, number] {
  const [a, s] = [0.004 * n, 1 + 0.003 * n]
  const [dx, dy] = [(x - W / 2 - 1.37 * n) / s, (y - H / 2 + 0.61 * n) / s]
  return [W / 2 + cos(a) * dx + sin(a) * dy, H / 2 - sin(a) * dx + cos(a) * dy]
}
export function patternPlate(frames: number, noise: number, light: (n: number) => number = () => 1): PlateFrames {
  return {
    frames,
    width: W,
    height: H,
    frame: (n) => {
      const stream = random(50 + n)
      const out = new Float32Array(W * H * 3)
      for (let j = 0; j < H; j++) {
        const [from, next] = [back(n, 0.5, j + 0.5), back(n, 1.5, j + 0.5)]
        const row = patternRow(from[0], from[1], next[0] - from[0], next[1] - from[1], W)
        for (let i = 0; i < W; i++) {
          const v = (row[i] as number) * light(n)
          for (let c = 0; c < 3; c++) {
            const grain =
              noise * Math.sqrt(v) * (stream.next() + stream.next() + stream.next() + stream.next() - 2) * 1.732
            out[(j * W + i) * 3 + c] = Math.max(0, v + grain)
          }
        }
      }
      return out
    },
  }
}
/** Distances of all tracked places from where their first ones have gone. */
export function trackErrors(tracks: readonly Track[]): number[] {
  return tracks
    .flatMap((track) => {
      const [x, y] = back(track.first, track.places[0] as number, track.places[1] as number)
      return Array.from({ length: track.places.length / 2 }, (_, n) => {
        const [u, v] = moved(track.first + n, x, y)
        return Math.sqrt((u - (track.places[2 * n] as number)) ** 2 + (v - (track.places[2 * n + 1] as number)) ** 2)
      }).slice(1)
    })
    .sort((a, b) => a - b)
}
