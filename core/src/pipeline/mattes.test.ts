import { describe, expect, it } from 'vitest'
import { makeCrew, recipeKey } from '../base/index.ts'
import type { Camera } from '../data/index.ts'
import type { MatteItem } from '../mattes/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../shot/index.ts'
import { footOf, matteDistance } from './mattes.ts'
import { pictureRecipe, renderPicture } from './picture.ts'
import { pictureFrame } from './pictureFrame.ts'

const camera: Camera = {
  position: [0, 1.5, 0],
  rotation: [0, 0, 0, 1],
  focalPx: 64,
  centre: [32, 24],
  k1: 0,
  k2: 0,
  width: 64,
  height: 48,
}
const square = (x: number, y: number, wide: number, high: number) =>
  [
    [x, y],
    [x + wide, y],
    [x + wide, y + high],
    [x, y + high],
  ].map(([u, v]) => ({ at: [u, v] as [number, number], before: [0, 0], after: [0, 0], soft: 0 }))
/** A ball of the set 5 m or 7 m away, and a person drawn before its middle. */
function shot(depth: number, over: Partial<MatteItem> = {}): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 64, height: 48, first: 1, last: 9, rate: [24, 1], encoding: 'srgb' }
  const made = makeShot('One', plate as Parameters<typeof makeShot>[1])
  made.items.ground = makeItem('ground', { name: 'Ground', order: 1 })
  made.items.ball = makeItem('form', {
    name: 'Ball',
    order: 2,
    shape: 'ball',
    position: [0, 0, -depth],
    width: 2,
    height: 2,
    depth: 2,
    carries: 'surface',
    surfaceColour: [0.5, 0.5, 0.5],
  })
  const keys = [{ frame: 1, points: square(24, 10, 9, 30) }]
  made.items.person = makeItem('matte', {
    name: 'Person',
    order: 3,
    shapes: { body: { name: 'Body', order: 1, keys } } as unknown as MatteItem['shapes'],
    ...over,
  })
  return made
}
const seen = (document: ShotDocument, quality: 'look' | 'final' = 'final') => {
  const at = pictureFrame(document, () => camera, 1)
  return renderPicture(makeCrew(1), document, at, () => undefined, quality)
}
const alphaAt = (document: ShotDocument, x: number, y: number): number => {
  const [own] = seen(document).layers
  return own?.alpha?.data[(y - own.y) * own.width + x - own.x] ?? 0
}
const person = (document: ShotDocument): MatteItem => document.items.person as MatteItem

