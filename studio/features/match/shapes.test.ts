import { type Camera, projectPoint } from '@lantern/core/data'
import { panTiltRoll } from '@lantern/core/math'
import { type ManualTrack, makeShot } from '@lantern/core/shot'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { useShot } from '../shot/shotStore.ts'
import { type Corner, cornersPath, middleOf, movedBy, tidy, turnedTo, withKey, withoutKey } from './exclusionMasks.ts'
import { handKeys, makeHand, placesOf, setHand } from './manualTracks.ts'
import { proofPicture, WORDS } from './proofLines.ts'

const square: Corner[] = [
  [0, 0],
  [10, 0],
  [10, 10],
  [0, 10],
]

describe('shapes that are drawn on the plate', () => {
  it('get one key a frame, in order, to a tenth of a pixel', () => {
    const shape = {
      keys: [
        { frame: 5, points: [[1, 1]] as [number, number][] },
        { frame: 9, points: [[2, 2]] as [number, number][] },
      ],
    }
    expect(withKey(shape, 7, [[1.234, 5.678]]).map(({ frame, points }) => [frame, points[0]])).toEqual([
      [5, [1, 1]],
      [7, [1.2, 5.7]],
      [9, [2, 2]],
    ])
    expect(withKey(shape, 9, [[3, 3]])).toHaveLength(2)
    expect(withoutKey(shape, 5).map(({ frame }) => frame)).toEqual([9])
    // The last key stays: a shape without one is none.
    expect(withoutKey({ keys: shape.keys.slice(0, 1) }, 5)).toHaveLength(1)
    expect(tidy(1.23456)).toBe(1.23)
  })
  it('turn and scale about their middle so that the grabbed corner comes to the pointer', () => {
    expect(middleOf(square)).toEqual([5, 5])
    const turned = turnedTo(square, [10, 5], [5, 15])
    // A quarter turn, twice as large.
    for (const [n, at] of (
      [
        [15, -5],
        [15, 15],
        [-5, 15],
        [-5, -5],
      ] as const
    ).entries())
      for (const axis of [0, 1] as const) expect(turned[n]?.[axis]).toBeCloseTo(at[axis], 9)
    expect(middleOf(turned)).toEqual([5, 5])
    // Grabbed at its middle there is nothing to turn by.
    expect(turnedTo(square, [5, 5], [40, 5])).toEqual(square)
    expect(movedBy(square, 1, -2)[2]).toEqual([11, 8])
    expect([cornersPath([]), cornersPath(square)]).toEqual(['', 'M0.0 0.0L10.0 0.0L10.0 10.0L0.0 10.0Z'])
  })
})

describe('tracks set by hand', () => {
  afterEach(() => vi.unstubAllGlobals())
  it('lie where they are set, else where they were followed, else nowhere', () => {
    const hand: ManualTrack = {
      name: 'P',
      keys: [{ frame: 1003, places: [[5, 6]] }],
      model: 'lean',
      trust: 5,
    } as ManualTrack
    expect(placesOf(hand, undefined, 1003, 1001)).toEqual([[5, 6]])
    expect(placesOf(hand, undefined, 1004, 1001)).toBeUndefined()
    expect(placesOf(hand, [], 1004, 1001)).toBeUndefined()
    expect(handKeys(hand, 1002, [[1.234, 2]]).map(({ frame }) => frame)).toEqual([1002, 1003])
    expect(handKeys(hand, 1003, [[9, 9]])).toEqual([{ frame: 1003, places: [[9, 9]] }])
  })
  it('are made as points or patches, numbered, and followed at once; a patch weighs nothing by itself', () => {
    const document = makeShot('One', {
      asset: 'a',
      file: 'f',
      width: 64,
      height: 36,
      first: 1001,
      last: 1010,
      rate: [24, 1],
      encoding: 'srgb',
    })
    vi.stubGlobal('localStorage', { getItem: () => null, setItem: () => undefined })
    const edits: { match?: { hands: Record<string, unknown> } }[] = []
    const asked: unknown[] = []
    useShot.setState({
      shot: { id: 1, name: 'One', head: 1, document, canUndo: false, canRedo: false },
      edit: (patch) => void edits.push(patch),
      ask: async (wanted) => (asked.push(wanted), []),
    })
    makeHand(1004, [[3, 4]])
    const [id, made] = Object.entries(edits[0]?.match?.hands ?? {})[0] ?? ['', undefined]
    expect(made).toMatchObject({ name: 'Point 1', model: 'lean', trust: 5 })
    expect(useShot.getState().chosen).toBe(`hand.${id}`)
    expect(asked).toEqual([{ what: 'hand', hand: id }])
    makeHand(1004, square)
    expect(Object.values(edits[1]?.match?.hands ?? {})[0]).toMatchObject({
      name: 'Patch 1',
      model: 'perspective',
      trust: 0,
    })
    // One that is gone can't be set.
    setHand('gone', 1004, [[1, 1]])
    expect(edits).toHaveLength(2)
  })
})

describe('test objects', () => {
  const camera: Camera = {
    position: [0, 1.6, 0],
    rotation: panTiltRoll(0, -0.1, 0),
    focalPx: 1000,
    centre: [640, 360],
    k1: 0,
    k2: 0,
    width: 1280,
    height: 720,
  }
  const heights = (path: string): number[] =>
    [...path.matchAll(/[ML]-?[\d.]+ (-?[\d.]+)/g)].map((match) => Number(match[1]))
  it('stand on their point and are as tall as they are said to be', () => {
    const foot = [0.5, 0, -6] as const
    const seen = (up: number): number => projectPoint(camera, [0.5, up, -6])?.y ?? Number.NaN
    const figure = proofPicture(camera, { shape: 'figure', size: 1, turn: 0, text: '' }, foot)
    expect(Math.min(...heights(figure.fill))).toBeCloseTo(seen(1.8), 1)
    expect(Math.max(...heights(figure.fill))).toBeCloseTo(seen(0), 1)
    const cone = proofPicture(camera, { shape: 'cone', size: 0.7, turn: 0, text: '' }, foot)
    expect(Math.min(...heights(cone.lines))).toBeCloseTo(seen(0.7), 1)
  })
  it('a chequer fills half of its sixteen fields; words stand in a frame of their own size', () => {
    const chequer = proofPicture(camera, { shape: 'chequer', size: 1, turn: 30, text: '' }, [0, 0, -6])
    expect(chequer.fill.match(/M/g)).toHaveLength(8)
    const { words } = proofPicture(camera, { shape: 'text', size: 0.5, turn: 0, text: 'KILN 3' }, [0, 0, -6])
    expect(words?.text).toBe('KILN 3')
    const [a, , , d, e, f] = (words?.matrix ?? '').slice(7, -1).split(' ').map(Number)
    const [o, right] = [projectPoint(camera, [0, 0, -6]), projectPoint(camera, [0.5, 0, -6])]
    expect([e, f]).toEqual([o?.x, o?.y])
    expect((a ?? 0) * WORDS).toBeCloseTo((right?.x ?? 0) - (o?.x ?? 0), 6)
    expect(d).toBeGreaterThan(0)
  })
  it('are not drawn behind the camera', () => {
    for (const shape of ['figure', 'cone', 'chequer'] as const)
      expect(proofPicture(camera, { shape, size: 1, turn: 0, text: '' }, [0, 0, 6])).toMatchObject({
        lines: '',
        fill: '',
      })
    expect(proofPicture(camera, { shape: 'text', size: 1, turn: 0, text: 'A' }, [0, 0, 6]).words).toBeUndefined()
  })
})
