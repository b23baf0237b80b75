import { describe, expect, it } from 'vitest'
import { lensOf } from '../../testing/tracks.ts'
import { hash01, random } from '../base/index.ts'
import { type Camera, projectPoint, type Track } from '../data/index.ts'
import {
  aboutAxis,
  length,
  multiply,
  panTiltRoll,
  type Quaternion,
  rotate,
  subtract,
  type Vec3,
} from '../math/index.ts'
import { objectMotion, solveObject } from './movingObject.ts'

// A barrow-sized box that is wheeled past and turned while the camera walks too.
const FRAMES = 40
const lens = { focalPx: 1097, k1: -0.052, k2: 0.009 }
const camera = (n: number): Camera => ({
  ...lensOf(1097, -0.052, 0.009),
  position: [0.02 * n, 1.6, 6 - 0.01 * n],
  rotation: panTiltRoll(0.004 * n, -0.12, 0),
})
const pose = (n: number): { rotation: Quaternion; place: Vec3 } => ({
  rotation: multiply(aboutAxis([0, 1, 0], 0.025 * n), aboutAxis([1, 0, 0], 0.006 * n)),
  place: [-0.8 + 0.04 * n, 0.5, 0.5 - 0.01 * n],
})
const corner = (k: number): Vec3 => {
  const side = Math.floor(hash01(7, k, 0) * 3)
  const p: [number, number, number] = [
    1.2 * (hash01(7, k, 1) - 0.5),
    0.8 * (hash01(7, k, 2) - 0.5),
    0.7 * (hash01(7, k, 3) - 0.5),
  ]
  p[side] = [0.6, 0.4, 0.35][side] as number
  return p
}
const at = (n: number, p: Vec3): Vec3 => {
  const { rotation, place } = pose(n)
  const q = rotate(rotation, p)
  return [q[0] + place[0], q[1] + place[1], q[2] + place[2]]
}
const COUNT = 60
const stream = random(3)
const noise = (): number => 0.08 * (stream.next() + stream.next() + stream.next() + stream.next() - 2) * 1.732
const tracks: Track[] = Array.from({ length: COUNT }, (_, id) => ({
  id,
  first: 0,
  weight: 1,
  places: Float64Array.from(
    Array.from({ length: FRAMES }, (_n, n) => {
      const p = projectPoint(camera(n), at(n, corner(id)))
      return [(p?.x ?? 0) + noise(), (p?.y ?? 0) + noise()]
    }).flat(),
  ),
}))
const cameras = Array.from({ length: FRAMES }, (_, n) => camera(n))
const base = { tracks, frames: FRAMES, first: 1001, width: 1280, height: 720, lens, seed: 1 }

describe('a thing that moves by itself', () => {
  it('is told from its rough geometry at one frame, mended on the way', async () => {
    const home = 12
    // The geometry is rough: each point a centimetre or two off.
    const rough = (k: number): Vec3 => {
      const p = at(home, corner(k))
      return [
        p[0] + 0.03 * (hash01(9, k, 1) - 0.5),
        p[1] + 0.03 * (hash01(9, k, 2) - 0.5),
        p[2] + 0.03 * (hash01(9, k, 3) - 0.5),
      ]
    }
    const solve = await solveObject({
      ...base,
      geometry: {
        frame: home,
        camera: camera(home),
        points: new Map(tracks.slice(0, 40).map(({ id }) => [id, rough(id)])),
      },
    })
    expect(solve.cameras.every((one) => one !== null)).toBe(true)
    expect(solve.medianPx).toBeLessThan(0.25)
    for (const n of [0, 20, FRAMES - 1]) {
      const motion = objectMotion(solve, 1, cameras, n)
      for (const k of [0, 10, 30]) {
        const p = rotate(motion?.rotation ?? [0, 0, 0, 1], at(home, corner(k)))
        const moved: Vec3 = [
          p[0] + (motion?.shift[0] ?? 0),
          p[1] + (motion?.shift[1] ?? 0),
          p[2] + (motion?.shift[2] ?? 0),
        ]
        expect(length(subtract(moved, at(n, corner(k))))).toBeLessThan(0.03)
      }
    }
  }, 30_000)
  it('is told without geometry where it turns enough, but for its size', async () => {
    const solve = await solveObject(base)
    expect(solve.medianPx).toBeLessThan(0.25)
    // Its turn since the first frame, against the camera's own.
    const motion = (n: number): Quaternion => objectMotion(solve, 1, cameras, n)?.rotation ?? [0, 0, 0, 1]
    const [q0, q] = [motion(0), motion(FRAMES - 1)]
    const turned = multiply(q, [-q0[0], -q0[1], -q0[2], q0[3]])
    const [r0, r] = [pose(0).rotation, pose(FRAMES - 1).rotation]
    const wanted = multiply(r, [-r0[0], -r0[1], -r0[2], r0[3]])
    expect(Math.abs(turned.reduce((sum, v, k) => sum + v * (wanted[k] ?? 0), 0))).toBeGreaterThan(
      Math.cos((0.5 * Math.PI) / 360),
    )
  }, 60_000)
  it('is refused with too few tracks, or too few of them on its geometry', async () => {
    await expect(solveObject({ ...base, tracks: tracks.slice(0, 4) })).rejects.toMatchObject({ code: 'object' })
    await expect(
      solveObject({ ...base, geometry: { frame: 0, camera: camera(0), points: new Map([[0, [0, 0, 0]]]) } }),
    ).rejects.toThrow(/Only 1 of its tracks lie on its geometry/)
  })
})
