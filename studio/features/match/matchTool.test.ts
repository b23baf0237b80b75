import type { Track } from '@lantern/core/data'
import { makeShot, type ShotDocument } from '@lantern/core/shot'
import { describe, expect, it } from 'vitest'
import {
  down,
  type MatchContext,
  type MatchResult,
  type MatchState,
  move,
  NO_MATCH,
  press,
  twice,
  up,
} from './matchTool.ts'

type Place = readonly [number, number]
const plate = { asset: 'a', file: 'f', width: 720, height: 405, first: 1, last: 9, rate: [24, 1], encoding: 'srgb' }
const shot = (): ShotDocument => makeShot('One', plate as Parameters<typeof makeShot>[1])
const track = (id: number, x: number, y: number): Track =>
  ({ id, first: 0, places: Float32Array.from([x, y]), weight: 1 }) as unknown as Track
const context = (over: Partial<MatchContext> = {}): MatchContext => ({
  document: shot(),
  frame: 1,
  tool: 'choose',
  step: 'Track',
  chosen: '',
  shown: { tracks: [], points: new Map(), hands: {}, tracksKey: 'k' },
  proofs: [],
  reach: 6,
  shift: false,
  fresh: () => 'x',
  ...over,
})
/** Clicks one place after the other. */
function clicks(own: MatchContext, ...places: Place[]): MatchResult {
  let result: MatchResult = { state: NO_MATCH }
  for (const at of places) result = down(own, result.state, at)
  return result
}
function drag(own: MatchContext, from: Place, to: Place, state: MatchState = NO_MATCH) {
  const begun = down(own, state, from)
  return { begun, moved: move(own, begun.state, to), put: up(own, begun.state, to) }
}
const ring: Place[] = [
  [100, 100],
  [200, 100],
  [200, 200],
]
const square = [
  [100, 100],
  [200, 100],
  [200, 200],
  [100, 200],
] as [number, number][]
const withShape = (over: object = {}): ShotDocument => {
  const document = shot()
  document.match.keepOuts.o = { name: 'Out', shown: true, keys: [{ frame: 1, points: square }], ...over } as never
  return document
}

