import { describe, expect, it } from 'vitest'
import { lensOf, syntheticTracks, yardPoints } from '../../testing/tracks.ts'
import type { Camera } from '../data/index.ts'
import { acos, degrees, panTiltRoll, rotate, sin, type Vec3 } from '../math/index.ts'
import { cameraAt } from './align.ts'
import { solveRotation } from './rotationSolve.ts'

const FRAMES = 30
const lens = lensOf(1097, -0.052, 0.009)
/** Turns by 24 degrees about one place. */
const panning = (frame: number): Camera => ({
  ...lens,
  position: [0, 1.6, 9],
  rotation: panTiltRoll(
    -0.21 + (0.42 * frame) / (FRAMES - 1),
    0.03 + 0.004 * sin(0.4 * frame),
    0.003 * sin(0.7 * frame),
  ),
})
const plate = { frames: FRAMES, camera: panning, points: yardPoints(420, 8) }
const input = { frames: FRAMES, width: 1280, height: 720, seed: 1 }

/** Largest angle between found and exact turns from the first frame on, degrees. */
function turnsOff(found: (frame: number) => Camera): number {
  const ways: Vec3[] = [
    [0, 0, -1],
    [0.3, 0, -0.95],
  ]
  let most = 0
  for (let n = 1; n < FRAMES; n++)
    for (const way of ways) {
      const seen = (c: (frame: number) => Camera): Vec3 => {
        const q = c(0).rotation
        return rotate([-q[0], -q[1], -q[2], q[3]], rotate(c(n).rotation, way))
      }
      const [a, b] = [seen(found), seen(panning)]
      most = Math.max(
        most,
        degrees(
          acos(
            Math.min(
              1,
              (a[0] * b[0] + a[1] * b[1] + a[2] * b[2]) /
                Math.sqrt((a[0] ** 2 + a[1] ** 2 + a[2] ** 2) * (b[0] ** 2 + b[1] ** 2 + b[2] ** 2)),
            ),
          ),
        ),
      )
    }
  return most
}

describe('a camera that turns', () => {
  const tracks = syntheticTracks(plate, { noise: 0.06, wrong: 0.06, longest: FRAMES }, 3)
  it('is found to 0.03 degrees where the focal length is known', async () => {
    const s = await solveRotation({ ...input, tracks, known: { focalPx: 1097 } })
    expect(turnsOff((n) => cameraAt(s, n))).toBeLessThan(0.03)
    expect(s.lens[0]).toBe(1097)
  }, 60_000)
  it('is found to 0.1 degrees where nothing is', async () => {
    const s = await solveRotation({ ...input, tracks, known: {} })
    expect(turnsOff((n) => cameraAt(s, n))).toBeLessThan(0.1)
    expect(Math.abs((s.lens[0] as number) / 1097 - 1)).toBeLessThan(0.01)
    for (let n = 0; n < FRAMES; n++) for (const x of cameraAt(s, n).position) expect(Math.abs(x)).toBe(0)
  }, 60_000)
  it('is refused where two frames share nothing', async () => {
    await expect(
      solveRotation({ ...input, tracks: tracks.filter((track) => track.first > 4), known: {} }),
    ).rejects.toThrow(/share fewer/)
  })
})
