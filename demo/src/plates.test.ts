import { projectPoint } from '@lantern/core/data'
import type { Vec3 } from '@lantern/core/math'
import { describe, expect, it } from 'vitest'
import { cameraOf } from './making.ts'
import { focalPx, hand, momentOf, PLATES, type PlateSpec, project, straightened, VARIANTS } from './plates.ts'
import { DRAIN, lie } from './scene/ground.ts'
import { KILN } from './scene/places.ts'
import { foot, type Walk, worker } from './worker.ts'

/** Cameras that no hand or wind moves. */
const WITHOUT_CHANCE = new Set(['yard-bolted', 'yard-nudged', 'yard-cobbles'])

const specOf = (name: string): PlateSpec => {
  const spec = [...PLATES, ...VARIANTS].find((one) => one.name === name)
  if (!spec) throw new Error(`there is no plate ${name}`)
  return spec
}
const dot = (a: readonly number[], b: readonly number[]): number => a.reduce((sum, x, n) => sum + x * (b[n] ?? 0), 0)

describe.each([...PLATES, ...VARIANTS].map((spec) => [spec.name, spec] as const))('%s', (_, spec) => {
  it('has a camera with square axes, whose picture of a point is the one that the exported turn gives', () => {
    for (let n = 0; n < spec.frames; n += 7) {
      const moment = momentOf(spec, n / spec.rate)
      for (const [a, b, want] of [
        [moment.right, moment.up, 0],
        [moment.right, moment.back, 0],
        [moment.up, moment.back, 0],
        [moment.right, moment.right, 1],
        [moment.up, moment.up, 1],
      ] as const)
        expect(dot(a, b)).toBeCloseTo(want, 12)
      const camera = cameraOf(spec, spec.seed, spec.first + n)
      for (const point of [
        [0, 0, 3],
        [2, 3, 0],
        [-3, 1, 1],
        [4, 0.2, 5],
      ] as Vec3[]) {
        const [mine, theirs] = [project(spec, moment, point), projectPoint(camera, point)]
        expect(mine !== undefined).toBe(theirs !== undefined)
        if (!mine || !theirs) continue
        expect(mine.x).toBeCloseTo(theirs.x, 6)
        expect(mine.y).toBeCloseTo(theirs.y, 6)
        const [sx, sy] = straightened(spec, mine.x, mine.y)
        expect(sx).toBeCloseTo(
          dot(
            moment.right,
            point.map((p, c) => p - (moment.position[c] ?? 0)),
          ) / mine.depth,
          6,
        )
        expect(sy).toBeCloseTo(
          -dot(
            moment.up,
            point.map((p, c) => p - (moment.position[c] ?? 0)),
          ) / mine.depth,
          6,
        )
      }
    }
  })
  it('stays in the open air before the kiln, and another seed moves it another way', () => {
    for (let n = 0; n < spec.frames; n++) {
      const { position } = momentOf(spec, n / spec.rate)
      expect(position[1]).toBeGreaterThan(1.3)
      expect(position[2]).toBeGreaterThan(5)
    }
    if (spec.frames > 1 && !WITHOUT_CHANCE.has(spec.name))
      expect(momentOf(spec, 0.7, 101)).not.toEqual(momentOf(spec, 0.7, 102))
  })
})

const stepsOf = (spec: PlateSpec, point: Vec3): number[] =>
  Array.from({ length: spec.frames - 1 }, (_, n) => {
    const [a, b] = [
      project(spec, momentOf(spec, n / spec.rate), point),
      project(spec, momentOf(spec, (n + 1) / spec.rate), point),
    ]
    return Math.hypot((a?.x ?? 0) - (b?.x ?? 0), (a?.y ?? 0) - (b?.y ?? 0))
  })
const mean = (values: readonly number[]): number => values.reduce((sum, x) => sum + x, 0) / values.length

it('walks with parallax, turns without any, trembles by parts of a pixel, and blurs by about 3 px where that is asked', () => {
  const [near, far]: [Vec3, Vec3] = [
    [0.1, 0.4, 4],
    [2.5, 3, 0],
  ]
  const moved = (name: string, point: Vec3, frames: number): [number, number] => {
    const spec = specOf(name)
    const [a, b] = [project(spec, momentOf(spec, 0), point), project(spec, momentOf(spec, frames / spec.rate), point)]
    return [(a?.x ?? 0) - (b?.x ?? 0), (a?.y ?? 0) - (b?.y ?? 0)]
  }
  const walked = [moved('yard-walk', near, 110), moved('yard-walk', far, 110)] as const
  expect(Math.hypot(walked[0][0] - walked[1][0], walked[0][1] - walked[1][1])).toBeGreaterThan(40)
  const pan = specOf('yard-pan')
  for (let n = 0; n < pan.frames; n++) expect(momentOf(pan, n / pan.rate).position).toEqual(momentOf(pan, 0).position)
  const trembles = stepsOf(specOf('yard-locked'), far)
  expect(Math.max(...trembles)).toBeLessThan(1)
  expect(mean(trembles)).toBeGreaterThan(0.02)
  const blurred = specOf('yard-walk-blurred')
  expect(mean(stepsOf(blurred, far)) * blurred.shutter).toBeGreaterThan(2)
  expect(mean(stepsOf(blurred, far)) * blurred.shutter).toBeLessThan(4.5)
  expect(focalPx(specOf('yard-walk-wide'))).toBeLessThan(0.75 * focalPx(specOf('yard-walk')))
})

