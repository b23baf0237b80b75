import { describe, expect, it } from 'vitest'
import { lensOf, syntheticTracks, walk, yardPoints } from '../../testing/tracks.ts'
import { recipeKey } from '../base/index.ts'
import { projectPoint, type Similarity, type Solve, solveCameraAt } from '../data/index.ts'
import { moveCamera, movePoint, movePointBack, placePoint } from '../match/index.ts'
import { insidePolygon, length, panTiltRoll, subtract, type Vec3 } from '../math/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../shot/index.ts'
import {
  exclusionMaskAt,
  followSettings,
  groundOf,
  knownLens,
  slideOf,
  solvedPath,
  solvedPlace,
  solveRecipe,
  tracksRecipe,
} from './match.ts'

const FRAMES = 24
const plate = { frames: FRAMES, camera: walk(FRAMES, 1.5, lensOf(1097, -0.05, 0.01)), points: yardPoints(400, 3) }
const tracks = syntheticTracks(plate, { noise: 0, wrong: 0, longest: FRAMES }, 5)
/** The true world seen askew, as a solve gives it: no level, no size. */
const askew: Similarity = { scale: 0.31, rotation: panTiltRoll(0.5, -0.3, 0.2), shift: [2, -1, 4] }
const truth = Array.from({ length: FRAMES }, (_, n) => plate.camera(n))
const solve: Solve = {
  kind: 'moving',
  width: 1280,
  height: 720,
  first: 1001,
  focalPx: 1097,
  k1: -0.05,
  k2: 0.01,
  medianPx: 0,
  rmsPx: 0,
  framePx: truth.map(() => 0),
  cameras: truth.map((camera) => moveCamera(askew, camera)),
  points: tracks.map(({ id }) => ({ track: id, at: movePoint(askew, plate.points[id] as Vec3), px: 0 })),
  tracks: tracks.length,
  parallax: 5,
  doubts: [],
}
const seen = (p: Vec3, n: number): { frame: number; x: number; y: number } => {
  const q = projectPoint(truth[n] as (typeof truth)[0], p)
  if (!q) throw new Error('behind the camera')
  return { frame: 1001 + n, x: q.x, y: q.y }
}
const inFrame = (p: Vec3): boolean => {
  const { x, y } = seen(p, 2)
  return x > 20 && y > 20 && x < 1260 && y < 700
}
const floor = plate.points.filter((p) => p[1] < 0.03 && p[2] > 0.1 && inFrame(p))
/** Without the boxes, whose points lie anywhere within them. */
const surfaces: Solve = {
  ...solve,
  points: solve.points.filter(({ track }) => {
    const p = plate.points[track] as Vec3
    return p[1] < 0.03 || p[2] < 0.01
  }),
}
const shot = (change: (document: ShotDocument) => void = () => undefined): ShotDocument => {
  const document = makeShot('One', {
    asset: 'a',
    file: 'f',
    width: 1280,
    height: 720,
    first: 1001,
    last: 1024,
    rate: [24, 1],
    encoding: 'srgb',
  })
  change(document)
  return document
}

describe('places in the picture', () => {
  it('are the point of a track that is clicked, on any frame', () => {
    for (const n of [0, 11, 23]) {
      const track = tracks.find(
        (one) => one.first <= n && one.first + one.places.length / 2 > n && (plate.points[one.id] as Vec3)[1] > 1,
      )
      if (!track) throw new Error('some point of the wall is seen')
      const p = plate.points[track.id] as Vec3
      expect(length(subtract(movePointBack(askew, solvedPlace(solve, tracks, seen(p, n))), p))).toBeLessThan(1e-6)
    }
  })
  it('lie on the surface round them where no track is', () => {
    for (const p of [
      [0.3, 0.01, 3.2],
      [-1.4, 0.01, 2.2],
      [1.1, 2.3, -0.025],
    ] as const) {
      const { frame, x, y } = seen(p, 3)
      expect(
        length(subtract(movePointBack(askew, placePoint(surfaces, [], { frame: frame - 1001, x, y })), p)),
      ).toBeLessThan(0.2)
    }
  })
  it('are refused where nothing was solved near', () => {
    expect(() => solvedPlace({ ...solve, points: solve.points.slice(0, 2) }, [], { frame: 1004, x: 5, y: 5 })).toThrow(
      /near 5, 5 at frame 1004/,
    )
  })
})

