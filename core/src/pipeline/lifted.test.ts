import { describe, expect, it } from 'vitest'
import { makeCrew, recipeKey } from '../base/index.ts'
import { type Camera, type FloatImage, makeImage } from '../data/index.ts'
import { cardsEffect, plateClip } from '../effects/cards/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../shot/index.ts'
import { pictureRecipe, renderPicture } from './picture.ts'
import { pictureFrame } from './pictureFrame.ts'

// What a matte covers, lifted out of the plate; and cards that are seen only inside a matte.

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
const [X, Y, R] = [80, 60, 20]
const ring = (x: number, y: number, radius: number) =>
  Array.from({ length: 24 }, (_, n) => {
    const a = (n / 24) * 2 * Math.PI
    return { at: [x + radius * Math.cos(a), y + radius * Math.sin(a)], before: [0, 0], after: [0, 0], soft: 0 }
  })
/** A round matte 5 m away, and what it covers lifted out. */
function yard(over: object = {}): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 160, height: 120, first: 1, last: 9, rate: [24, 1], encoding: 'linear' }
  const made = makeShot('One', plate as unknown as Parameters<typeof makeShot>[1])
  made.items.person = makeItem('matte', {
    name: 'Person',
    order: 2,
    stands: 'distance',
    distance: 5,
    shapes: { body: { name: 'Body', order: 1, keys: [{ frame: 1, points: ring(X, Y, R) }] } },
  } as never)
  const lift = cardsEffect.presets.find(({ id }) => id === 'card-lifted')
  if (!lift) throw new TypeError('a preset')
  const { items } = lift.place(made, 'lifted', { position: [0, 0, 0], frame: 5 }) as { items: { lifted: object } }
  made.items.lifted = { ...items.lifted, ...over } as never
  // Nothing hides what is lifted but what a test says.
  made.items.person = { ...made.items.person, shown: false } as never
  return made
}
/** The plate: a person of one colour, brighter to the right, before a green yard. */
const plate = (): FloatImage => {
  const image = makeImage(160, 120, 3)
  for (let n = 0; n < 160 * 120; n++) {
    const [x, y] = [(n % 160) + 0.5, Math.floor(n / 160) + 0.5]
    const inside = Math.hypot(x - X, y - Y) < R
    image.data.set(inside ? [0.2 + 0.004 * x, 0.1, 0.05] : [0, 0.6, 0], 3 * n)
  }
  return image
}
const picture = (document: ShotDocument) =>
  renderPicture(
    makeCrew(1),
    document,
    pictureFrame(document, () => camera, 3),
    () => undefined,
    'final',
    {
      plates: () => plate(),
    },
  )
/** What a layer adds at a pixel, how much of it hides, and how far away it is. */
function seenAt(of: ReturnType<typeof picture>, id: string, x: number, y: number) {
  const layer = of.layers.find((one) => one.id === id)
  if (!layer || x < layer.x || y < layer.y || x >= layer.x + layer.width || y >= layer.y + layer.height)
    return { colour: [0, 0, 0], alpha: 0, depth: Infinity }
  const n = (y - layer.y) * layer.width + x - layer.x
  return {
    colour: [...(layer.emission?.data.subarray(3 * n, 3 * n + 3) ?? [0, 0, 0])],
    alpha: layer.alpha?.data[n] ?? 0,
    depth: layer.depth?.data[n] ?? 0,
  }
}

