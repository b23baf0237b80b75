import { describe, expect, it } from 'vitest'
import { makeCrew, recipeKey } from '../base/index.ts'
import type { Camera } from '../data/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../shot/index.ts'
import { pictureRecipe, renderPicture } from './picture.ts'
import { pictureFrame } from './pictureFrame.ts'

// Light on what was filmed inside a matte.

const camera: Camera = {
  position: [0, 1.5, 0],
  rotation: [0, 0, 0, 1],
  focalPx: 160,
  centre: [80, 60],
  k1: 0,
  k2: 0,
  width: 160,
  height: 120,
}
const [X, Y, R] = [80, 60, 30]
/** A round matte 5 m away before a wall, a lamp beside it to the right. */
function yard(relight: object = {}, lamp: object = {}): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 160, height: 120, first: 1, last: 9, rate: [24, 1], encoding: 'srgb' }
  const made = makeShot('One', plate as Parameters<typeof makeShot>[1])
  made.items.wall = makeItem('box', { name: 'Wall', order: 1, position: [0, 0, -9], width: 20, height: 8, depth: 0.2 })
  const points = Array.from({ length: 24 }, (_, n) => {
    const a = (n / 24) * 2 * Math.PI
    return {
      at: [X + R * Math.cos(a), Y + R * Math.sin(a)] as [number, number],
      before: [0, 0],
      after: [0, 0],
      soft: 0,
    }
  })
  made.items.person = makeItem('matte', {
    name: 'Person',
    order: 2,
    stands: 'distance',
    distance: 5,
    shapes: { body: { name: 'Body', order: 1, keys: [{ frame: 1, points }] } },
  } as never)
  made.items.lamp = makeItem('lamp', {
    name: 'Lamp',
    order: 3,
    shape: 'point',
    size: 0,
    kelvin: 6504,
    position: [3, 1.5, -5],
    lumens: 300_000,
    ...lamp,
  })
  made.items.relit = makeItem('relight', { name: 'Relit', order: 4, matte: 'person', round: 1, ...relight } as never)
  return made
}
const picture = (document: ShotDocument) =>
  renderPicture(
    makeCrew(1),
    document,
    pictureFrame(document, () => camera, 1),
    () => undefined,
    'final',
  )
/** Light of a layer at a pixel, red. */
function lightAt(of: ReturnType<typeof picture>, id: string, x: number, y: number): number {
  const layer = of.layers.find((one) => one.id === id)
  if (!layer?.light || x < layer.x || y < layer.y || x >= layer.x + layer.width || y >= layer.y + layer.height) return 0
  return layer.light.data[3 * ((y - layer.y) * layer.width + x - layer.x)] ?? 0
}

