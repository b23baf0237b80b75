import { describe, expect, it } from 'vitest'
import { LanternError } from '../base/index.ts'
import { type Camera, projectPoint } from '../data/index.ts'
import { acos, degrees, length, rotate, subtract, type Vec3 } from '../math/index.ts'
import { lensOf, syntheticTracks, walk, yardPoints } from '../../testing/tracks.ts'
import { alignPoints, cameraAt, moveCamera, movePoint, pointAt } from './align.ts'
import { solveMoving } from './solve.ts'
import { hasPoint, residualsOf, type Structure } from './structure.ts'

const FRAMES = 40
const input = { frames: FRAMES, width: 1280, height: 720, known: {}, seed: 1 }
const plateOf = (lens: Omit<Camera, 'position' | 'rotation'>, far: number, count: number) => ({ frames: FRAMES, camera: walk(FRAMES, far, lens), points: yardPoints(count, 3) })

/** A solve against the exact camera, after the best similarity: rms of positions over the path's length, of directions in degrees, and the 95th percentile of slide in px. */
function against(s: Structure, truth: (frame: number) => Camera, points: readonly Vec3[]) {
  const found = Array.from({ length: FRAMES }, (_, n) => cameraAt(s, n))
  const exact = Array.from({ length: FRAMES }, (_, n) => truth(n))
  // The path alone is nearly straight and leaves the turn about itself open: the points help.
  const seen = points.flatMap((p, k) => (hasPoint(s, k) ? [[pointAt(s, k), p] as const] : []))
  const by = alignPoints([...found.map((c) => c.position), ...seen.map(([p]) => p)], [...exact.map((c) => c.position), ...seen.map(([, p]) => p)])
  const placed = found.map((c) => moveCamera(by, c))
  const path = exact.slice(1).reduce((sum, c, n) => sum + length(subtract(c.position, exact[n]?.position ?? c.position)), 0)
  const rms = (values: number[]): number => Math.sqrt(values.reduce((sum, v) => sum + v * v, 0) / values.length)
  const ahead: Vec3 = [0, 0, -1]
  const way = (c: Camera): Vec3 => rotate(c.rotation, ahead)
  const slides = placed.flatMap((c, n) => points.flatMap((p, k) => {
    const [a, b] = [hasPoint(s, k) ? projectPoint(c, movePoint(by, pointAt(s, k))) : undefined, projectPoint(exact[n] as Camera, p)]
    return a && b && b.x > 0 && b.x < 1280 && b.y > 0 && b.y < 720 ? [Math.sqrt((a.x - b.x) ** 2 + (a.y - b.y) ** 2)] : []
  })).sort((a, b) => a - b)
  return {
    positions: rms(placed.map((c, n) => length(subtract(c.position, exact[n]?.position ?? c.position)))) / path,
    directions: degrees(rms(placed.map((c, n) => acos(Math.min(1, way(c).reduce((sum, v, k) => sum + v * (way(exact[n] as Camera)[k] ?? 0), 0)))))),
    slide: slides[Math.floor(0.95 * slides.length)] ?? Number.NaN,
  }
}

describe('a camera that moves', () => {
  it.each([
    ['an ordinary lens', 1097, -0.052, 0.009],
    ['a wide lens that bends', 777, -0.15, 0.03],
  ] as const)('is found through %s from noisy tracks of which some drift away, nothing told', (_, focal, k1, k2) => {
    const plate = plateOf(lensOf(focal, k1, k2), 1.4, 320)
    const tracks = syntheticTracks(plate, { noise: 0.05, wrong: 0.08, longest: FRAMES }, 5)
    const s = solveMoving({ ...input, tracks })
    expect(Math.abs((s.lens[0] as number) / focal - 1)).toBeLessThan(0.01)
    expect(Math.abs((s.lens[1] as number) - k1)).toBeLessThan(0.02)
    const rests = tracks.flatMap((_track, n) => residualsOf(s, n)).sort((a, b) => a - b)
    expect(rests[rests.length >> 1]).toBeLessThan(0.1)
    expect(rests.length).toBeGreaterThan(0.7 * tracks.reduce((sum, track) => sum + track.places.length / 2, 0))
    const { positions, directions, slide } = against(s, plate.camera, tracks.map((track) => plate.points[track.id] as Vec3))
    expect(positions).toBeLessThan(0.01)
    expect(directions).toBeLessThan(0.05)
    expect(slide).toBeLessThan(0.5)
  }, 60_000)
  it('is found exactly from exact tracks, holds what is known, and comes out the same again', () => {
    const plate = plateOf(lensOf(1097, -0.052, 0.009), 1.4, 160)
    const tracks = syntheticTracks(plate, { noise: 0, wrong: 0, longest: FRAMES }, 5)
    const known = { focalPx: 1097, k1: -0.052, k2: 0.009 }
    const s = solveMoving({ ...input, tracks, known })
    expect([...s.lens]).toEqual([1097, -0.052, 0.009])
    expect(against(s, plate.camera, tracks.map((track) => plate.points[track.id] as Vec3)).slide).toBeLessThan(0.01)
    expect(solveMoving({ ...input, tracks, known }).poses).toEqual(s.poses)
  }, 60_000)
  it('is refused with what was tried where nothing hangs together', () => {
    const plate = plateOf(lensOf(1097), 1.4, 120)
    const tracks = syntheticTracks(plate, { noise: 0.1, wrong: 0, longest: 3 }, 5)
    expect(() => solveMoving({ ...input, tracks })).toThrow(LanternError)
  })
})
