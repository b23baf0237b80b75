import { describe, expect, it } from 'vitest'
import { recipeKey } from '../base/index.ts'
import { type Camera, projectPoint, type Solve, type Track } from '../data/index.ts'
import { pointOfTrack } from '../match/index.ts'
import { panTiltRoll, throughHomography, type Vec3 } from '../math/index.ts'
import { boxSchema } from '../set/index.ts'
import { makeShot, manualTrackSchema, movingObjectSchema, type ShotDocument } from '../shot/index.ts'
import {
  allTracks,
  farCamera,
  farPlace,
  followSettings,
  joinTracks,
  manualTrackNumber,
  manualTrackRecipe,
  matchScene,
  matteFrame,
  matteMask,
  objectFollow,
  objectInput,
  objectRecipe,
  objectSize,
  objectTracksRecipe,
  proofMesh,
  shakenPath,
  solveRecipe,
  tidiedTracks,
  tracksRecipe,
  tracksToSolve,
  trimTrack,
  withManualPoints,
} from './index.ts'

const plate: ShotDocument['plate'] = {
  asset: 'a',
  file: 'f',
  width: 640,
  height: 360,
  first: 1001,
  last: 1010,
  rate: [24, 1],
  encoding: 'srgb',
}
const track = (id: number, first: number, places: readonly number[]): Track => ({
  id,
  first,
  weight: 1,
  places: Float64Array.from(places),
})
const found = [track(1, 0, [0, 0, 1, 1, 2, 2, 3, 3]), track(2, 6, [6, 6, 7, 7]), track(3, 0, [5, 5, 5, 5])]
const KEY = 'a'.repeat(64)
const hand = manualTrackSchema.parse({ name: 'Post', keys: [{ frame: 1001, places: [[10, 20]] }] })
const document = (match: object = {}): ShotDocument => {
  const made = makeShot('s', plate)
  return { ...made, match: { ...made.match, ...match } }
}

describe('tidied tracks', () => {
  it('are trimmed, joined with a gap between, and those of other tracks’ keys left alone', () => {
    expect([...(trimTrack(found[0] as Track, 1, 2)?.places ?? [])]).toEqual([1, 1, 2, 2])
    expect(trimTrack(found[0] as Track, 3, 9)).toBeUndefined()
    const joined = joinTracks(found[0] as Track, found[1] as Track)
    expect([...joined.places.slice(6, 14)]).toEqual([3, 3, Number.NaN, Number.NaN, Number.NaN, Number.NaN, 6, 6])
    const tidied = { tracks: KEY, spans: [[3, 0, 0] as [number, number, number]], joins: [[1, 2] as [number, number]] }
    expect(tidiedTracks({ tidied }, KEY, found).map(({ id, places }) => [id, places.length])).toEqual([[1, 16]])
    expect(tidiedTracks({ tidied }, 'b'.repeat(64), found)).toEqual(found)
  })
  it('go to the solve without those dropped, with those set by hand and their trust', () => {
    const one = document({
      hands: {
        post: { ...hand, trust: 20, span: [1002, 1005] },
        flat: {
          ...hand,
          keys: [
            {
              frame: 1001,
              places: [
                [0, 0],
                [9, 0],
                [9, 9],
                [0, 9],
              ],
            },
          ],
        },
        idle: { ...hand, trust: 0 },
      },
      dropped: { tracks: KEY, ids: [3] },
    })
    const followed = { post: [track(0, 0, [1, 1, 2, 2, 3, 3, 4, 4, 5, 5, 6, 6])], idle: [track(0, 0, [1, 1, 2, 2])] }
    const list = tracksToSolve(one, KEY, found, followed)
    expect(list.map(({ id, weight }) => [id, weight])).toEqual([
      [1, 1],
      [2, 1],
      [manualTrackNumber('post'), 20],
    ])
    expect(list[2]).toMatchObject({ first: 1, places: Float64Array.of(2, 2, 3, 3, 4, 4, 5, 5) })
    expect(allTracks(one, KEY, found, followed).map(({ id }) => id)).toContain(manualTrackNumber('idle'))
  })
})