it('holds the camera as a hand does: strong slow moves, weak quick ones', () => {
  const power = (seed: number, from: number, to: number): number => {
    let sum = 0
    for (let f = from; f < to; f += 0.1) {
      let [c, s] = [0, 0]
      for (let n = 0; n < 480; n++) {
        const window = 0.5 - 0.5 * Math.cos((2 * Math.PI * n) / 480)
        c += window * hand(seed, n / 24, 0.2) * Math.cos((2 * Math.PI * f * n) / 24)
        s += window * hand(seed, n / 24, 0.2) * Math.sin((2 * Math.PI * f * n) / 24)
      }
      sum += c * c + s * s
    }
    return sum
  }
  for (const seed of [3, 8]) {
    const [slow, middle, quick] = [power(seed, 0.1, 0.6), power(seed, 0.6, 2), power(seed, 2, 6)]
    expect(slow).toBeGreaterThan(3 * middle)
    expect(middle).toBeGreaterThan(3 * quick)
    expect(quick).toBeGreaterThan(1e-4 * slow)
  }
})

describe('the worker', () => {
  const walk: Walk = { from: [4.75, 2.05], speed: 1.16 }
  it('plants each foot: while it bears, the ball neither slides nor sinks', () => {
    for (const offset of [0, 0.5]) {
      let planted: number | undefined
      let seen = 0
      for (let n = 0; n < 600; n++) {
        const { ankle, pitch, ball, bears } = foot(walk, n / 120, offset)
        expect(Number.isFinite(ankle[0] + pitch)).toBe(true)
        expect(ball[1]).toBeGreaterThan(-0.02)
        if (!bears) {
          planted = undefined
          continue
        }
        expect(Math.abs(ball[1])).toBeLessThan(0.001)
        if (planted !== undefined) expect(Math.abs(ball[0] - planted)).toBeLessThan(0.0005)
        planted = ball[0]
        seen++
      }
      expect(seen).toBeGreaterThan(200)
    }
  })
  it('moves without jumps and keeps his joints together', () => {
    let before = worker(walk, 0)
    for (let n = 1; n < 50; n++) {
      const now = worker(walk, n / 24)
      expect(now.mesh.triangles.length).toBe(before.mesh.triangles.length)
      let most = 0
      for (let v = 0; v < now.mesh.vertices.length; v += 12)
        most = Math.max(
          most,
          Math.hypot(
            (now.mesh.vertices[v] ?? 0) - (before.mesh.vertices[v] ?? 0),
            (now.mesh.vertices[v + 1] ?? 0) - (before.mesh.vertices[v + 1] ?? 0),
          ),
        )
      // A swinging foot is the quickest part: under 5 m/s.
      expect(most).toBeLessThan(0.22)
      before = now
    }
  })
  it('goes behind the crates as the walking camera sees him', () => {
    const spec = specOf('yard-walk')
    let behind = 0
    for (let n = 0; n < spec.frames; n++) {
      const t = n / spec.rate
      const moment = momentOf(spec, t)
      const body = project(spec, moment, [walk.from[0] - walk.speed * t, 0.6, walk.from[1]])
      const [left, right] = [project(spec, moment, [-0.3, 0.6, 3.7]), project(spec, moment, [0.5, 0.6, 3.7])]
      if (body && left && right && body.x > left.x && body.x < right.x) behind++
    }
    expect(behind).toBeGreaterThan(5)
    expect(behind).toBeLessThan(60)
  })
})

it('has hollows and ruts in the ground, all within a few centimetres', () => {
  let [low, high] = [1, -1]
  for (let n = 0; n < 4000; n++) {
    const [x, z] = [KILN.from + (n % 80) * 0.15, 0.3 + Math.floor(n / 80) * 0.13]
    if (Math.hypot(x - DRAIN[0], z - DRAIN[1]) < 0.5) continue
    const h = lie(x, z)
    low = Math.min(low, h)
    high = Math.max(high, h)
  }
  expect(high - low).toBeGreaterThan(0.03)
  expect(high - low).toBeLessThan(0.15)
})
