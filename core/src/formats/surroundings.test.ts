import { describe, expect, it } from 'vitest'
import { makeImage } from '../data/index.ts'
import { readSurroundings, writeExr, writeSurroundings } from './index.ts'

const exr = (width: number, height: number, value: number): Uint8Array =>
  writeExr({
    width,
    height,
    channels: ['R', 'G', 'B'].map((name) => ({
      name,
      type: 'float',
      data: new Float32Array(width * height).fill(value),
    })),
    attributes: {},
  })
/** A Radiance picture without run lengths: every pixel the same. */
function hdr(width: number, height: number, pixel: readonly number[]): Uint8Array {
  const head = new TextEncoder().encode(`#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y ${height} +X ${width}\n`)
  return Uint8Array.from([...head, ...Array.from({ length: width * height }, () => pixel).flat()])
}

describe('A picture of the surroundings', () => {
  it('is read from OpenEXR and from Radiance files alike', () => {
    expect(readSurroundings(exr(8, 4, 2.5), 'yard.exr').data[5]).toBeCloseTo(2.5, 3)
    // Mantissas of 128 with exponent 129 are 1, of 64 a half.
    const read = readSurroundings(hdr(4, 2, [128, 64, 0, 129]), 'yard.hdr')
    expect([read.width, read.height]).toEqual([4, 2])
    expect(read.data[0]).toBeCloseTo(1, 1)
    expect(read.data[1]).toBeCloseTo(0.5, 1)
    expect(read.data[2]).toBeCloseTo(0, 2)
  })

  it('that is large is made smaller without a change of its light, and comes back as it was kept', () => {
    const picture = makeImage(1100, 550, 3)
    for (let n = 0; n < picture.data.length; n++) picture.data[n] = 2 + Math.sin(n / 999)
    const kept = readSurroundings(writeSurroundings(picture), 'large.exr')
    expect([kept.width, kept.height]).toEqual([1024, 512])
    const mean = (data: Float32Array): number => data.reduce((sum, value) => sum + value, 0) / data.length
    expect(mean(kept.data)).toBeCloseTo(mean(picture.data), 3)
  })

  it('is refused by name where it is not twice as wide as high, black, or no picture at all', () => {
    expect(() => readSurroundings(exr(6, 4, 1), 'half.exr')).toThrow(/half\.exr is 6 × 4 px/)
    expect(() => readSurroundings(exr(8, 4, 0), 'night.exr')).toThrow(/night\.exr is black/)
    expect(() => readSurroundings(exr(8, 4, Number.NaN), 'nothing.exr')).toThrow(/black all over/)
    expect(() => readSurroundings(new Uint8Array([35, 63, 1, 2, 3]), 'torn.hdr')).toThrow(/torn\.hdr/)
  })
})
