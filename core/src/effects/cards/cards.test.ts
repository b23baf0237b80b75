import { describe, expect, it } from 'vitest'
import { makeImage } from '../../data/index.ts'
import { rotate, type Vec3 } from '../../math/index.ts'
import { carriedFrames } from '../../pipeline/index.ts'
import { makeItem, makeShot, type ShotDocument } from '../../shot/index.ts'
import { type CardLook, cardInstances, cardSpeed, cardsEffect, drawCard, facing } from './index.ts'

/** A yard with a clip of 100 frames shot at 120 and delivered at 50. */
function yard(over: Record<string, unknown> = {}): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 320, height: 180, first: 1, last: 40, rate: [24, 1], encoding: 'srgb' }
  const shot = makeShot('Yard', plate as Parameters<typeof makeShot>[1])
  shot.items.card = makeItem('card', {
    name: 'Puff',
    order: 1,
    position: [1, 0, -2],
    shotAt: 120,
    begins: 5,
    height: 3,
    clip: {
      shot: '',
      asset: 'c',
      file: 'puff.mp4',
      first: 1,
      last: 100,
      width: 160,
      height: 80,
      rate: 50,
      encoding: 'rec709',
      curve: 'clip',
    },
    ...over,
  } as never)
  return shot
}
const camera = { position: [1, 1.6, 6] as Vec3 }
/** A frame of the clip: level 0.5 in its left half. */
const looksOf = (shot: ShotDocument, frame: number): CardLook[] =>
  cardInstances(shot, 'card', frame, {}).flatMap(({ look }) => look ?? [])
const frameOf = () => {
  const image = makeImage(16, 8, 3)
  for (let n = 0; n < 128; n++) if (n % 16 < 8) image.data.set([0.5, 0.25, 0.125], 3 * n)
  return image
}

