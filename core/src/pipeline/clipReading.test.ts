import { describe, expect, it } from 'vitest'
import { makeImage, type ReadingFrames } from '../data/index.ts'
import { LAMP_SETTINGS, lampsAt } from '../set/index.ts'
import { settledAt } from '../settings/index.ts'
import { makeItem, makeShot, type Reading, type ShotDocument } from '../shot/index.ts'
import { takeClipReading } from './clipReadings.ts'
import { readingInputs, readingRecipe, readingValues } from './readings.ts'

// Readings of clips, and lamps that follow them.

const reading: Reading = {
  name: 'Flare',
  shown: true,
  area: { kind: 'clip', card: 'card' },
  show: 'mean',
  channel: 'brightness',
  percentile: 95,
}
/** A clip of 12 frames at the plate's own rate: its frame n shines with n / 10, orange, over half of it. */
function yard(over: object = {}): ShotDocument {
  const plate = { asset: 'a', file: 'f', width: 32, height: 18, first: 1, last: 30, rate: [24, 1], encoding: 'srgb' }
  const shot = makeShot('Yard', plate as Parameters<typeof makeShot>[1])
  const clip = { shot: '', asset: 'c', file: 'c.mov', first: 1, last: 12, width: 8, height: 4, rate: 24 }
  shot.items.card = makeItem('card', {
    name: 'Flare',
    order: 1,
    begins: 5,
    lift: 0,
    feather: 0,
    full: 200,
    after: 'nothing',
    clip: { ...clip, encoding: 'linear', curve: 'clip' },
    ...over,
  } as never)
  shot.readings.flare = reading
  shot.signals.flare = { name: 'Flare', shown: true, source: { kind: 'reading', reading: 'flare' } }
  return shot
}
const frameOf = (n: number) => {
  const image = makeImage(8, 4, 3)
  for (let k = 0; k < 32; k++) if (k % 8 < 4) image.data.set([n / 10, n / 20, 0], 3 * k)
  return image
}
const none = { report: () => undefined, cancelled: () => false }
async function taken(shot: ShotDocument): Promise<ReadingFrames> {
  const card = shot.items.card
  if (card?.kind !== 'card' || !card.clip) throw new TypeError('a card')
  return takeClipReading({ ...card, clip: card.clip }, 95, async ({ frame }) => frameOf(frame), undefined, none)
}

describe('a reading of a clip', () => {
  it('is what of its light is there, by the frames of the plate that it is shown at', async () => {
    const shot = yard()
    const values = readingValues(shot, await taken(shot), reading)
    expect([...values.values()].filter((value) => value > 0)).toHaveLength(12)
    expect(values.get(4)).toBe(0)
    const level = (n: number): number => (0.2126 * n) / 10 / 2 + (0.7152 * n) / 20 / 2
    for (let n = 1; n <= 12; n++) expect(values.get(4 + n)).toBeCloseTo(level(n), 5)
    // Backward it falls.
    const back = readingValues(yard({ reversed: true }), await taken(shot), reading)
    expect(back.get(5)).toBeCloseTo(level(12), 5)
  })
  it('is another one where something else of it is there', () => {
    const key = (shot: ShotDocument) => JSON.stringify(readingRecipe(shot, reading))
    expect(key(yard({ lift: 3 }))).not.toBe(key(yard()))
    expect(key(yard({ position: [1, 0, 0] }))).toBe(key(yard()))
  })
  it('drives a lamp whose light over the clip is its own, smoothed and late, in its colour', async () => {
    const shot = yard()
    const frames = await taken(shot)
    const follow = { signal: 'flare', offset: 0, smoothing: 4, delay: 2 }
    shot.items.lamp = makeItem('lamp', {
      name: 'Lamp',
      order: 2,
      lumens: 100,
      follows: { lumens: { ...follow, gain: 1000 }, tint: { ...follow, gain: 1, takes: 'colour' } },
    } as never)
    const inputs = readingInputs(shot, () => frames)
    const lamps = Array.from({ length: 30 }, (_, n) => lampsAt(shot, 1 + n, inputs)[0]?.[1])
    const whole = [...readingValues(shot, frames, reading).values()].reduce((sum, value) => sum + value, 0)
    const light = lamps.reduce((sum, lamp) => sum + (lamp?.lumens ?? 0), 0)
    expect(Math.abs(light / (1000 * whole) - 1)).toBeLessThan(0.02)
    const [r = 0, g = 0, b = 1] = lamps[12]?.tint ?? []
    expect(g / r).toBeCloseTo(0.5, 5)
    expect(b).toBe(0)
    // Without its reading a lamp stays as it is.
    expect(settledAt(shot, shot.items.lamp, shot.items.lamp.follows, LAMP_SETTINGS, 12, {})).toMatchObject({
      lumens: 100,
    })
  })
})