describe('what a matte covers, lifted out of the plate', () => {
  it('is seen where and as it was filmed, so far away as its matte stands', () => {
    const seen = picture(yard())
    for (const [x, y] of [
      [X, Y],
      [X + 12, Y - 8],
      [X - 14, Y + 5],
    ] as const) {
      const { colour, alpha, depth } = seenAt(seen, 'lifted', x, y)
      expect(alpha).toBeCloseTo(1, 2)
      expect(colour[0]).toBeCloseTo(0.2 + 0.004 * (x + 0.5), 2)
      expect(colour[1]).toBeCloseTo(0.1, 2)
      expect(Math.abs(depth - 5)).toBeLessThan(0.06)
    }
    expect(seenAt(seen, 'lifted', X + R + 4, Y).alpha).toBe(0)
    // Its rim has none of the green behind it.
    for (let x = X; x < X + R + 3; x++) {
      const { colour, alpha } = seenAt(seen, 'lifted', x, Y)
      if (alpha > 0.05) expect((colour[1] ?? 0) / alpha).toBeLessThan(0.16)
    }
  })
  it('stands elsewhere by metres: a metre to the right five metres away, and half as large twice as far', () => {
    const aside = picture(yard({ moved: [1, 0, 0] }))
    expect(seenAt(aside, 'lifted', X, Y).alpha).toBe(0)
    expect(seenAt(aside, 'lifted', X + 32, Y).colour[0]).toBeCloseTo(0.2 + 0.004 * (X + 0.5), 2)
    const behind = picture(yard({ moved: [0, 0, -5] }))
    expect(seenAt(behind, 'lifted', X + 6, Y).alpha).toBeCloseTo(1, 2)
    expect(seenAt(behind, 'lifted', X + 13, Y).alpha).toBe(0)
    expect(Math.abs(seenAt(behind, 'lifted', X, Y).depth - 10)).toBeLessThan(0.06)
  })
  it('is a frame of another moment where it begins later, seen by that frame’s camera', () => {
    const later = yard({ begins: 2 })
    expect(cardsEffect.camerasOf(later, 'lifted', 3)).toEqual([2])
    const at = pictureFrame(later, (frame) => ({ ...camera, position: [frame, 1.5, 0] }), 3)
    expect(at.others?.[2]?.position).toEqual([2, 1.5, 0])
    expect(cardsEffect.mattesOf(later, 'lifted', 3)).toEqual([{ matte: 'person', frame: 2 }])
  })
  it('is computed anew where its matte changes, and shows nothing without one', () => {
    const key = (document: ShotDocument) =>
      recipeKey(
        pictureRecipe(
          document,
          pictureFrame(document, () => camera, 3),
          'look',
          () => '',
        ),
      )
    const other = yard()
    const { person } = other.items
    if (person?.kind === 'matte') other.items.person = { ...person, grow: 3 }
    expect(key(other)).not.toBe(key(yard()))
    expect(key(yard())).toBe(key(yard()))
    expect(picture(yard({ cutBy: '' })).layers.find(({ id }) => id === 'lifted')?.alpha).toBeUndefined()
  })
  it('is cut by the drawn matte that came with another shot’s plate', () => {
    const { person } = yard().items
    const clip = { ...plateClip(yard()), asset: 'b', shot: 'Two', mattes: { body: person } }
    const over = { clip, cutBy: 'body', far: 'in the set', position: [0, 1.5, -5], height: 3.75, foot: 50 }
    const seen = picture(yard(over))
    expect(seenAt(seen, 'lifted', X, Y).alpha).toBeCloseTo(1, 2)
    expect(seenAt(seen, 'lifted', X, Y).colour[0]).toBeCloseTo(0.2 + 0.004 * (X + 0.5), 2)
    expect(seenAt(seen, 'lifted', X + R + 4, Y).alpha).toBe(0)
    // A matte of this shot is none of that one's.
    expect(picture(yard({ ...over, cutBy: 'person' })).layers.find(({ id }) => id === 'lifted')?.alpha).toBeUndefined()
  })
})

describe('a card that is seen only inside a matte', () => {
  it('is there inside it and nowhere else', () => {
    const inside = picture(
      yard({
        there: 'all of it',
        far: 'in the set',
        faces: 'camera',
        position: [0, 0, -5],
        height: 4,
        feather: 0,
        inside: 'person',
      }),
    )
    expect(seenAt(inside, 'lifted', X, Y).alpha).toBeCloseTo(1, 2)
    for (const [x, y] of [
      [X + R + 3, Y],
      [X, Y - R - 3],
    ] as const)
      expect(seenAt(inside, 'lifted', x, y).alpha).toBeCloseTo(0, 3)
  })
})