describe('recipes', () => {
  it('of a solve change with a hand’s place and its trust; that of its following with its place alone', () => {
    const key = (match: object): string => recipeKey(solveRecipe(document(match), KEY))
    const plain = key({})
    const one = key({ hands: { post: hand } })
    expect(
      new Set([
        plain,
        one,
        key({ hands: { post: { ...hand, trust: 9 } } }),
        key({ hands: { post: { ...hand, pattern: 20 } } }),
        key({ tidied: { tracks: KEY, spans: [[1, 0, 2]], joins: [] } }),
      ]).size,
    ).toBe(5)
    expect(key({ hands: { post: { ...hand, trust: 0 } } })).toBe(plain)
    expect(key({ tidied: { tracks: 'b'.repeat(64), spans: [[1, 0, 2]], joins: [] } })).toBe(plain)
    expect(recipeKey(manualTrackRecipe(document(), { ...hand, trust: 9, name: 'Other' }))).toBe(
      recipeKey(manualTrackRecipe(document(), hand)),
    )
  })
})

const still: Camera = {
  position: [0, 1.6, 0],
  rotation: panTiltRoll(0.2, -0.05, 0),
  focalPx: 600,
  centre: [320, 180],
  k1: 0,
  k2: 0,
  width: 640,
  height: 360,
}

describe('a camera that trembles', () => {
  it('sees the set moved, turned and grown as the flat track was', () => {
    const corners = [
      [200, 100],
      [400, 100],
      [400, 250],
      [200, 250],
    ] as const
    const move = ([x, y]: readonly [number, number]): [number, number] =>
      throughHomography(
        [1.01 * Math.cos(0.02), -1.01 * Math.sin(0.02), 4, 1.01 * Math.sin(0.02), 1.01 * Math.cos(0.02), -3, 0, 0, 1],
        x,
        y,
      )
    const tracks = corners.map((corner, id) => track(id, 2, [...corner, ...move(corner)]))
    const path = shakenPath(still, plate, 1003, 'turn', tracks)
    expect(path.frames).toHaveLength(10)
    for (const p of [
      [1, 1, -5],
      [-2, 3, -8],
      [0, 0, -3],
    ] as Vec3[]) {
      const [a, b] = [projectPoint(still, p), projectPoint(path.frames[3]?.camera ?? still, p)]
      const [x, y] = move([a?.x ?? 0, a?.y ?? 0])
      expect(Math.hypot((b?.x ?? 0) - x, (b?.y ?? 0) - y)).toBeLessThan(1e-9)
    }
    // Where the track is not seen, the nearest frame's.
    expect(path.frames[0]?.camera).toEqual(path.frames[2]?.camera)
    expect(path.frames[9]?.camera).toEqual(path.frames[3]?.camera)
    expect(shakenPath(still, plate, 1003, 'turn', []).frames[5]?.camera).toEqual(still)
  })
})

describe('a place followed by hand', () => {
  const cameras = Array.from({ length: 10 }, (_, n) => ({ ...still, position: [0.1 * n, 1.6, 0.02 * n] as Vec3 }))
  const solve: Solve = {
    kind: 'moving',
    width: 640,
    height: 360,
    first: 1001,
    focalPx: 600,
    k1: 0,
    k2: 0,
    medianPx: 0.1,
    rmsPx: 0.1,
    framePx: [],
    cameras: cameras.map(({ position, rotation }) => ({ position, rotation })),
    points: [],
    tracks: 0,
    parallax: 3,
    doubts: [],
  }
  const point: Vec3 = [0.5, 0.2, -6]
  const seen = (n: number): [number, number] => {
    const p = projectPoint(cameras[n] as Camera, point)
    return [p?.x ?? 0, p?.y ?? 0]
  }
  it('is known in depth through the solve’s cameras, though a frame of it is wrong', () => {
    const places = Array.from({ length: 10 }, (_, n) => (n === 4 ? [300, 50] : seen(n))).flat()
    const at = pointOfTrack(solve, track(7, 0, places))
    for (const c of [0, 1, 2] as const) expect(at?.at[c]).toBeCloseTo(point[c], 1)
    const exact = pointOfTrack(solve, track(7, 0, Array.from({ length: 10 }, (_, n) => seen(n)).flat()))
    for (const c of [0, 1, 2] as const) expect(exact?.at[c]).toBeCloseTo(point[c], 6)
    expect(exact?.px).toBeLessThan(1e-6)
  })
  it('is added to the solve’s points; a turn, or too few frames, give none', () => {
    const one = track(manualTrackNumber('post'), 0, Array.from({ length: 10 }, (_, n) => seen(n)).flat())
    expect(withManualPoints(solve, [...found, one]).points.map(({ track: id }) => id)).toEqual([
      manualTrackNumber('post'),
    ])
    expect(withManualPoints({ ...solve, kind: 'turning' }, [one]).points).toEqual([])
    expect(pointOfTrack(solve, track(7, 0, [...seen(0), ...seen(1)]))).toBeUndefined()
  })
})

