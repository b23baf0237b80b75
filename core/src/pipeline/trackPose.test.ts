import { describe, expect, it } from 'vitest'
import { type Camera, projectPoint } from '../data/index.ts'
import { aboutAxis, add, conjugate, multiply, type Quaternion, rotate, subtract, type Vec3 } from '../math/index.ts'
import { itemAt, makeItem, makeShot } from '../shot/index.ts'
import { type TrackedWorld, trackPose } from './trackPose.ts'

// A flat patch that moves and turns by itself, seen by a camera that moves: what rides on its track goes with it.

const camera = (frame: number): Camera => ({
  position: [0.1 * frame, 1.5, 4],
  rotation: aboutAxis([0, 1, 0], 0.01 * frame),
  focalPx: 1000,
  centre: [640, 360],
  k1: 0.02,
  k2: 0,
  width: 1280,
  height: 720,
})
/** The patch's pose: at frame 1 it faces the camera, 5 m away. */
const patch = (frame: number): { position: Vec3; rotation: Quaternion } => {
  const first = camera(1)
  const start = add(first.position, rotate(first.rotation, [0, 0, -5]))
  const n = frame - 1
  return {
    position: add(start, [0.06 * n, 0.02 * n, -0.05 * n]),
    rotation: multiply(multiply(aboutAxis([0, 1, 0], 0.04 * n), aboutAxis([0, 0, 1], 0.02 * n)), first.rotation),
  }
}
const HALF = 0.5
const corners = (frame: number): [number, number][] => {
  const { position, rotation } = patch(frame)
  return [
    [-HALF, HALF],
    [HALF, HALF],
    [HALF, -HALF],
    [-HALF, -HALF],
  ].map(([x = 0, y = 0]) => {
    const seen = projectPoint(camera(frame), add(position, rotate(rotation, [x, y, 0])))
    if (!seen) throw new TypeError('it is seen')
    return [seen.x, seen.y]
  })
}
const world: TrackedWorld = { corners: (frame) => (frame < 1 || frame > 30 ? undefined : corners(frame)), camera }
const place = patch(1).position
const near = (a: readonly number[], b: readonly number[], by: number): void =>
  a.forEach((value, n) => expect(Math.abs(value - (b[n] ?? 9))).toBeLessThan(by))

describe('what rides on a flat track', () => {
  it('goes and turns with it in perspective, also between frames', () => {
    for (const frame of [1, 8, 15, 22.5, 30]) {
      const pose = trackPose(world, { from: 1, way: 'perspective' }, frame, place)
      const truth = patch(frame)
      const turned = multiply(truth.rotation, conjugate(patch(1).rotation))
      if (!pose) throw new TypeError('it is known')
      near(pose.position, truth.position, 0.02)
      near(rotate(pose.rotation, [0, 0, 1]), rotate(turned, [0, 0, 1]), 0.03)
      near(rotate(pose.rotation, [1, 0, 0]), rotate(turned, [1, 0, 0]), 0.03)
    }
  })
  it('is as near as its size says where it turns, and as far as it was in place alone', () => {
    const alike = trackPose(world, { from: 1, way: 'turn' }, 6, place)
    near(alike?.position ?? [], patch(6).position, 0.12)
    const alone = trackPose(world, { from: 1, way: 'place' }, 12, place)
    expect(alone?.rotation).toEqual([0, 0, 0, 1])
    const { position, rotation } = camera(12)
    const seen = alone && rotate(conjugate(rotation), subtract(alone.position, position))
    expect(seen?.[2]).toBeCloseTo(-5, 6)
    const [a, b] = [alone && projectPoint(camera(12), alone.position), corners(12)]
    expect(Math.abs((a?.x ?? 0) - b.reduce((sum, [x]) => sum + x, 0) / 4)).toBeLessThan(0.2)
  })
  it('takes its trembling alone where that is wanted: a smooth way leaves it where it is', () => {
    const smooth: TrackedWorld = {
      camera: () => camera(1),
      corners: (frame) => corners(1).map(([x, y]) => [x + 2 * frame, y]),
    }
    const ride = { from: 1, way: 'place', takes: 'jitter' } as const
    near(trackPose(smooth, ride, 20, place)?.position ?? [], place, 1e-6)
    const shaken: TrackedWorld = {
      camera: () => camera(1),
      corners: (frame) => corners(1).map(([x, y]) => [x + (frame === 20 ? 8 : 0), y]),
    }
    // 8 px less their own part of the mean, at 5 m.
    const at = trackPose(shaken, ride, 20, place)?.position ?? [0, 0, 0]
    expect(at[0] - place[0]).toBeCloseTo(((8 * 24) / 25 / 1000) * 5, 2)
  })
  it('is not held where the track is not followed, or no camera is there', () => {
    expect(trackPose(world, { from: 1 }, 40, place)).toBeUndefined()
    expect(trackPose({ ...world, camera: () => undefined }, { from: 1 }, 8, place)).toBeUndefined()
    // Behind the camera.
    expect(trackPose(world, { from: 1 }, 8, [0, 1.5, 60])).toBeUndefined()
  })
})

describe('an item on a track', () => {
  const plate = { asset: 'a', file: 'f', width: 1280, height: 720, first: 1, last: 30, rate: [24, 1], encoding: 'srgb' }
  const shot = makeShot('Yard', plate as Parameters<typeof makeShot>[1])
  it('is taken where it stands, keeps its way off, and goes its own way afterwards', () => {
    const stands = add(place, [0.3, 0, 0])
    const lamp = makeItem('lamp', {
      name: 'Lamp',
      order: 1,
      position: stands,
      rides: [{ on: 'track.sign', from: 1, to: 20, ends: 'own' }],
    })
    const asked: string[] = []
    const inputs = {
      trackPose: (id: string, ride: { from: number }, frame: number, at: Vec3) => {
        asked.push(id)
        return trackPose(world, ride, frame, at)
      },
    }
    const at = (frame: number): Vec3 => (itemAt(shot, lamp, frame, inputs) as typeof lamp).position
    near(at(1), stands, 1e-6)
    expect(asked).toContain('sign')
    const moved = subtract(at(15), stands)
    // About as the patch does: it is a little beside its middle, so it turns about it.
    near(moved, subtract(patch(15).position, patch(1).position), 0.25)
    near(at(28), at(20), 1e-6)
    expect(at(0)).toEqual(stands)
  })
})
