import { describe, expect, it } from 'vitest'
import { recipeKey } from '../base/index.ts'
import { type Camera, projectPoint } from '../data/index.ts'
import { panTiltRoll, throughHomography, type Vec3 } from '../math/index.ts'
import type { MatteItem } from '../mattes/index.ts'
import type { SignalInputs } from '../settings/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../shot/index.ts'
import { matteStands } from './mattes.ts'
import { matteWorld, riddenMatte, trackPlace } from './matteWorld.ts'
import { pictureRecipe } from './picture.ts'
import { pictureFrame } from './pictureFrame.ts'

/** A camera that goes to the right and turns, 0.2 m a frame. */
const camera = (frame: number): Camera => ({
  position: [0.2 * (frame - 1), 1.5, 0],
  rotation: panTiltRoll(0.02 * (frame - 1), 0, 0),
  focalPx: 640,
  centre: [320, 240],
  k1: -0.02,
  k2: 0,
  width: 640,
  height: 480,
})
const still = (): Camera => camera(1)
const square = (x: number, y: number, edge: number) =>
  [
    [x, y],
    [x + edge, y],
    [x + edge, y + edge],
    [x, y + edge],
  ].map(([u, v]) => ({ at: [u, v] as [number, number], before: [0, 0], after: [0, 0], soft: 0 }))
function shot(over: object, rides?: { on: string; frame: number }): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 640, height: 480, first: 1, last: 9, rate: [24, 1], encoding: 'srgb' }
  const made = makeShot('One', plate as Parameters<typeof makeShot>[1])
  const shapes = {
    body: { name: 'Body', order: 1, keys: [{ frame: 1, points: square(250, 200, 80) }], ...(rides ? { rides } : {}) },
  }
  made.items.person = makeItem('matte', { name: 'Person', order: 3, shapes, ...over } as never)
  made.items.crate = makeItem('box', {
    name: 'Crate',
    order: 1,
    position: [0, 1, -6],
    width: 1,
    height: 1,
    depth: 1,
  })
  return made
}
const pointsAt = (document: ShotDocument, frame: number, inputs: SignalInputs, cameras = camera): number[][] => {
  const world = matteWorld(document, frame, cameras, inputs)
  const item = riddenMatte(document.items.person as MatteItem, world.moves.person, frame, {
    opening: frame,
    closing: frame,
  })
  return item.shapes.body?.keys[0]?.points.map(({ at }) => [...at]) ?? []
}
const drawn = square(250, 200, 80).map(({ at }) => at)

