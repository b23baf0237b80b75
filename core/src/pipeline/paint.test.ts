import { describe, expect, it } from 'vitest'
import { makeCrew } from '../base/index.ts'
import type { Camera } from '../data/index.ts'
import { gasSettings } from '../effects/gas/index.ts'
import { paintBounds } from '../gas/index.ts'
import { panTiltRoll } from '../math/index.ts'
import type { MatteItem } from '../mattes/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../shot/index.ts'
import { drawPaint, paintedPlace } from './paint.ts'
import { renderPicture } from './picture.ts'
import { pictureFrame } from './pictureFrame.ts'

const camera: Camera = {
  position: [0, 1, 0],
  rotation: [0, 0, 0, 1],
  focalPx: 80,
  centre: [40, 30],
  k1: 0,
  k2: 0,
  width: 80,
  height: 60,
}
/** A wall 4 m away, a stroke of 0.5 m across its middle. */
function shot(over: object = {}, stroke: object = {}): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 80, height: 60, first: 1, last: 9, rate: [24, 1], encoding: 'srgb' }
  const made = makeShot('One', plate as Parameters<typeof makeShot>[1])
  made.items.wall = makeItem('box', { name: 'Wall', order: 1, position: [0, 0, -5], width: 6, height: 3, depth: 2 })
  const points = [
    [-0.5, 1, 1],
    [0.5, 1, 1],
  ]
  const painted = { s: { order: 1, on: 'wall', radius: 0.25, soft: 0, points, ...stroke } }
  made.items.wet = makeItem('matte', { name: 'Wet', order: 2, stands: 'surface', painted, ...over } as never)
  return made
}
const paint = (document: ShotDocument, seen = camera) => drawPaint(document, document.items.wet as MatteItem, seen, 1)
const at = ({ image }: ReturnType<typeof drawPaint>, x: number, y: number): number => image.data[y * 80 + x] ?? 0

describe('a stroke on a surface', () => {
  it('covers what of the surface lies within its radius, where the surface is', () => {
    const drawn = paint(shot())
    // 20 px a metre at 4 m: 5 px about the line's ends, which lie 10 px to either side.
    expect([40, 30, 26, 24, 23].map((x) => at(drawn, x, 30))).toEqual(
      [1, 1, 1, 0, 0].map((v, n) => (n === 2 ? expect.closeTo(v, 1) : v)),
    )
    expect(drawn.distances.data[30 * 80 + 40]).toBeCloseTo(4, 6)
    expect(drawn.distances.data[5 * 80 + 40]).toBe(0)
    const area = drawn.image.data.reduce((sum, share) => sum + share, 0)
    expect(area / (20 * 10 + Math.PI * 25)).toBeCloseTo(1, 1)
  })
  it('stays on it as the camera moves, and as it is moved itself', () => {
    const document = shot()
    const turned = { ...camera, rotation: panTiltRoll(0.2, 0, 0), position: [1, 1, 0] as const }
    const place = paintedPlace(document, turned, [30, 30], 1)
    expect(place?.item).toBe('wall')
    const there = paint(shot({}, { points: [place?.at] }), turned)
    expect(at(there, 30, 30)).toBeGreaterThan(0.9)
    const wall = document.items.wall as { position: number[] }
    wall.position = [1, 0, -5]
    expect(at(paint(document), 60 - 1, 30)).toBe(1)
    expect(at(paint(document), 26, 30)).toBe(0)
  })
  it('is hidden by what stands before it', () => {
    const document = shot()
    document.items.crate = makeItem('box', {
      name: 'Crate',
      order: 3,
      position: [0, 0, -2],
      width: 0.5,
      height: 3,
      depth: 0.5,
    })
    expect([40, 27].map((x) => at(paint(document), x, 30))).toEqual([0, 1])
  })
  it('is erased in the order of the strokes, and fades as softly as it says', () => {
    const erased = shot()
    const own = erased.items.wet as MatteItem
    own.painted.e = { ...(own.painted.s as MatteItem['painted'][string]), order: 2, erase: true, points: [[0, 1, 1]] }
    expect([40, 31].map((x) => at(paint(erased), x, 30))).toEqual([0, 1])
    Object.assign(own.painted.e, { order: 0 })
    expect(at(paint(erased), 40, 30)).toBe(1)
    const soft = paint(shot({}, { soft: 1, radius: 0.5 }))
    expect([30, 34, 37].map((y) => at(soft, 40, y))).toEqual([
      expect.closeTo(1, 1),
      expect.closeTo(0.57, 1),
      expect.closeTo(0.16, 1),
    ])
  })
  it('holds out what is behind the surface at each pixel, and nothing before it', () => {
    const held = (z: number): number => {
      const document = shot({}, { points: [[0, 1, 1]], radius: 0.6 })
      document.items.wall = {
        ...document.items.wall,
        roles: { holdsOut: false, stops: false, receives: false },
      } as never
      document.items.ball = makeItem('form', {
        name: 'Ball',
        order: 4,
        shape: 'ball',
        position: [0, 0.5, z],
        width: 1,
        height: 1,
        depth: 1,
        carries: 'surface',
      })
      const frame = pictureFrame(document, () => camera, 1)
      const [own] = renderPicture(makeCrew(1), document, frame, () => undefined, 'final').layers
      return own?.alpha?.data[(30 - own.y) * own.width + 40 - own.x] ?? 0
    }
    expect(held(-7.5)).toBeCloseTo(0, 6)
    expect(held(-2.5)).toBeCloseTo(1, 6)
  })
})

describe('gas from what is painted', () => {
  const settings = (document: ShotDocument, matte = 'wet') => {
    document.items.smoke = makeItem('gas', { name: 'Smoke', order: 3, shape: 'painted', matte } as never)
    return gasSettings(document, 'smoke', 'full')
  }
  it('comes from the strokes where their surface stands, turned as it is', () => {
    const document = shot()
    Object.assign(document.items.wall as object, { turn: 90, roles: { stops: true, holdsOut: true, receives: true } })
    const { sources, sceneInputs, bounds } = settings(document)
    const shape = sources[0]?.shape
    expect(shape?.kind).toBe('painted')
    const { low, high } = paintBounds(shape?.kind === 'painted' ? shape.strokes : [], sceneInputs[0]?.solids ?? [])
    // The front of the wall looks to the right now: 1 m beside its middle, the stroke 1 m along it.
    expect([...low, ...high].map((value) => Number(value.toFixed(4)))).toEqual([0.75, 0.75, -5.75, 1.25, 1.25, -4.25])
    expect(bounds.low[0]).toBeLessThan(0.75)
  })
  it('says what is missing: a matte, paint, a surface that stops gas', () => {
    expect(() => settings(shot(), '')).toThrow(/none is chosen/)
    expect(() => settings(shot(), 'gone')).toThrow(/that matte is gone/)
    expect(() => settings(shot({}, { erase: true }))).toThrow(/paints nothing that stops gas/)
    expect(() => settings(shot({}, { on: 'gone' }))).toThrow(/paints nothing that stops gas/)
  })
})
