import type { Camera } from '@lantern/core/data'
import { projectPoint } from '@lantern/core/data'
import { panTiltRoll } from '@lantern/core/math'
import { makeItem } from '@lantern/core/shot'
import { describe, expect, it } from 'vitest'
import { viewOf } from '../items/index.ts'
import { cameraGlyph, circlePoints, cornersOf, gridPath, segmentPath } from './lines.ts'

const camera: Camera = {
  position: [0, 1.6, 0],
  rotation: panTiltRoll(0, -0.1, 0),
  focalPx: 1000,
  centre: [640, 360],
  k1: -0.1,
  k2: 0,
  width: 1280,
  height: 720,
}
const points = (path: string): [number, number][] =>
  [...path.matchAll(/[ML](-?[\d.]+) (-?[\d.]+)/g)].map((match) => [Number(match[1]), Number(match[2])])

describe('lines over the plate', () => {
  it('end where their points are seen, bent by the lens between', () => {
    const [a, b] = [
      [-2, 0, -5],
      [2, 0, -5],
    ] as const
    const drawn = points(segmentPath(camera, a, b))
    for (const [world, seen] of [
      [a, drawn[0]],
      [b, drawn[drawn.length - 1]],
    ] as const) {
      const truth = projectPoint(camera, world)
      expect(seen?.[0]).toBeCloseTo(truth?.x ?? 0, 0)
      expect(seen?.[1]).toBeCloseTo(truth?.y ?? 0, 0)
    }
    const middle = drawn[Math.floor(drawn.length / 2)]
    // Barrel: the middle of a line below the centre lies lower than its ends.
    expect(middle?.[1]).toBeGreaterThan(drawn[0]?.[1] ?? 0)
  })
  it('break off behind the camera, and begin again before it', () => {
    expect(segmentPath(camera, [0, 0, 1], [0, 0, 5])).toBe('')
    const drawn = points(segmentPath(camera, [0, 0, 5], [0, 0, -20], 50))
    expect(drawn.length).toBeGreaterThan(10)
    expect(drawn.every(([x, y]) => Math.abs(x) < 1280 * 8 && Math.abs(y) < 720 * 8)).toBe(true)
  })
  it('make a grid below the horizon only', () => {
    const horizon = projectPoint(camera, [0, 1.6, -1e6])?.y ?? 0
    const inFrame = points(gridPath(camera, 0)).filter(([x]) => x > 300 && x < 980)
    expect(inFrame.length).toBeGreaterThan(100)
    expect(Math.min(...inFrame.map(([, y]) => y))).toBeGreaterThan(horizon - 1)
  })
})

describe('what an item looks like', () => {
  it('is four corners for a ground, eight for a box, turned about its place', () => {
    expect(cornersOf(makeItem('ground', { name: 'G', order: 1, size: 10 }))).toHaveLength(4)
    const corners = cornersOf(
      makeItem('box', { name: 'B', order: 1, position: [1, 0, -5], width: 4, depth: 2, height: 3, turn: 90 }),
    )
    expect(corners).toHaveLength(8)
    expect(Math.max(...corners.map(([x]) => x))).toBeCloseTo(2, 6)
    expect(Math.max(...corners.map(([, y]) => y))).toBeCloseTo(3, 6)
    expect(Math.min(...corners.map(([, , z]) => z))).toBeCloseTo(-7, 6)
  })
  it('is a ring on the ground for a fire, all of it at its radius', () => {
    const ring = circlePoints([1, 0, -4], 0.6)
    for (const [x, , z] of ring) expect(Math.hypot(x - 1, z + 4)).toBeCloseTo(0.6, 9)
    const fire = makeItem('gas', { name: 'F', order: 1, position: [0, 0, -4] })
    expect(viewOf(fire).outline(camera, fire)).toMatch(/^M/)
  })
  it('is a pyramid for a camera seen from outside', () => {
    const view: Camera = { ...camera, position: [4, 3, 6], rotation: panTiltRoll(0.5, -0.3, 0) }
    expect(points(cameraGlyph(view, camera)).length).toBeGreaterThanOrEqual(16)
  })
})