describe('what a matte covers', () => {
  it('stands where its foot meets the set, or as far as is said', () => {
    const document = shot(7)
    // Its lowest corners are 16 px below the middle: 1.5 m down, 64 px a metre at a metre.
    expect(footOf(person(document), 1)?.[1]).toBe(40)
    expect(matteDistance(document, person(document), camera, 1)).toBeCloseTo((1.5 * 64) / 16, 6)
    const nearer = { ...person(document), nearer: 1.5 }
    expect(matteDistance(document, nearer, camera, 1)).toBeCloseTo(4.5, 6)
    expect(matteDistance(document, { ...nearer, stands: 'distance', distance: 2 }, camera, 1)).toBe(2)
    expect(matteDistance(document, { ...nearer, stands: 'nowhere' }, camera, 1)).toBeUndefined()
    expect(matteDistance(document, { ...nearer, stands: 'place', position: [0, 0, 3] }, camera, 1)).toBeUndefined()
  })
  it('stands on level sides alone: what hides its feet is not what it stands on', () => {
    const document = shot(7)
    const crate = { order: 4, position: [0, 0, -4] as [number, number, number], width: 2, height: 0.4, depth: 0.4 }
    document.items.crate = makeItem('box', { name: 'Crate', ...crate })
    expect(matteDistance(document, person(document), camera, 1)).toBeCloseTo((1.5 * 64) / 16, 6)
    // On a platform it stands nearer than on the ground behind.
    document.items.crate = makeItem('box', { name: 'Stage', ...crate, width: 6, height: 0.5, depth: 6 })
    expect(matteDistance(document, person(document), camera, 1)).toBeCloseTo((1 * 64) / 16, 4)
  })
  it('holds out what is farther, and not what is nearer', () => {
    expect(alphaAt(shot(7), 29, 24)).toBeCloseTo(0, 6)
    expect(alphaAt(shot(7), 36, 24)).toBeCloseTo(1, 6)
    expect(alphaAt(shot(5), 29, 24)).toBeCloseTo(1, 6)
    expect(alphaAt(shot(7, { stands: 'nowhere' }), 29, 24)).toBeCloseTo(1, 6)
    expect(alphaAt(shot(7, { shown: false }), 29, 24)).toBeCloseTo(1, 6)
  })
  it('is cut by a carried frame, standing at its foot, and by none beyond its frames', () => {
    const strokes = { a: { order: 1, frame: 1, inside: true, points: [[28, 20]] } }
    const carried = (over: object = {}) =>
      shot(7, { shapes: {}, helped: { from: 1, to: 4, strokes, carried: 1, ...over } } as never)
    const kept = {
      width: 64,
      height: 48,
      x: 24,
      y: 10,
      wide: 9,
      high: 30,
      alpha: new Uint8Array(270).fill(255),
      inside: new Uint8Array(270).fill(1),
    }
    const figure = (_: string, name: string): number => (name === 'footX' ? 28 / 64 : 40 / 48)
    const alpha = (document: ShotDocument, frame: number): number => {
      const at = pictureFrame(document, () => camera, frame, { figure })
      const data = (item: string): unknown => (item === 'person' ? kept : undefined)
      const [own] = renderPicture(makeCrew(1), document, at, data, 'final').layers
      return own?.alpha?.data[(24 - own.y) * own.width + 29 - own.x] ?? 0
    }
    expect(alpha(carried(), 1)).toBeCloseTo(0, 6)
    expect(alpha(carried(), 5)).toBeCloseTo(1, 6)
    expect(alpha(carried({ carried: 0 }), 1)).toBeCloseTo(1, 6)
    // Inverted, what was never carried does not cover everything.
    const inverted = carried()
    Object.assign(person(inverted), { inverted: true, stands: 'distance', distance: 3 })
    expect(alpha(inverted, 5)).toBeCloseTo(1, 6)
    expect(alpha(inverted, 1)).toBeCloseTo(1, 6)
  })
  it('leaves no fringe: at its edge both have their share', () => {
    const half = shot(7)
    const shape = person(half).shapes.body as MatteItem['shapes'][string]
    for (const point of shape.keys[0]?.points ?? []) point.at[0] += 0.5
    expect(Math.abs(alphaAt(half, 33, 24) - 0.5)).toBeLessThan(0.02)
  })
  it('makes those frames stale alone that it is changed on', () => {
    const key = (document: ShotDocument, frame: number): string =>
      recipeKey(
        pictureRecipe(
          document,
          pictureFrame(document, () => camera, frame),
          'look',
          () => 'x',
        ),
      )
    const document = shot(7)
    const shape = person(document).shapes.body as MatteItem['shapes'][string]
    shape.keys = [1, 2, 3, 4, 5, 6, 7, 8, 9].map((frame) => ({ frame, points: square(24, 10, 9, 30) as never }))
    const before = [1, 9].map((frame) => key(document, frame))
    const changed = structuredClone(document)
    ;(person(changed).shapes.body as MatteItem['shapes'][string]).keys[8] = {
      frame: 9,
      points: square(20, 10, 9, 30) as never,
    }
    expect(key(changed, 1)).toBe(before[0])
    expect(key(changed, 9)).not.toBe(before[1])
    expect(key(shot(7, { stands: 'nowhere' }), 1)).not.toBe(key(shot(7), 1))
  })
})
