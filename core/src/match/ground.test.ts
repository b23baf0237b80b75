import { describe, expect, it } from 'vitest'
import { lensOf } from '../../testing/tracks.ts'
import { hash01, LanternError } from '../base/index.ts'
import type { Camera, Similarity } from '../data/index.ts'
import { panTiltRoll, rotate, type Vec3 } from '../math/index.ts'
import { moveCamera, movePoint } from './align.ts'
import { fitGround } from './ground.ts'

// A level world, seen in the askew one of a solve.
const askew: Similarity = { scale: 0.37, rotation: panTiltRoll(0.7, 0.5, -0.4), shift: [3, -2, 5] }
const camera: Camera = { ...lensOf(1097), position: [1, 1.6, 9], rotation: panTiltRoll(0.2, -0.05, 0) }
const inSolve = (p: Vec3): Vec3 => movePoint(askew, p)
const cameras = [moveCamera(askew, camera)]
const floor = Array.from({ length: 12 }, (_, n): Vec3 => [6 * hash01(1, n, 1) - 3, 0, 6 * hash01(1, n, 2)])
const near = (a: Vec3, b: Vec3, digits = 6): void => {
  for (let c = 0; c < 3; c++) expect(a[c]).toBeCloseTo(b[c] ?? 0, digits)
}

describe('the ground', () => {
  it('gives the level world back from points, an axis, an origin and a distance', () => {
    const { by, rms, left } = fitGround(
      {
        ground: floor.map(inSolve),
        axis: [inSolve([0, 0, 1]), inSolve([2, 0.4, 1])],
        origin: inSolve([0, 0.7, 0]),
        distance: { from: inSolve([0, 0, 0]), to: inSolve([0, 2.1, 0]), metres: 2.1 },
      },
      cameras,
    )
    for (const p of [...floor, [1, 2, -3] as Vec3]) near(movePoint(by, inSolve(p)), p)
    near(moveCamera(by, cameras[0] as Camera).position, camera.position)
    near(rotate(moveCamera(by, cameras[0] as Camera).rotation, [0, 0, -1]), rotate(camera.rotation, [0, 0, -1]))
    expect(rms).toBeLessThan(1e-9)
    expect(left).toBe(0)
  })
  it('takes the camera’s height for the size, stands the origin under it and lets it look along -Z, where nothing else is said', () => {
    const { by } = fitGround({ ground: floor.slice(0, 3).map(inSolve), cameraHeight: 1.6 }, cameras)
    const placed = moveCamera(by, cameras[0] as Camera)
    near(placed.position, [0, 1.6, 0])
    const ahead = rotate(placed.rotation, [0, 0, -1])
    expect(ahead[0]).toBeCloseTo(0, 6)
    expect(ahead[2]).toBeLessThan(-0.9)
  })
  it('leaves wrong points out where there are many', () => {
    const points = floor.map(
      (p, n): Vec3 =>
        n === 4 ? [p[0], 0.8, p[2]] : n === 9 ? [p[0], -0.5, p[2]] : [p[0], 0.004 * (hash01(2, n) - 0.5), p[2]],
    )
    const { by, rms, left } = fitGround({ ground: points.map(inSolve), cameraHeight: 1.6 }, cameras)
    expect(left).toBe(2)
    expect(rms).toBeLessThan(0.003)
    for (const p of floor) expect(Math.abs(movePoint(by, inSolve(p))[1])).toBeLessThan(0.006)
  })
  it('refuses too few points, points on a line, an upright axis and a distance of nothing, naming the field', () => {
    const three = floor.slice(0, 3).map(inSolve)
    const refused = (settings: Parameters<typeof fitGround>[0], field: string): void => {
      try {
        fitGround(settings, cameras)
        expect.unreachable()
      } catch (error) {
        expect(error).toBeInstanceOf(LanternError)
        expect((error as LanternError).place.field).toBe(field)
      }
    }
    refused({ ground: three.slice(0, 2) }, 'ground')
    refused(
      {
        ground: (
          [
            [0, 0, 0],
            [1, 0, 1],
            [2, 0, 2],
          ] as Vec3[]
        ).map(inSolve),
      },
      'ground',
    )
    refused({ ground: three, axis: [inSolve([0, 0, 0]), inSolve([0, 1, 0])] }, 'axis')
    refused({ ground: three, distance: { from: inSolve([1, 0, 1]), to: inSolve([1, 0, 1]), metres: 2 } }, 'distance')
    refused({ ground: three, cameraHeight: 0 }, 'cameraHeight')
  })
})