describe('a match on its way out', () => {
  it('has test objects closed and of their size', () => {
    for (const [shape, height, faces] of [
      ['cone', 0.5, 48],
      ['figure', 1.8, 12],
      ['chequer', 0, 2],
      ['text', 0.5, 2],
    ] as const) {
      const { positions, triangles } = proofMesh({ shape, size: 0.5, turn: 30 }, [1, 2, 3])
      expect(Math.max(...positions.map((p) => p[1])) - 2).toBeCloseTo(height, 9)
      expect(triangles).toHaveLength(faces)
      const edges = triangles.flatMap(([a, b, c]) =>
        [
          [a, b],
          [b, c],
          [c, a],
        ].map((pair) => pair.sort((p, q) => (p ?? 0) - (q ?? 0)).join()),
      )
      if (shape === 'cone' || shape === 'figure')
        for (const edge of edges) expect(edges.filter((one) => one === edge)).toHaveLength(2)
    }
  })
  it('takes chosen tracks alone, hand tracks under their own names, and no points of a camera that was not solved', () => {
    const one = document({ hands: { post: hand } })
    const scene = matchScene(
      one,
      [{ frame: 1001, camera: still }],
      undefined,
      [...found, track(manualTrackNumber('post'), 0, [1, 1])],
      new Set([1, manualTrackNumber('post')]),
    )
    expect(scene.tracks.map(({ name }) => name)).toEqual(['1', 'Post'])
    expect(scene).toMatchObject({ points: [], objects: [], rate: 24, first: 1001 })
  })
})

describe('a matte that keeps out', () => {
  const matte = { asset: 'm', file: 'm', first: 1, last: 4, inverted: false }
  it('is numbered as the plate where the two overlap, else counted from both starts', () => {
    const own = (first: number, last: number, frame: number): number =>
      matteFrame(document({ matte: { ...matte, first, last } }), frame)
    expect([own(1001, 1010, 1004), own(1003, 1005, 1001), own(1003, 1005, 1009)]).toEqual([1004, 1003, 1005])
    expect([own(1, 4, 1001), own(1, 4, 1003), own(1, 4, 1010)]).toEqual([1, 3, 4])
  })
  it('keeps out at its own size, frame by frame, beside drawn shapes, and makes other tracks', () => {
    const white = Float32Array.of(1, 1, 1, 0, 0, 0, 0, 0, 0, 0.3, 0.3, 0.3)
    expect([...matteMask(white, 2, 2, false).out]).toEqual([1, 0, 0, 1])
    expect([...matteMask(white, 2, 2, true).out]).toEqual([0, 1, 1, 0])
    const { keptOut } = followSettings(document({ matte }), [matteMask(white, 2, 2, false)])
    expect([keptOut?.(0, 10, 10), keptOut?.(0, 400, 10), keptOut?.(0, 639.9, 359.9), keptOut?.(1, 10, 10)]).toEqual([
      true,
      false,
      true,
      false,
    ])
    expect(
      new Set(
        [{}, { matte }, { matte: { ...matte, inverted: true } }].map((match) =>
          recipeKey(tracksRecipe(document(match))),
        ),
      ).size,
    ).toBe(3)
  })
})