describe('what was filmed inside a matte', () => {
  it('is lit by the lamps of the shot where it faces them, by the law of the cosine', () => {
    const lit = picture(yard())
    const at = (x: number, y = Y): number => lightAt(lit, 'lamp', x, y)
    expect(at(X - 20)).toBe(0)
    expect(at(X + 25)).toBeGreaterThan(2 * at(X + 10))
    // A ball of 30 px at 5 m is 0.9375 m in radius. A point of it faces the lamp by the cosine.
    const own = 5 / 160
    const [dx, h] = [25.5 * own, Math.sqrt(R * R - 25.5 * 25.5) * own]
    const [nx, nz] = [dx / (R * own), h / (R * own)]
    const away = [3 - dx, -h] as const
    const far = Math.hypot(...away)
    const cosine = (nx * away[0] + nz * away[1] + 0.15 * far) / far / 1.15
    const power = 300_000 / (4 * Math.PI) / yard().light.illuminance
    expect(at(X + 25) / ((power * cosine) / far ** 2)).toBeGreaterThan(0.8)
    expect(at(X + 25) / ((power * cosine) / far ** 2)).toBeLessThan(1.25)
  })
  it('gets none of the light on the wall behind it, and gives none beyond its rim', () => {
    const [bare, lit] = [
      picture({ ...yard(), items: { ...yard().items, relit: { ...yard().items.relit, shown: false } as never } }),
      picture(yard()),
    ]
    expect(lightAt(bare, 'lamp', X - 20, Y)).toBeGreaterThan(0.01)
    expect(lightAt(lit, 'lamp', X - 20, Y)).toBe(0)
    for (const [x, y] of [
      [X + R + 2, Y],
      [X, Y - R - 2],
      [X - R - 2, Y],
    ] as const)
      expect(lightAt(lit, 'lamp', x, y)).toBeCloseTo(lightAt(bare, 'lamp', x, y), 6)
  })
  it('is lit from a side in a colour of its own, by its amount, kept off by a matte', () => {
    const document = yard({ by: 'a side', azimuth: 90, elevation: 0, level: 0.8, tint: [1, 0.5, 0], wrap: 0 })
    const lit = picture(document)
    expect(lightAt(lit, 'lamp', X + 20, Y)).toBe(0)
    expect(lightAt(lit, 'relit', X - 15, Y)).toBe(0)
    // Its right rim faces the side.
    expect(lightAt(lit, 'relit', X + 27, Y)).toBeGreaterThan(0.6)
    expect(lightAt(lit, 'relit', X + 27, Y)).toBeLessThan(0.8)
    const left = picture(yard({ by: 'a side', azimuth: -90, elevation: 0, level: 0.8, wrap: 0 }))
    expect(lightAt(left, 'relit', X - 27, Y)).toBeGreaterThan(0.6)
    const kept = picture(yard({ by: 'a side', keep: 'person' }))
    expect(lightAt(kept, 'relit', X + 27, Y)).toBe(0)
  })
  it('is not lit by others than the one that is chosen', () => {
    const document = yard({ only: 'other' })
    document.items.other = makeItem('lamp', { name: 'Other', order: 5, shape: 'point', position: [-3, 1.5, -5] })
    const lit = picture(document)
    expect(lightAt(lit, 'lamp', X + 25, Y)).toBe(0)
    expect(lightAt(lit, 'other', X - 25, Y)).toBeGreaterThan(0)
  })
  it('adds up where two of them light the same subject', () => {
    const two = yard({ amount: 0.75 })
    two.items.more = makeItem('relight', { name: 'More', order: 6, matte: 'person', round: 1, amount: 0.25 } as never)
    const side = yard()
    side.items.more = makeItem('relight', { name: 'More', order: 6, matte: 'person', by: 'a side' } as never)
    const once = lightAt(picture(yard()), 'lamp', X + 20, Y)
    expect(lightAt(picture(two), 'lamp', X + 20, Y)).toBeCloseTo(once, 5)
    expect(lightAt(picture(side), 'lamp', X + 20, Y)).toBeCloseTo(once, 5)
  })
  it('shows its form as a relief to judge it by', () => {
    const shown = picture(yard({ shows: 'its form' })).layers.find(({ id }) => id === 'relit')
    if (!shown?.colour || !shown.alpha) throw new TypeError('a relief')
    const grey = (x: number, y: number): number =>
      shown.colour?.data[3 * ((y - shown.y) * shown.width + x - shown.x)] ?? 0
    expect(grey(X - 15, Y - 15)).toBeGreaterThan(grey(X + 15, Y + 15) + 0.2)
  })
  it('has the form of what of the set stands there', () => {
    // The wall faces the camera, so a light from the side leaves it dark.
    const flat = picture(
      yard({ directions: 'from the set', by: 'a side', azimuth: 0, elevation: 0, level: 1, tint: [1, 1, 1], wrap: 0 }),
    )
    expect(lightAt(flat, 'relit', X, Y)).toBeCloseTo(1, 3)
    const sideways = picture(yard({ directions: 'from the set', by: 'a side', azimuth: 90, elevation: 0, wrap: 0 }))
    expect(lightAt(sideways, 'relit', X, Y)).toBeLessThan(1e-3)
  })
  it('is nothing where its matte has nothing to say, and has a key for that', () => {
    const document = yard({ limbA: 'gone' })
    Object.assign(document.items.person as object, {
      shapes: {},
      helped: { from: 5, to: 9, strokes: {}, carried: 1, accepted: {} },
    })
    const at = pictureFrame(document, () => camera, 1)
    expect(recipeKey(pictureRecipe(document, at, 'look', () => ''))).toMatch(/./)
    expect(picture(document).layers.some(({ id }) => id === 'relit')).toBe(false)
  })
  it('is another picture when its matte changes, and none without one', () => {
    const key = (document: ShotDocument) =>
      recipeKey(
        pictureRecipe(
          document,
          pictureFrame(document, () => camera, 1),
          'look',
          () => '',
        ),
      )
    const moved = yard()
    ;(moved.items.person as { grow: number }).grow = 3
    expect(key(moved)).not.toBe(key(yard()))
    expect(picture(yard({ matte: '', by: 'a side' })).layers.some(({ id }) => id === 'relit')).toBe(false)
  })
})