describe('what a shape rides', () => {
  it('goes with a track by hand: in place alone with a point, in perspective with a flat one', () => {
    const h = [1.1, 0.05, 3, -0.04, 0.95, 6, 1e-4, -5e-5, 1] as const
    const corners: [number, number][] = [
      [200, 150],
      [400, 160],
      [390, 330],
      [210, 320],
    ]
    const inputs: SignalInputs = {
      track: (id, frame) =>
        id === 'point'
          ? [[100 + 4 * frame, 50]]
          : frame === 1
            ? corners
            : corners.map((corner) => throughHomography(h, ...corner)),
    }
    const byPoint = pointsAt(shot({}, { on: 'track.point', frame: 1 }), 4, inputs)
    expect(byPoint[0]?.[0]).toBeCloseTo(262, 9)
    expect(byPoint[2]?.[1]).toBeCloseTo(280, 9)
    const byFlat = pointsAt(shot({}, { on: 'track.flat', frame: 1 }), 4, inputs)
    for (const [n, place] of drawn.entries()) {
      const [x, y] = throughHomography(h, ...place)
      expect(byFlat[n]?.[0]).toBeCloseTo(x, 6)
      expect(byFlat[n]?.[1]).toBeCloseTo(y, 6)
    }
  })
  it('goes with a piece of the set as the camera sees it, and with a piece that moves', () => {
    const document = shot({}, { on: 'crate', frame: 1 })
    const centre = (frame: number, position: Vec3) => projectPoint(camera(frame), position)
    // Drawn round the crate's foot: the middle of the shape stays on that place.
    const first = centre(1, [0, 1, -6])
    const own = document.items.person as MatteItem
    const key = own.shapes.body?.keys[0]
    if (key) key.points = square((first?.x ?? 0) - 20, (first?.y ?? 0) - 20, 40) as never
    const middle = (points: number[][]): number[] =>
      [0, 1].map((c) => ((points[0]?.[c] ?? 0) + (points[2]?.[c] ?? 0)) / 2)
    const there = centre(6, [0, 1, -6])
    expect(middle(pointsAt(document, 6, {}))[0]).toBeCloseTo(there?.x ?? 0, 0)
    expect(middle(pointsAt(document, 6, {}))[1]).toBeCloseTo(there?.y ?? 0, 0)
    document.items.crate = {
      ...document.items.crate,
      motion: {
        curve: 'straight',
        keys: [1, 9].map((frame) => ({ frame, position: [0, frame === 1 ? 1 : 3, -6], turn: 0, tilt: 0, roll: 0 })),
      },
    } as never
    const lifted = centre(5, [0, 2, -6])
    expect(middle(pointsAt(document, 5, {}))[1]).toBeCloseTo(lifted?.y ?? 0, 0)
  })
  it('goes with another shape of its matte', () => {
    const document = shot({})
    const own = document.items.person as MatteItem
    const parent = own.shapes.body as MatteItem['shapes'][string]
    parent.keys = [1, 5].map((frame) => ({ frame, points: square(250 + 10 * frame, 200, 80) as never }))
    parent.curve = 'straight'
    own.shapes.child = { ...parent, order: 2, keys: [{ frame: 1, points: square(300, 220, 10) as never }] }
    Object.assign(own.shapes.child, { rides: { on: 'shape.body', frame: 1 } })
    const world = matteWorld(document, 3, camera)
    const child = riddenMatte(own, world.moves.person, 3, { opening: 3, closing: 3 }).shapes.child
    expect(child?.keys[0]?.points[0]?.at[0]).toBeCloseTo(320, 6)
    // A ring of parents moves nothing and ends.
    Object.assign(parent, { rides: { on: 'shape.child', frame: 1 } })
    expect(() => matteWorld(document, 3, camera)).not.toThrow()
  })
  it('stays as drawn where what it rides is not known', () => {
    expect(pointsAt(shot({}, { on: 'track.gone', frame: 1 }), 5, {})).toEqual(drawn)
    expect(pointsAt(shot({}, { on: 'gone', frame: 1 }), 5, {})).toEqual(drawn)
    expect(pointsAt(shot({}, { on: 'crate', frame: 1 }), 5, {}, (() => undefined) as never)).toEqual(drawn)
  })
  it('moves while the shutter is open, and makes other pictures when the track does', () => {
    const document = shot({ stands: 'distance' }, { on: 'track.point', frame: 1 })
    const inputs = (pace: number): SignalInputs => ({ track: (_, frame) => [[pace * frame, 0]] })
    const world = matteWorld(document, 4, camera, inputs(8))
    const open = riddenMatte(document.items.person as MatteItem, world.moves.person, 4, {
      opening: 3.75,
      closing: 4.25,
    })
    const xs = open.shapes.body?.keys.map(({ points }) => points[0]?.at[0])
    expect(xs?.map((x) => (x ?? 0) - 250)).toEqual([22, 24, 26].map((x) => expect.closeTo(x, 6)))
    const key = (pace: number): string => {
      const at = pictureFrame(document, camera, 4, inputs(pace))
      return recipeKey(pictureRecipe(document, at, 'final', () => ''))
    }
    expect(key(8)).toBe(key(8))
    expect(key(8)).not.toBe(key(9))
  })
})

describe('what a matte stands with', () => {
  const at = (frame: number, over: object, inputs: SignalInputs = {}, cameras = camera): number | undefined => {
    const document = shot({ stands: 'item', ...over })
    const world = matteWorld(document, frame, cameras, inputs)
    return matteStands(document, 'person', cameras(frame), { frame, open: { opening: frame, closing: frame }, world })
  }
  it('stands where an item is, nearer as it says', () => {
    expect(at(1, { standsWith: 'crate' })).toBeCloseTo(6, 6)
    expect(at(1, { standsWith: 'crate', nearer: 2 })).toBeCloseTo(4, 6)
    expect(at(1, { standsWith: 'gone' })).toBeUndefined()
  })
  it('stands where a track by hand is in the world, as the rays of its frames meet', () => {
    const place: Vec3 = [0.5, 1, -8]
    const track: SignalInputs['track'] = (_, frame) => {
      const seen = projectPoint(camera(frame), place)
      return seen ? [[seen.x, seen.y]] : undefined
    }
    expect(at(1, { standsWith: 'track.lamp' }, { track })).toBeCloseTo(8, 4)
    // A camera that stands still decides no distance.
    const same: SignalInputs['track'] = () => [[350, 260]]
    expect(trackPlace('lamp', shot({}), still, { track: same })).toBeUndefined()
  })
})
