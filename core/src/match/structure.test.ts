import { describe, expect, it } from 'vitest'
import { lensOf, syntheticTracks, yardPoints } from '../../testing/tracks.ts'
import type { Vec3 } from '../math/index.ts'
import {
  dropWorst,
  eyeOf,
  hasPoint,
  newStructure,
  residualAt,
  residualsOf,
  type Structure,
  setPose,
  triangulate,
} from './structure.ts'

const FRAMES = 20
/** Straight ahead, so that a pose is plain: x right, y down, z into the picture; the camera goes to the right by `step` m a frame. */
const along = (step: number) => (frame: number) => ({
  ...lensOf(1100),
  position: [step * frame, 1.5, 10] as Vec3,
  rotation: [0, 0, 0, 1] as [number, number, number, number],
})
const points = yardPoints(60, 7)
function made(step: number, noise = 0, wrong = 0): { structure: Structure; truth: readonly Vec3[] } {
  const camera = along(step)
  const tracks = syntheticTracks({ frames: FRAMES, camera, points }, { noise, wrong, longest: FRAMES }, 5)
  const structure = newStructure(tracks, FRAMES, 1280, 720, [1100, 0, 0])
  for (let n = 0; n < FRAMES; n++) {
    const [x, y, z] = camera(n).position
    setPose(structure, n, [1, 0, 0, 0, -1, 0, 0, 0, -1], [-x, y, z])
  }
  return { structure, truth: tracks.map(({ id }) => points[id] as Vec3) }
}
const wanted = { frames: () => true, leastAngle: Math.cos(0.01), limit: 1 }

describe('a structure', () => {
  it('has its cameras where their poses say', () => {
    const { structure } = made(0.1)
    eyeOf(structure.poses, 7).forEach((v, c) => expect(v).toBeCloseTo([0.7, 1.5, 10][c] ?? 0, 12))
  })
  it('puts a point where its rays meet, and it lands where it was seen', () => {
    const { structure, truth } = made(0.1)
    expect(structure.tracks.length).toBeGreaterThan(30)
    for (const [n, track] of structure.tracks.entries()) {
      expect(residualAt(structure, n, track.first)).toBeUndefined()
      expect(triangulate(structure, n, wanted), `track ${n}`).toBe(true)
      for (let c = 0; c < 3; c++) expect(structure.points[n * 3 + c]).toBeCloseTo(truth[n]?.[c] ?? 9, 5)
      expect(Math.max(...residualsOf(structure, n))).toBeLessThan(1e-5)
    }
  })
  it('leaves a track without a point where its rays are nearly parallel, are too few or do not agree', () => {
    const still = made(0.0005).structure
    expect(triangulate(still, 0, wanted)).toBe(false)
    const { structure } = made(0.1)
    const first = structure.tracks[0]?.first ?? 0
    expect(triangulate(structure, 0, { ...wanted, frames: (frame) => frame === first })).toBe(false)
    const places = structure.tracks[1]?.places as Float64Array
    places[0] = (places[0] as number) + 40
    expect(triangulate(structure, 1, wanted)).toBe(false)
    expect([0, 1].some((n) => hasPoint(structure, n))).toBe(false)
  })
  it('drops the tracks that drift and keeps the others', () => {
    const { structure, truth } = made(0.1, 0.05, 0.2)
    for (const n of structure.tracks.keys()) triangulate(structure, n, { ...wanted, limit: 1000 })
    const lies = structure.tracks.map((_, n) =>
      Math.hypot(...[0, 1, 2].map((c) => (structure.points[n * 3 + c] ?? 0) - (truth[n]?.[c] ?? 0))),
    )
    const dropped = dropWorst(structure, 4, 3)
    expect(dropped).toBeGreaterThan(2)
    expect(structure.dropped.reduce((sum, one) => sum + one, 0)).toBe(dropped)
    for (const n of structure.tracks.keys())
      if (!structure.dropped[n]) expect(Math.max(...residualsOf(structure, n))).toBeLessThan(3)
    // Those that were far off are among what went, and no point is left of them.
    for (const [n, lie] of lies.entries()) if (lie > 1) expect(hasPoint(structure, n), `track ${n}`).toBe(false)
  })
})
