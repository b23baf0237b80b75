import { describe, expect, it } from 'vitest'
import { random } from '../base/index.ts'
import { insideOfWhole, matteFrameAt } from '../data/index.ts'
import { readMatteBackground, readMatteFrame, writeMatteFrame } from './matteFrame.ts'

const { next } = random(4)
const [wide, high] = [13, 7]
const frame = {
  width: 40,
  height: 30,
  x: 5,
  y: 9,
  wide,
  high,
  alpha: Uint8Array.from({ length: wide * high }, () => Math.floor(256 * next())),
  inside: Uint8Array.from({ length: wide * high }, () => (next() > 0.5 ? 1 : 0)),
}
const behind = {
  lab: Float32Array.from({ length: 3 * wide * high }, (_, n) => (n % 3 === 0 ? 100 * next() : 80 * next() - 40)),
  deviation: Float32Array.from({ length: wide * high }, () => 8 * next()),
  known: Uint8Array.from({ length: wide * high }, () => (next() > 0.2 ? 1 : 0)),
}

describe('a kept frame of a matte', () => {
  it('is read as it was written, with and without what lies behind', () => {
    expect(readMatteFrame(writeMatteFrame(frame))).toEqual(frame)
    const bytes = writeMatteFrame(frame, undefined, behind)
    expect(readMatteFrame(bytes)).toEqual(frame)
    expect(readMatteBackground(writeMatteFrame(frame))).toBeUndefined()
    const found = readMatteBackground(bytes)
    expect(found?.known).toEqual(behind.known)
    for (let n = 0; n < wide * high; n++)
      if (behind.known[n]) {
        expect(found?.deviation[n]).toBeCloseTo(behind.deviation[n] ?? 0, 1)
        for (let c = 3 * n; c < 3 * n + 3; c++)
          expect(Math.abs((found?.lab[c] ?? 0) - (behind.lab[c] ?? 0))).toBeLessThan(0.51)
      }
  })
  it('may be empty', () => {
    const none = { ...frame, x: 0, y: 0, wide: 0, high: 0, alpha: new Uint8Array(), inside: new Uint8Array() }
    expect(readMatteFrame(writeMatteFrame(none))).toEqual(none)
    expect(matteFrameAt(none, 3, 3)).toBe(0)
  })
  it('covers its box alone', () => {
    expect(matteFrameAt(frame, frame.x + 2.5, frame.y + 3.5)).toBeCloseTo((frame.alpha[3 * wide + 2] ?? 0) / 255, 6)
    expect(matteFrameAt(frame, frame.x - 1, frame.y)).toBe(0)
    expect(insideOfWhole(frame)[(frame.y + 1) * 40 + frame.x + 4]).toBe(frame.inside[wide + 4])
  })
  it('is refused where it is damaged or lies about its size', () => {
    const bytes = writeMatteFrame(frame, undefined, behind)
    for (const cut of [0, 3, 9, 40, bytes.length - 5])
      expect(() => readMatteFrame(bytes.subarray(0, cut))).toThrow(/damaged/)
    const text = new TextDecoder('latin1').decode(bytes)
    for (const [from, to] of [
      ['"wide":13', '"wide":99'],
      ['"high":7', '"high":6'],
      ['"x":5', '"x":9999'],
    ] as const) {
      const lied = Uint8Array.from(text.replace(from, to), (one) => one.charCodeAt(0))
      expect(() => readMatteFrame(lied), to).toThrow(/damaged/)
    }
  })
})
