import { decodeBase64 } from '@lantern/core/base'
import { writeExr } from '@lantern/core/formats'
import sharp from 'sharp'
import { describe, expect, it } from 'vitest'
import { nodeDeflate } from './deflate.ts'
import { takeHeights, takeStamp } from './greyPictures.ts'

const png16 = (width: number, height: number, of: (n: number) => number): Promise<Buffer> =>
  sharp(
    Uint16Array.from({ length: width * height }, (_, n) => of(n)),
    { raw: { width, height, channels: 1 } },
  )
    .toColourspace('grey16')
    .png()
    .toBuffer()
const wordsOf = (values: string): number[] => {
  const bytes = decodeBase64(values) ?? new Uint8Array()
  return Array.from({ length: bytes.length / 2 }, (_, n) => (bytes[2 * n] ?? 0) + 256 * (bytes[2 * n + 1] ?? 0))
}

describe('grey pictures', () => {
  it('keep all 16 bits, from the darkest to the brightest', async () => {
    const taken = await takeHeights(await png16(40, 30, (n) => 20_000 + 7 * n), 'ramp.png')
    expect([taken.width, taken.height]).toEqual([40, 30])
    const words = wordsOf(taken.values)
    expect([words[0], words.at(-1)]).toEqual([0, 65_535])
    expect(new Set(words).size).toBe(1200)
  })
  it('larger than are kept are made smaller by their means', async () => {
    const taken = await takeHeights(await png16(600, 300, (n) => (n % 600 < 300 ? 0 : 60_000)), 'wide.png')
    expect([taken.width, taken.height]).toEqual([192, 96])
    const words = wordsOf(taken.values)
    expect([words[10], words[180]]).toEqual([0, 65_535])
  })
  it('of floats count what is no number as 0, and say so', async () => {
    const data = Float32Array.from({ length: 16 }, (_, n) => (n === 5 ? Number.NaN : n / 4))
    const exr = writeExr(
      { width: 4, height: 4, channels: [{ name: 'Y', type: 'float', data }], attributes: {} },
      nodeDeflate,
    )
    const taken = await takeHeights(exr, 'relief.exr')
    expect(wordsOf(taken.values)[5]).toBe(0)
    expect(wordsOf(taken.values).at(-1)).toBe(65_535)
    expect(taken.notes.join()).toMatch(/1 pixels of it are no numbers/)
  })
  it('of one grey, and what is no picture, are refused by name', async () => {
    await expect(takeHeights(await png16(8, 8, () => 900), 'even.png')).rejects.toThrow(/even\.png is all of one grey/)
    await expect(takeHeights(new Uint8Array(50), 'bad.png')).rejects.toThrow(/bad\.png can’t be read/)
    await expect(takeStamp(new Uint8Array(50), 'bad.png')).rejects.toThrow(/bad\.png can’t be read/)
  })
  it('stamps keep their colour and what is see-through', async () => {
    const picture = await sharp({
      create: { width: 300, height: 100, channels: 4, background: { r: 200, g: 40, b: 10, alpha: 0.5 } },
    })
      .png()
      .toBuffer()
    const { width, height, values } = await takeStamp(picture, 'sign.png')
    expect([width, height]).toEqual([128, 43])
    const [r = 0, g = 0, b = 0, a] = decodeBase64(values) ?? []
    // Scaled premultiplied: off by one at most.
    expect(Math.max(Math.abs(r - 200), Math.abs(g - 40), Math.abs(b - 10))).toBeLessThanOrEqual(1)
    expect(a).toBe(128)
  })
})