describe('the ground', () => {
  const ground: ShotDocument['match']['ground'] = {
    points: floor.slice(0, 12).map((p) => seen(p, 2)),
    axis: [seen([-2, 0.01, 1], 2), seen([2, 0.01, 1], 2)],
    origin: seen([0.5, 0.01, 2], 2),
    distance: { from: seen([-1, 0.01, 3], 2), to: seen([1, 0.01, 3], 2), metres: 2 },
  }
  it('levels, turns, places and sizes the world as it is said', () => {
    const { by, ground: fit } = groundOf({ ground }, solve, tracks)
    expect(fit?.rms).toBeLessThan(0.02)
    const { frames } = solvedPath(solve, by)
    expect(frames.map(({ frame }) => frame)).toEqual(truth.map((_, n) => 1001 + n))
    for (const n of [0, 12, 23]) {
      const [found, exact]: [Vec3, Vec3] = [frames[n]?.camera.position ?? [0, 0, 0], truth[n]?.position ?? [0, 0, 0]]
      expect(length(subtract(found, [exact[0] - 0.5, exact[1] - 0.01, exact[2] - 2]))).toBeLessThan(0.06)
    }
  })
  it('is the solve’s own world until three points are given, and refuses a line', () => {
    expect(groundOf({ ground: { points: ground.points.slice(0, 2) } }, solve, tracks)).toEqual({
      by: { scale: 1, rotation: [0, 0, 0, 1], shift: [0, 0, 0] },
    })
    const one = ground.points[0] as (typeof ground.points)[0]
    expect(() => groundOf({ ground: { points: [one, one, one] } }, solve, tracks)).toThrow(/one line/)
  })
  it('takes a camera’s height for the size', () => {
    const { by } = groundOf({ ground: { points: ground.points, cameraHeight: 3.2 } }, solve, tracks)
    expect(solvedPath(solve, by).frames[0]?.camera.position[1]).toBeCloseTo(3.2, 6)
  })
})

describe('slide', () => {
  const points = new Map(solve.points.map(({ track, at }) => [track, at]))
  const at = movePoint(askew, [0.2, 0.01, 3])
  const camera = (n: number) => solveCameraAt(solve, n)
  it('is nothing against exact tracks through exact cameras', () => {
    const slide = slideOf(at, 2, FRAMES, camera, tracks, points)
    expect(slide).toHaveLength(FRAMES)
    expect(Math.max(...slide)).toBeLessThan(1e-6)
  })
  it('is as many px as a camera is off, on the frames where it is', () => {
    const off = slideOf(
      at,
      2,
      FRAMES,
      (n) => (n > 15 ? { ...camera(n), centre: [643, 364] as const } : camera(n)),
      tracks,
      points,
    )
    expect(Math.max(...off.slice(0, 15))).toBeLessThan(1e-6)
    for (const px of off.slice(16)) expect(px).toBeCloseTo(5, 6)
  })
  it('is not told where no track is near', () => {
    expect(slideOf(at, 2, 3, camera, [], points).every(Number.isNaN)).toBe(true)
  })
})

