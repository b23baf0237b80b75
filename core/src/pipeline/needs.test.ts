import { describe, expect, it } from 'vitest'
import type { Camera } from '../data/index.ts'
import type { MatteItem } from '../mattes/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../shot/index.ts'
import { coverOfBoxes, coversAt, NEED_WIDTH, needRaster, needsAt } from './needs.ts'
import { type PictureFrame, pictureFrame } from './pictureFrame.ts'

const camera: Camera = {
  position: [0, 1.5, 0],
  rotation: [0, 0, 0, 1],
  focalPx: 640,
  centre: [320, 240],
  k1: 0,
  k2: 0,
  width: 640,
  height: 480,
}
const square = (x: number, y: number, wide: number, high: number) =>
  [
    [x, y],
    [x + wide, y],
    [x + wide, y + high],
    [x, y + high],
  ].map(([u, v]) => ({ at: [u, v] as [number, number], before: [0, 0], after: [0, 0], soft: 0 }))
/** A person 5 m away in the middle of the picture. */
function shot(over: object = {}): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 640, height: 480, first: 1, last: 9, rate: [24, 1], encoding: 'srgb' }
  const made = makeShot('One', plate as Parameters<typeof makeShot>[1])
  made.items.person = makeItem('matte', {
    name: 'Person',
    order: 3,
    stands: 'distance',
    distance: 5,
    shapes: { body: { name: 'Body', order: 1, keys: [{ frame: 1, points: square(280, 160, 80, 240) }] } },
    ...over,
  } as never)
  return made
}
/** Smoke in boxes of the world: x y z to x y z. */
const needs = (document: ShotDocument, boxes: readonly number[], frame = 1) => {
  const at: PictureFrame = pictureFrame(document, () => camera, frame)
  const covers = new Map(boxes.length > 0 ? [['smoke', coverOfBoxes(needRaster(camera), boxes)]] : [])
  return needsAt(document, at, covers, () => undefined)
}
const BEHIND = [-2, -1, -8, 2, 3, -7]

describe('where a matte is needed', () => {
  it('is needed where something lies behind what it covers, and not where that is before it or beside it', () => {
    const behind = needs(shot(), BEHIND).mattes.person
    expect(behind?.items.smoke).toEqual({ behind: 1, before: 0 })
    expect([behind?.from, behind?.to]).toEqual([0, 1])
    const before = needs(shot(), [-2, -1, -4, 2, 3, -3]).mattes.person
    expect(before?.items.smoke).toEqual({ behind: 0, before: 1 })
    expect(before?.cells).toEqual([])
    expect(needs(shot(), [2, 0, -8, 4, 3, -7]).mattes.person?.items).toEqual({})
    // Smoke round it lies both behind and before.
    expect(needs(shot(), [-2, -1, -6, 2, 3, -4]).mattes.person?.items.smoke).toEqual({ behind: 1, before: 1 })
  })
  it('says which part of it: smoke behind its right half alone', () => {
    const need = needs(shot(), [0.05, 0, -8, 3, 3, -7]).mattes.person
    expect(need?.from).toBeGreaterThan(0.4)
    expect(need?.to).toBe(1)
    expect(need?.items.smoke?.behind).toBeCloseTo(0.5, 1)
    const middle = NEED_WIDTH / 2
    expect(need?.cells.every((n) => n % NEED_WIDTH >= middle)).toBe(true)
  })
  it('is needed before it is drawn: wherever something lies behind where it will stand', () => {
    const empty = needs(shot({ shapes: {} }), BEHIND).mattes.person
    expect(empty?.there).toBe(false)
    expect(empty?.items.smoke?.behind).toBe(1)
    expect(empty?.cells.length).toBeGreaterThan(100)
  })
  it('asks of what it is to cut alone', () => {
    expect(needs(shot({ cuts: 'chosen', cut: ['other'] }), BEHIND).mattes.person?.items).toEqual({})
    expect(needs(shot({ cuts: 'chosen', cut: ['smoke'] }), BEHIND).mattes.person?.items.smoke?.behind).toBe(1)
  })
  it('leaves hidden mattes and those that stand nowhere out', () => {
    expect(needs(shot({ shown: false }), BEHIND).mattes).toEqual({})
    expect(needs(shot({ stands: 'nowhere' }), BEHIND).mattes).toEqual({})
  })
})

describe('what is added', () => {
  it('is seen so far as the set and mattes before it don’t hide it', () => {
    const document = shot({ shapes: {} })
    // 4 m wide at 7 m and nearer: 366 px of 640, 4 m high, of which the picture holds all.
    const free = needs(document, BEHIND).items.smoke
    expect(free?.hidden).toBe(0)
    expect(free?.share).toBeCloseTo((366 * 366) / (640 * 480), 1)
    document.items.wall = makeItem('box', {
      name: 'Wall',
      order: 1,
      position: [2, 0, -6],
      width: 4,
      height: 4,
      depth: 0.2,
    })
    expect(needs(document, BEHIND).items.smoke?.hidden).toBeCloseTo(0.4, 1)
    const person = needs(shot(), BEHIND).items.smoke?.hidden ?? 0
    expect(person).toBeGreaterThan(0.1)
    expect(person).toBeLessThan(0.3)
    expect(needs(shot(), [-2, 0, 1, 2, 3, 2]).items.smoke).toEqual({ share: 0, hidden: 0 })
  })
  it('crosses people where a region moves by itself and no matte covers it', () => {
    const document = shot()
    const keys = [{ frame: 1, points: square(280, 160, 80, 240).map(({ at }) => at) }]
    document.match.keepOuts.k = { name: 'Worker', shown: true, keys } as never
    expect(needs(document, BEHIND).uncovered).toEqual({})
    const gone = {
      ...document,
      items: { ...document.items, person: { ...document.items.person, shown: false } as MatteItem },
    }
    expect(needs(gone, BEHIND).uncovered).toEqual({ Worker: ['smoke'] })
    expect(needs(gone, [2, 0, -8, 4, 3, -7]).uncovered).toEqual({})
  })
  it('covers what its boxes span from the camera, where it is shown', () => {
    const raster = needRaster(camera)
    const { near, far } = coverOfBoxes(raster, [-0.5, 1, -5, 0.5, 2, -4])
    const middle = (raster.height >> 1) * raster.width + (raster.width >> 1)
    expect([near[middle], far[middle], far[0]]).toEqual([4, 5, 0])
    const moved = coverOfBoxes(raster, [-0.5, 1, -5, 0.5, 2, -4], {
      turn: [0, 0, 0, 1],
      scale: 2,
      mirror: false,
      shift: [0, -2, 0],
    })
    expect(moved.far[middle]).toBe(10)
  })
  it('takes boxes of kept frames alone, and none of mattes', () => {
    const document = shot()
    const at = {
      ...pictureFrame(document, () => camera, 1),
      instances: [
        {
          item: 'a',
          of: 'a',
          frames: [{ frame: 1, weight: 1, ahead: 0 }],
          place: { turn: [0, 0, 0, 1], scale: 1, mirror: false, shift: [0, 0, 0] },
          look: null,
        },
        {
          item: 'person',
          of: 'person',
          frames: [{ frame: 1, weight: 1, ahead: 0 }],
          place: { turn: [0, 0, 0, 1], scale: 1, mirror: false, shift: [0, 0, 0] },
          look: null,
        },
      ] as never,
    }
    expect([...coversAt(document, at, needRaster(camera), () => BEHIND).keys()]).toEqual(['a'])
    expect(coversAt(document, at, needRaster(camera), () => undefined).size).toBe(0)
  })
})
