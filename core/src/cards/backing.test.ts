import { describe, expect, it } from 'vitest'
import { type FloatImage, makeImage } from '../data/index.ts'
import { borders, guessBacking } from './backing.ts'
import { mixed, unmultiplied, withAlpha } from './matte.ts'

const filled = (colour: readonly number[], disc: readonly number[]): FloatImage => {
  const image = makeImage(60, 40, 3)
  for (let n = 0; n < 2400; n++) {
    const [x, y] = [(n % 60) - 30, Math.floor(n / 60) - 20]
    image.data.set(x * x + y * y < 100 ? disc : colour, 3 * n)
  }
  return image
}

describe('what a clip was filmed before', () => {
  it('is told by its border, whatever stands in its middle', () => {
    expect(guessBacking(filled([0.004, 0.004, 0.005], [5, 3, 1])).there).toBe('on black')
    const keyed = guessBacking(filled([0.05, 0.4, 0.08], [0.4, 0.1, 0.1]))
    expect(keyed.there).toBe('keyed')
    expect(keyed.colour[1]).toBeCloseTo(0.4, 6)
    expect(guessBacking(filled([0.3, 0.3, 0.3], [0, 0, 0])).there).toBe('all of it')
    // A colourful place is no backing.
    const place = filled([0.05, 0.4, 0.08], [0, 0, 0])
    for (let n = 0; n < 1200; n++) place.data.set([0.02, 0.9, 0.04], 6 * n)
    expect(guessBacking(place).there).toBe('all of it')
  })
  it('says which sides cut it off', () => {
    const image = makeImage(8, 6, 4)
    image.data[4 * (3 * 8) + 3] = 0.4
    expect(borders(image).map((most) => Math.round(most * 100) / 100)).toEqual([0, 0, 0, 0.4])
  })
})

describe('a clip with alpha', () => {
  const colours = makeImage(2, 1, 3)
  colours.data.set([0.2, 0.4, 0.6, 0.8, 0.8, 0.8])
  it('takes alpha of its own size or larger, and divides by it where it was multiplied', () => {
    const alpha = makeImage(4, 2, 1)
    alpha.data.set([0.5, 0.5, 1, 0, 0.5, 0.5, 0, 1])
    const both = withAlpha(colours, alpha)
    expect([both.data[3], both.data[7]]).toEqual([0.5, 0.5])
    expect(unmultiplied(both).data[1]).toBeCloseTo(0.8, 6)
  })
  it('mixes frames by what of them is there', () => {
    const [red, none] = [makeImage(1, 1, 4), makeImage(1, 1, 4)]
    red.data.set([0.9, 0, 0, 1])
    none.data.set([0, 0.9, 0, 0])
    const out = mixed([
      { image: red, share: 0.5 },
      { image: none, share: 0.5 },
    ])
    expect(out?.data[0]).toBeCloseTo(0.9, 6)
    expect(out?.data[1]).toBe(0)
    expect(out?.data[3]).toBeCloseTo(0.5, 6)
  })
})