describe('keep-out shapes', () => {
  const square = (x: number): [number, number][] => [
    [x, 0],
    [x + 10, 0],
    [x + 10, 10],
    [x, 10],
  ]
  const keys = [
    { frame: 10, points: square(0) },
    { frame: 20, points: square(40) },
    { frame: 30, points: square(60) },
  ]
  it('are at their keys on their frames, hold before and after, and go smoothly between', () => {
    const left = (frame: number): number => exclusionMaskAt({ keys }, frame)[0]?.[0] ?? Number.NaN
    expect([1, 10, 20, 30, 99].map(left)).toEqual([0, 0, 40, 60, 60])
    const path = Array.from({ length: 21 }, (_, n) => left(10 + n))
    const steps = path.slice(1).map((x, n) => x - (path[n] ?? 0))
    expect(Math.min(...steps)).toBeGreaterThan(0)
    // The speed does not jump at the middle key.
    expect(Math.abs((steps[9] ?? 0) - (steps[10] ?? 0))).toBeLessThan(0.6)
  })
  it('hold what lies inside', () => {
    expect(insidePolygon(square(0), 5, 5)).toBe(true)
    expect(insidePolygon(square(0), 15, 5)).toBe(false)
    expect(insidePolygon([], 5, 5)).toBe(false)
  })
  it('keep features out while they are in use, and are part of the recipe', () => {
    const [bare, masked, off] = [
      shot(),
      shot((d) => (d.match.keepOuts.man = { name: 'Man', shown: true, keys })),
      shot((d) => (d.match.keepOuts.man = { name: 'Man', shown: false, keys })),
    ]
    expect(followSettings(bare).keptOut).toBeUndefined()
    const here = shot(
      (d) =>
        (d.match.keepOuts.man = {
          name: 'Man',
          shown: true,
          keys: keys.map((key) => ({ ...key, frame: key.frame + 991 })),
        }),
    )
    expect([
      followSettings(here).keptOut?.(0, 5, 5),
      followSettings(here).keptOut?.(10, 5, 5),
      followSettings(here).keptOut?.(10, 45, 5),
    ]).toEqual([true, false, true])
    const key = (document: ShotDocument): string => recipeKey(tracksRecipe(document))
    expect(key(masked)).not.toBe(key(bare))
    expect(key(off)).toBe(key(bare))
  })
  it('may be drawn mattes: what is taken away from one is followed, and only those that are to count', () => {
    const points = (x: number, edge: number) =>
      [
        [x, 0],
        [x + edge, 0],
        [x + edge, 10],
        [x, 10],
      ].map(([u, v]) => ({ at: [u, v], before: [0, 0], after: [0, 0], soft: 0 }))
    const shape = (order: number, way: string, x: number, edge: number) => ({
      name: way,
      order,
      way,
      keys: [{ frame: 1001, points: points(x, edge) }],
    })
    const withMatte = (keepsOut: boolean): ShotDocument =>
      shot(
        (d) =>
          (d.items.man = makeItem('matte', {
            name: 'Man',
            order: 1,
            keepsOut,
            shapes: { a: shape(1, 'add', 0, 20), b: shape(2, 'subtract', 12, 4) } as never,
          })),
      )
    const kept = followSettings(withMatte(true)).keptOut
    expect([kept?.(3, 5, 5), kept?.(3, 14, 5), kept?.(3, 18, 5), kept?.(3, 30, 5)]).toEqual([true, false, true, false])
    expect(followSettings(withMatte(false)).keptOut).toBeUndefined()
    const key = (document: ShotDocument): string => recipeKey(tracksRecipe(document))
    expect(key(withMatte(true))).not.toBe(key(shot()))
    expect(key(withMatte(false))).toBe(key(shot()))
  })
})

describe('recipes', () => {
  it('change with what they hang on, and with nothing else', () => {
    const key = (document: ShotDocument): string => recipeKey(solveRecipe(document, recipeKey(tracksRecipe(document))))
    const bare = key(shot())
    expect(
      key(
        shot(
          (d) =>
            (d.match.proofs.a = {
              name: 'A',
              at: { frame: 1001, x: 1, y: 1 },
              shape: 'cone',
              size: 1,
              turn: 0,
              text: '',
            }),
        ),
      ),
    ).toBe(bare)
    // The focal length that is kept where the tracks fix none.
    expect(key(shot((d) => (d.match.focal = 2)))).not.toBe(bare)
    expect(key(shot((d) => (d.match.k1 = 0.2)))).toBe(bare)
    expect(key(shot((d) => Object.assign(d.match, { focal: 2, lens: 'focal known' })))).not.toBe(bare)
    const tracksKey = recipeKey(tracksRecipe(shot()))
    expect(key(shot((d) => (d.match.dropped = { tracks: tracksKey, ids: [4] })))).not.toBe(bare)
    // Dropped of other tracks than these.
    expect(key(shot((d) => (d.match.dropped = { tracks: '0'.repeat(64), ids: [4] })))).toBe(bare)
  })
  it('know of the lens what the document says', () => {
    expect(knownLens(shot())).toEqual({})
    expect(knownLens(shot((d) => Object.assign(d.match, { lens: 'focal known', focal: 0.5 })))).toEqual({
      focalPx: 640,
    })
    expect(knownLens(shot((d) => Object.assign(d.match, { lens: 'all known', focal: 0.5, k1: 0.1 })))).toEqual({
      focalPx: 640,
      k1: 0.1,
      k2: 0,
    })
  })
})