describe('a shape that keeps out', () => {
  it('is closed by a click on its first corner, by Enter, or by a double click', () => {
    const own = context({ tool: 'keep-out' })
    const closed = clicks(own, ...ring, [102, 101])
    expect(closed).toMatchObject({ tool: 'choose', chosen: 'keepout.out-x' })
    expect(closed.edit).toMatchObject({ match: { keepOuts: { 'out-x': { keys: [{ frame: 1, points: ring }] } } } })
    const open = clicks(own, ...ring)
    expect(press(own, open.state, 'Enter')?.edit).toEqual(closed.edit)
    expect(press(own, open.state, 'Backspace')?.state.drawn).toHaveLength(2)
    expect(press(own, NO_MATCH, 'Enter')).toBeUndefined()
    expect(twice(own, clicks(own, ...ring, [150, 250]).state)?.edit).toEqual(closed.edit)
    expect(twice(own, clicks(own, ...ring.slice(0, 2)).state)).toEqual({ state: NO_MATCH, tool: 'choose' })
  })
  it('is moved, taken by a corner, or turned and scaled by its grip; a click alone changes nothing', () => {
    const own = context({ document: withShape(), chosen: 'keepout.o' })
    const points = (result: MatchResult) =>
      (result.edit as { match: { keepOuts: { o: { keys: { points: Place[] }[] } } } }).match.keepOuts.o.keys[0]?.points
    expect(points(drag(own, [150, 150], [160, 155]).put)?.[0]).toEqual([110, 105])
    expect(points(drag(own, [101, 99], [90, 80]).put)).toEqual([[90, 80], ...square.slice(1)])
    // The grip stands 14 px off the upper right corner: away twice as far from the middle is twice as large.
    const grown = points(drag(own, [214, 86], [278, 22]).put)
    expect(grown?.[0]).toEqual([50, 50])
    expect(drag(own, [150, 150], [150.2, 150]).put.edit).toBeUndefined()
  })
  it('is chosen where it lies, but not while it is hidden; a track is chosen before it', () => {
    expect(down(context({ document: withShape() }), NO_MATCH, [150, 150]).chosen).toBe('keepout.o')
    expect(down(context({ document: withShape({ shown: false }) }), NO_MATCH, [150, 150]).chosen).toBeUndefined()
    const shown = { tracks: [track(7, 152, 150)], points: new Map(), hands: {}, tracksKey: 'k' }
    expect(down(context({ document: withShape(), shown }), NO_MATCH, [150, 150]).chosen).toBe('track.7')
  })
})
describe('the ground', () => {
  const shown = {
    tracks: [track(7, 152, 150), track(8, 300, 300)],
    points: new Map([[7, [0, 0, 0] as const]]),
    hands: {},
  }
  it('takes points, on solved tracks where they are near, and gives one back by another click', () => {
    const own = context({ tool: 'ground', step: 'Ground', shown })
    const points = (result: MatchResult) =>
      (result.edit as { match: { ground: { points: { x: number; y: number }[] } } }).match.ground.points
    const one = points(down(own, NO_MATCH, [150, 150]))
    expect(one).toEqual([{ frame: 1, x: 152, y: 150 }])
    expect(points(down(own, NO_MATCH, [302, 300]))).toEqual([{ frame: 1, x: 302, y: 300 }])
    own.document.match.ground.points = one as never
    expect(points(down(own, NO_MATCH, [152, 151]))).toEqual([])
    own.document.match.ground.points = []
    // With Shift, all solved ones in a band.
    const band = drag({ ...own, shift: true }, [100, 100], [400, 400])
    expect(band.moved.state.band).toEqual([
      [100, 100],
      [400, 400],
    ])
    expect(points(band.put)).toEqual([{ frame: 1, x: 152, y: 150 }])
  })
  it('takes a distance by two clicks', () => {
    const own = context({ tool: 'distance', step: 'Ground' })
    const first = down(own, NO_MATCH, [10, 20])
    expect(first.edit).toBeUndefined()
    expect(down(own, first.state, [30, 40])).toMatchObject({
      tool: 'choose',
      edit: { match: { ground: { distance: { from: { x: 10, y: 20 }, to: { x: 30, y: 40 }, metres: 1 } } } },
    })
  })
})
describe('tracks by hand and lines', () => {
  it('makes a point, and a flat patch by a drag that is one; both are followed', () => {
    expect(down(context({ tool: 'hand-point' }), NO_MATCH, [5, 6])).toMatchObject({
      follow: 'hand-x',
      chosen: 'hand.hand-x',
    })
    const own = context({ tool: 'hand-flat' })
    const { put } = drag(own, [50, 60], [10, 20])
    expect(put.edit).toMatchObject({
      match: {
        hands: {
          'hand-x': {
            keys: [
              {
                places: [
                  [10, 20],
                  [50, 20],
                  [50, 60],
                  [10, 60],
                ],
              },
            ],
          },
        },
      },
    })
    expect(drag(own, [50, 60], [54, 62]).put.edit).toBeUndefined()
  })
  it('draws a line, takes its end, and drops one dragged out of the picture or not dragged at all', () => {
    const own = context({ tool: 'line-x', step: 'Line up' })
    const lines = (result: MatchResult) =>
      (result.edit as { camera: { lineUp: { lines: unknown[] } } }).camera.lineUp.lines
    const made = lines(drag(own, [10, 10], [100, 12]).put)
    expect(made).toEqual([{ axis: 'x', ends: [10, 10, 100, 12] }])
    expect(lines(drag(own, [10, 10], [10.5, 10]).put)).toEqual([])
    own.document.camera.lineUp = { lines: made } as never
    own.tool = 'choose'
    expect(lines(drag(own, [99, 13], [120, 30]).put)).toEqual([{ axis: 'x', ends: [10, 10, 120, 30] }])
    expect(lines(drag(own, [99, 13], [-4, 30]).put)).toEqual([])
  })
})