describe('a far thing', () => {
  it('is its distance away in the direction of its place, wherever the camera has gone', () => {
    const at = farPlace(still, { at: { frame: 1001, x: 100, y: 60 }, far: { distance: 2000 } })
    expect(Math.hypot(...(at ?? [0, 0, 0]))).toBeCloseTo(2000, 6)
    const p = projectPoint(farCamera({ ...still, position: [50, 3, -9] }), at ?? [0, 0, -1])
    expect([p?.x, p?.y].map((v) => v?.toFixed(6))).toEqual(['100.000000', '60.000000'])
    expect(farPlace(still, { at: { frame: 1001, x: 1, y: 1 } })).toBeUndefined()
  })
})

describe('a thing that moves by itself', () => {
  const thing = movingObjectSchema.parse({
    name: 'Barrow',
    keys: [
      {
        frame: 1001,
        points: [
          [0, 0],
          [320, 0],
          [320, 180],
          [0, 180],
        ],
      },
    ],
    geometry: { item: 'box', frame: 1001 },
  })
  const set = (): ShotDocument => {
    const made = document()
    return {
      ...made,
      camera: { ...made.camera, kind: 'typed' },
      items: {
        box: boxSchema.parse({
          kind: 'box',
          name: 'Box',
          order: 1,
          position: [0, 0, -4],
          width: 1,
          height: 1,
          depth: 1,
        }),
      },
    }
  }
  it('is followed in its region alone, as densely as its share of the picture asks', () => {
    const settings = objectFollow(set(), thing)
    expect(settings.share).toBeCloseTo(0.25, 9)
    expect([settings.keptOut?.(0, 100, 100), settings.keptOut?.(0, 400, 100)]).toEqual([false, true])
  })
  it('has points where its tracks meet its geometry, and none where they miss it', () => {
    const front = projectPoint(still, [0, 0.5, -3.5])
    const input = objectInput(
      set(),
      thing,
      [track(1, 0, [front?.x ?? 0, front?.y ?? 0, 1, 1]), track(2, 0, [5, 5, 5, 5])],
      () => still,
    )
    expect([...(input.geometry?.points.keys() ?? [])]).toEqual([1])
    for (const [c, v] of [0, 0.5, -3.5].entries()) expect(input.geometry?.points.get(1)?.[c]).toBeCloseTo(v, 6)
    expect(() => objectInput({ ...set(), items: {} }, thing, [], () => still)).toThrow(/geometry of Barrow is gone/)
    expect(() => objectInput(set(), thing, [], () => undefined)).toThrow(/no.* yet/)
  })
  it('is solved anew for another geometry or camera, not for another name or distance', () => {
    const key = (one: object, base = set()): string => recipeKey(objectRecipe(base, { ...thing, ...one }, KEY))
    const moved = set()
    moved.items.box = { ...(moved.items.box as Extract<ShotDocument['items'][string], { kind: 'box' }>), width: 2 }
    expect(
      new Set([
        key({}),
        key({ geometry: undefined }),
        key({}, moved),
        key({}, { ...set(), camera: { ...set().camera, focal: 2 } }),
      ]).size,
    ).toBe(4)
    expect(key({ name: 'x', distance: 9 })).toBe(key({}))
    expect(recipeKey(objectTracksRecipe(set(), { ...thing, count: 90 }))).not.toBe(
      recipeKey(objectTracksRecipe(set(), thing)),
    )
  })
  it('without geometry is as large as its distance makes it', () => {
    const solve: Solve = {
      kind: 'moving',
      width: 640,
      height: 360,
      first: 1001,
      focalPx: 600,
      k1: 0,
      k2: 0,
      medianPx: 0,
      rmsPx: 0,
      framePx: [],
      cameras: [{ position: [0, 0, 0], rotation: [0, 0, 0, 1] }],
      points: [-1, -2, -3].map((z, n) => ({ track: n, at: [0, 0, z], px: 0 })),
      tracks: 3,
      parallax: 2,
      doubts: [],
    }
    expect(objectSize({ geometry: undefined, distance: 5 }, solve)).toBeCloseTo(2.5, 9)
    expect(objectSize(thing, solve)).toBe(1)
  })
})
