import { describe, expect, it } from 'vitest'
import { makeCrew, recipeKey } from '../base/index.ts'
import { type Camera, makeImage, type Picture } from '../data/index.ts'
import { makeItem, makeShot, type Reading, type ShotDocument } from '../shot/index.ts'
import { layerAlone, layerFigures, takeLayerReading } from './layerReadings.ts'
import { renderPicture } from './picture.ts'
import { pictureFrame } from './pictureFrame.ts'
import { readingRecipe } from './readings.ts'

const camera: Camera = {
  position: [0, 1, 4],
  rotation: [0, 0, 0, 1],
  focalPx: 80,
  centre: [40, 30],
  k1: 0,
  k2: 0,
  width: 80,
  height: 60,
}
const clip = { shot: '', asset: 'c', file: 'c.mov', first: 1, last: 9, width: 80, height: 60, rate: 24 }
/** Two cards, one of them with a lamp beside it that follows a reading of it. */
function yard(): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 80, height: 60, first: 1, last: 9, rate: [24, 1], encoding: 'srgb' }
  const made = makeShot('One', plate as Parameters<typeof makeShot>[1])
  const card = {
    there: 'all of it',
    feather: 0,
    fade: 0,
    clip: { ...clip, encoding: 'linear', curve: 'clip' },
  } as const
  made.items.near = makeItem('card', { name: 'Near', order: 1, position: [0, 0, 1], height: 0.5, ...card } as never)
  made.items.far = makeItem('card', { name: 'Far', order: 2, position: [1, 0, 0], height: 1, ...card } as never)
  made.items.lamp = makeItem('lamp', { name: 'Lamp', order: 3, position: [0, 2, 2] })
  return made
}
const reading = (layer: string): Reading => ({
  name: 'R',
  shown: true,
  area: { kind: 'layer', layer },
  show: 'mean',
  channel: 'brightness',
  percentile: 95,
})
/** A frame of the clip, of one grey that grows with its number. */
const plates = ({ frame }: { frame: number }) => {
  const image = makeImage(80, 60, 3)
  image.data.fill(0.1 * frame)
  return image
}
const pictureOf = (document: ShotDocument, frame: number): Picture =>
  renderPicture(
    makeCrew(1),
    document,
    pictureFrame(document, () => camera, frame),
    () => undefined,
    'look',
    {
      plates,
      size: 1,
    },
  )

describe('a reading of a layer', () => {
  it('is how bright it is in the picture, frame by frame, whatever else is there', async () => {
    const alone = layerAlone(yard(), 'near')
    expect(Object.entries(alone.items).flatMap(([id, { shown }]) => (shown ? [id] : []))).toEqual(['near'])
    const none = { report: () => undefined, cancelled: () => false }
    const taken = await takeLayerReading(alone, 'near', reading('near'), async (frame) => pictureOf(alone, frame), none)
    expect(taken.first).toBe(1)
    expect(taken.frames).toHaveLength(9)
    const [first, second] = taken.frames
    // Half a metre of 4:3 three metres away covers 13.3 x 17.8 px of 80 x 60.
    expect(first?.mean[3]).toBeCloseTo((0.1 * (80 / 6) * (80 / 6) * (4 / 3)) / 4800, 3)
    expect((second?.mean[3] ?? 0) / (first?.mean[3] ?? 1)).toBeCloseTo(2, 2)
    expect(layerFigures(pictureOf(alone, 1), 'nothing', 95).mean).toEqual([0, 0, 0, 0])
  })
  it('is taken anew where what it is made of changes, and not for a lamp or a name', () => {
    const key = (change: (shot: ShotDocument) => void, layer = 'near'): string => {
      const shot = yard()
      change(shot)
      return recipeKey(readingRecipe(shot, reading(layer)))
    }
    const still = key(() => undefined)
    expect(key(({ items }) => Object.assign(items.lamp as object, { lumens: 5 }))).toBe(still)
    expect(key(({ items }) => Object.assign(items.near as object, { name: 'Another' }))).toBe(still)
    expect(key(({ items }) => Object.assign(items.near as object, { exposure: 1 }))).not.toBe(still)
    expect(key(({ items }) => Object.assign(items.near as object, { shown: false }))).not.toBe(still)
    expect(key(() => undefined, 'far')).not.toBe(still)
  })
})
