import { placeAt, seenAt, type Track } from '../data/index.ts'
import { symmetricEigen } from '../math/index.ts'
import { median } from './median.ts'

/** Tracks that two frames share. */
export const sharedTracks = (tracks: readonly Track[], a: number, b: number): Track[] =>
  tracks.filter((track) => seenAt(track, a) && seenAt(track, b))

/** Median motion of the tracks that two frames share, px. */
function motionBetween(shared: readonly Track[], a: number, b: number): number {
  return median(
    shared.map((track) => {
      const [p, q] = [placeAt(track, a), placeAt(track, b)]
      return p && q ? Math.sqrt((p[0] - q[0]) * (p[0] - q[0]) + (p[1] - q[1]) * (p[1] - q[1])) : 0
    }),
  )
}

/** Motion from one key frame to the next, as a share of the picture's width; and the share of tracks that must still be there. */
const KEY_MOTION = 0.035
const KEY_KEPT = 0.6
const LEAST_SHARED = 24

/** Key frames: the first, the last, and between them one wherever the picture has moved on enough or too many of the tracks are gone. */
export function keyFrames(tracks: readonly Track[], frames: number, width: number): number[] {
  const keys = [0]
  let last = 0
  let started = sharedTracks(tracks, 0, 0).length
  for (let frame = 1; frame < frames; frame++) {
    const shared = sharedTracks(tracks, last, frame)
    if (frame - last < 2 && shared.length > LEAST_SHARED) continue
    if (
      motionBetween(shared, last, frame) < KEY_MOTION * width &&
      shared.length > Math.max(LEAST_SHARED, KEY_KEPT * started)
    )
      continue
    keys.push(frame)
    last = frame
    started = sharedTracks(tracks, frame, frame).length
  }
  if (keys[keys.length - 1] !== frames - 1) keys.push(frames - 1)
  return keys
}

/** Nine numbers of the homography that takes pairs (x y u v each) from one view to the other, by weighted direct linear transformation (Hartley & Zisserman 2004, 4.1). */
function homographyOf(pairs: Float64Array, weights: Float64Array, scale: number): Float64Array {
  const ata = new Float64Array(81)
  const row = new Float64Array(9)
  const add = (w: number): void => {
    for (let i = 0; i < 9; i++)
      for (let j = 0; j < 9; j++)
        ata[i * 9 + j] = (ata[i * 9 + j] as number) + w * (row[i] as number) * (row[j] as number)
  }
  for (let n = 0; n < pairs.length / 4; n++) {
    const [x, y, u, v] = Array.from(pairs.subarray(n * 4, n * 4 + 4), (p) => p / scale) as [
      number,
      number,
      number,
      number,
    ]
    row.set([x, y, 1, 0, 0, 0, -u * x, -u * y, -u])
    add(weights[n] as number)
    row.set([0, 0, 0, x, y, 1, -v * x, -v * y, -v])
    add(weights[n] as number)
  }
  return symmetricEigen(ata, 9).vectors.slice(0, 9)
}

/** How far from a single homography the motion of the tracks that two frames share is, px: the median of what is left after a robust fit. A plane or a pure turn leaves only noise. */
export function parallaxBetween(shared: readonly Track[], a: number, b: number, width: number, height: number): number {
  if (shared.length < 8) return 0
  const pairs = Float64Array.from(
    shared.flatMap((track) => {
      const [p, q] = [placeAt(track, a), placeAt(track, b)]
      return p && q ? [p[0] - width / 2, p[1] - height / 2, q[0] - width / 2, q[1] - height / 2] : []
    }),
  )
  const weights = new Float64Array(shared.length).fill(1)
  const scale = width / 2
  let rest: number[] = []
  for (let round = 0; round < 6; round++) {
    const h = homographyOf(pairs, weights, scale)
    rest = Array.from(weights, (_, n) => {
      const [x, y, u, v] = Array.from(pairs.subarray(n * 4, n * 4 + 4), (p) => p / scale) as [
        number,
        number,
        number,
        number,
      ]
      const w = (h[6] as number) * x + (h[7] as number) * y + (h[8] as number)
      const dx = ((h[0] as number) * x + (h[1] as number) * y + (h[2] as number)) / w - u
      const dy = ((h[3] as number) * x + (h[4] as number) * y + (h[5] as number)) / w - v
      return scale * Math.sqrt(dx * dx + dy * dy)
    })
    for (const [n, r] of rest.entries()) weights[n] = 1 / (1 + r * r)
  }
  return median(rest)
}