describe('a card', () => {
  it('shows the frame of its clip that is due, at the speed that it was filmed at', () => {
    const frames = (over: object, frame: number) => looksOf(yard(over as never), frame)[0]?.frames
    expect(frames({}, 4)).toBeUndefined()
    expect(frames({}, 5)).toEqual([{ frame: 1, share: 1 }])
    expect(frames({}, 9)).toEqual([{ frame: 21, share: 1 }])
    expect(frames({ reversed: true }, 9)).toEqual([{ frame: 80, share: 1 }])
    expect(frames({ ends: 8 }, 9)).toBeUndefined()
    const item = yard().items.card
    expect(item?.kind === 'card' && cardSpeed(item, 24)).toEqual({ step: 5, delivered: 2.4 })
    expect([...carriedFrames(yard(), 9).keys()]).toEqual(['c/21/rec709/clip/whole'])
  })
  it('stands as high as it is told on its foot, as bright as it was filmed, see-through where it is dark', () => {
    const [instance] = cardInstances(yard({ foot: 10, feather: 0, lift: 0, exposure: 1 }), 'card', 9, {})
    if (!instance) throw new TypeError('it is shown')
    const asked: unknown[] = []
    const [card] = drawCard(instance, [], { camera, clip: (of: unknown) => (asked.push(of), frameOf()) } as never)
    expect(asked).toEqual([{ asset: 'c', encoding: 'rec709', curve: 'clip', whole: true, frame: 21 }])
    if (card?.kind !== 'thing') throw new TypeError('a card')
    expect(card.opening).toMatchObject({ place: [1, 0, -2], scale: 3 })
    const heights = [...card.mesh.positions].filter((_, n) => n % 3 === 1)
    expect(3 * Math.min(...heights)).toBeCloseTo(-0.3, 6)
    expect(3 * Math.max(...heights)).toBeCloseTo(2.7, 6)
    const [material] = card.materials
    const most = 0.5 / (0.5 / 0.6)
    expect(material?.emission[0]).toBeCloseTo(2 * most, 5)
    // Half of it is there, as much as 0.5 of the 0.6 that hide all.
    expect(Math.abs((material?.baseMap?.data[3] ?? 0) - (255 * 0.5) / 0.6)).toBeLessThan(1)
    expect(material?.baseMap?.data[4 * 12 + 3]).toBe(0)
    // Nothing until its frame is there.
    expect(drawCard(instance, [], { camera, clip: () => undefined } as never)).toEqual([])
  })
  it('faces the camera about its upright, wholly, or by its own turn', () => {
    const to = (faces: 'upright' | 'camera' | 'fixed', eye: Vec3): Vec3 =>
      rotate(facing({ faces, turn: [0, 0, 0, 1], place: [0, 0, 0] }, eye), [0, 0, 1])
    const near = (a: Vec3, b: Vec3) => a.forEach((v, n) => expect(v).toBeCloseTo(b[n] ?? 9, 6))
    near(to('upright', [3, 4, 0]), [1, 0, 0])
    near(to('camera', [0, 4, 3]), [0, 0.8, 0.6])
    near(to('fixed', [3, 4, 0]), [0, 0, 1])
  })
  it('is spread in copies, each with a start, a size and a side of its own, the first as it is', () => {
    const shot = yard({ copies: 12, wide: 4, deep: 2, startSpread: 10, scaleSpread: 30, after: 'loop' })
    const all = looksOf(shot, 30)
    expect(all).toHaveLength(12)
    expect(all[0]).toMatchObject({ place: [1, 0, -2], height: 3, mirror: false })
    for (const { place, height } of all) {
      expect(Math.abs(place[0] - 1)).toBeLessThanOrEqual(2)
      expect(Math.abs(place[2] + 2)).toBeLessThanOrEqual(1)
      expect(Math.abs(height / 3 - 1)).toBeLessThanOrEqual(0.3)
    }
    expect(new Set(all.map(({ frames }) => frames[0]?.frame)).size).toBeGreaterThan(3)
    expect(new Set(all.map(({ mirror }) => mirror)).size).toBe(2)
    const clips = cardsEffect.clips(shot, 'card', 30)
    expect(new Set(clips.map(({ frame }) => frame)).size).toBe(clips.length)
    // In bursts one comes after another.
    const bursts = yard({ copies: 4, every: 6 })
    expect([5, 11, 17, 23].map((frame) => cardInstances(bursts, 'card', frame, {}).length)).toEqual([1, 2, 3, 4])
  })
  it('in the sky is as large from everywhere, and never nearer', () => {
    const [instance] = cardInstances(yard({ far: 'in the sky', azimuth: 90, elevation: 30, degrees: 2 }), 'card', 9, {})
    if (!instance) throw new TypeError('it is shown')
    for (const position of [
      [0, 1.6, 6],
      [40, 3, -20],
    ] as Vec3[]) {
      const [card] = drawCard(instance, [], { camera: { position }, clip: frameOf } as never)
      if (card?.kind !== 'thing') throw new TypeError('a card')
      const { place, scale } = card.opening
      const away = place.map((v, n) => v - (position[n] ?? 0))
      const far = Math.hypot(...away)
      expect((away[0] ?? 0) / far).toBeCloseTo(Math.cos(Math.PI / 6), 5)
      expect((away[1] ?? 0) / far).toBeCloseTo(0.5, 5)
      expect((2 * Math.atan(scale / 2 / far) * 180) / Math.PI).toBeCloseTo(2, 5)
    }
  })
  it('turns its lit side towards the sun where it is told to, mirrored or not', () => {
    for (const mirror of [false, true])
      for (const [sun, x, y] of [
        [[1, 0, 0], 1, 0],
        [[0, 1, 0], 0, 1],
        [[-1, 0, 0.2], -1, 0],
      ] as [Vec3, number, number][]) {
        // Straight ahead; the left half of its frame is the brighter one.
        const shot = yard({ far: 'in the sky', elevation: 0, litSide: true, there: 'all of it', feather: 0, mirror })
        const [instance] = cardInstances(shot, 'card', 9, {})
        const context = { camera: { position: [0, 0, 0] }, clip: frameOf, sun: { direction: sun, share: 1 } }
        const [card] = instance ? drawCard(instance, [], context as never) : []
        if (card?.kind !== 'thing') throw new TypeError('a card')
        const bright = rotate(card.opening.rotation, [mirror ? 1 : -1, 0, 0])
        expect(bright[0]).toBeCloseTo(x, 5)
        expect(bright[1]).toBeCloseTo(y, 5)
      }
  })
  it('is turned to the sun as soon as it is told, though its frame was shown before', () => {
    const image = frameOf()
    const turnOf = (litSide: boolean): number => {
      const shot = yard({ far: 'in the sky', elevation: 0, litSide, there: 'all of it', feather: 0 })
      const [instance] = cardInstances(shot, 'card', 9, {})
      const context = {
        camera: { position: [0, 0, 0] },
        clip: () => image,
        sun: { direction: [1, 0, 0], share: 1 },
      }
      const [card] = instance ? drawCard(instance, [], context as never) : []
      if (card?.kind !== 'thing') throw new TypeError('a card')
      return rotate(card.opening.rotation, [-1, 0, 0])[0]
    }
    expect(turnOf(false)).toBeCloseTo(-1, 5)
    expect(turnOf(true)).toBeCloseTo(1, 5)
  })
  it('far away has air before it, less of it higher up', () => {
    const glowOf = (over: object): number[] => {
      const sky = { far: 'in the sky', there: 'all of it', feather: 0, elevation: 0, degrees: 20 }
      const [instance] = cardInstances(yard({ ...sky, ...over }), 'card', 9, {})
      const drawn = instance ? drawCard(instance, [], { camera: { position: [0, 0, 0] }, clip: frameOf } as never) : []
      const [card] = drawn
      if (card?.kind !== 'thing') throw new TypeError('a card')
      const [material] = card.materials
      const value = (y: number): number =>
        (material?.emission[2] ?? 0) * ((material?.emissionMap?.data[4 * (y * 16 + 12) + 2] ?? 0) / 255) ** 2.2
      return [value(0), value(7)]
    }
    expect(glowOf({})).toEqual([0, 0])
    const [high = 0, low = 0] = glowOf({ haze: 80, hazeColour: [0.5, 0.5, 0.5] })
    expect(low).toBeGreaterThan(0.37)
    expect(low).toBeLessThan(0.42)
    expect(high).toBeLessThan(0.6 * low)
    expect(high).toBeGreaterThan(0.1)
  })
  it('stands round a thing and goes with it, or over an area that was drawn', () => {
    const shot = yard({ copies: 9, spread: 'round a thing', round: 'box', beyond: 0.5, startSpread: 0 })
    const box = { name: 'Box', order: 2, position: [5, 0, -4] as Vec3, width: 2, depth: 1, height: 1 }
    shot.items.box = makeItem('box', box)
    const [own, ...others] = looksOf(shot, 9).map(({ place }) => place)
    expect(own).toEqual([1, 0, -2])
    expect(others).toHaveLength(8)
    for (const [x, y, z] of others) {
      expect(y).toBeCloseTo(0, 9)
      expect(Math.max(Math.abs(x - 5) / 1.5, Math.abs(z + 4) / 1)).toBeCloseTo(1, 6)
    }
    shot.items.box = makeItem('box', { ...box, position: [8, 0, -4] })
    looksOf(shot, 9).forEach(({ place }, n) =>
      expect(place[0]).toBeCloseTo((n > 0 ? 3 : 0) + ([own, ...others][n]?.[0] ?? 0), 6),
    )
    const area = [
      [0, 0, 0],
      [3, 0, 0],
      [3, 0, 2],
      [0, 0, 2],
    ]
    const over = looksOf(yard({ copies: 5, spread: 'in the drawn area', area, startSpread: 0 }), 9)
    expect(over).toHaveLength(5)
    for (const { place } of over.slice(1))
      expect(place[0] >= 0 && place[0] <= 3 && place[2] >= 0 && place[2] <= 2).toBe(true)
    // Without one they stand about its place.
    expect(looksOf(yard({ copies: 5, spread: 'in the drawn area', startSpread: 0 }), 9)).toHaveLength(5)
  })
  it('gives as much light as is seen of it, from where it shines', () => {
    const [instance] = cardInstances(yard({ feather: 0, lift: 0, full: 1000, exposure: 1, light: 0.5 }), 'card', 9, {})
    if (!instance) throw new TypeError('it is shown')
    const drawn = drawCard(instance, [], { camera, clip: frameOf } as never)
    const lamps = drawn.filter((one) => one.kind === 'lamp')
    expect(lamps.length).toBeGreaterThan(1)
    // Half of 6 x 3 m shines with twice 0.5.
    const red = lamps.reduce((sum, { intensity }) => sum + intensity[0], 0)
    expect(red).toBeCloseTo(0.5 * 9 * 1, 3)
    for (const { at } of lamps) {
      // The bright half is on its left, and it faces the camera straight.
      expect(at[0]).toBeCloseTo(1 - 1.5, 5)
      expect(at[1]).toBeGreaterThan(0)
      expect(at[1]).toBeLessThan(3)
    }
    const [dust] = cardInstances(yard(), 'card', 9, {})
    expect(dust && drawCard(dust, [], { camera, clip: frameOf } as never)).toHaveLength(1)
  })
  it('without a clip shows nothing, and is placed by its presets', () => {
    expect(cardInstances(yard({ clip: undefined }), 'card', 9, {})).toEqual([])
    for (const preset of cardsEffect.presets.filter(({ tool }) => tool === 'place')) {
      const { items } = preset.place(yard(), 'made', { position: [0, 0, 1], frame: 7 }) as { items: { made: object } }
      expect(items.made).toMatchObject({ kind: 'card', position: [0, 0, 1], begins: 7 })
    }
  })
})
