import { describe, expect, it } from 'vitest'
import { LanternError, random } from '../base/index.ts'
import { type Camera, TILE } from '../data/index.ts'
import { readCameraGltf, readExr, readGasFrame, writeCameraGltf, writeExr, writeGasFrame } from './index.ts'

// Whatever happened to a file on its way: it is read, or refused with a clear error, and never anything else.
const ROUNDS = 250
const plate = { width: 64, height: 36, first: 1, last: 4, rate: 24 }
const camera: Camera = { position: [0, 1, 2], rotation: [0, 0, 0, 1], focalPx: 60, centre: [32, 18], k1: 0, k2: 0, width: 64, height: 36 }
const plane = Float32Array.from({ length: 20 * 18 }, (_, n) => n % 7)

const kinds: readonly [string, Uint8Array, (bytes: Uint8Array) => unknown][] = [
  ['OpenEXR', writeExr({ width: 20, height: 18, attributes: { note: 'yard' }, channels: ['R', 'G'].map((name) => ({ name, type: 'half', data: plane })) }), (bytes) => readExr(bytes, 'x.exr')],
  ['kept gas', writeGasFrame({ box: { cell: 0.1, origin: [0, 0, 0], size: [16, 8, 8] }, ambient: 290, tiles: Int32Array.of(0, 1), channels: Array.from({ length: 6 }, () => new Uint16Array(2 * TILE ** 3)) }), readGasFrame],
  ['glTF', new TextEncoder().encode(writeCameraGltf('yard', [1, 2, 3, 4].map((frame) => ({ frame, camera })), 24)), (bytes) => readCameraGltf(bytes, 'x.gltf', plate)],
]

describe.each(kinds)('a damaged %s file', (_, whole, read) => {
  const refusedOrRead = (bytes: Uint8Array, how: string): void => {
    try {
      read(bytes)
    } catch (error) {
      expect(error, how).toBeInstanceOf(LanternError)
    }
  }
  it('is refused plainly when bytes are flipped', () => {
    for (let seed = 0; seed < ROUNDS; seed++) {
      const stream = random(seed)
      const bytes = whole.slice()
      for (let flips = 1 + Math.floor(stream.next() * 6); flips > 0; flips--) bytes[Math.floor(stream.next() * bytes.length)] = Math.floor(stream.next() * 256)
      refusedOrRead(bytes, `seed ${seed}`)
    }
  })
  it('is refused plainly when it is cut short or has a hole', () => {
    for (let seed = 0; seed < ROUNDS; seed++) {
      const stream = random(seed + 7000)
      const from = Math.floor(stream.next() * whole.length)
      refusedOrRead(whole.slice(0, from), `cut at ${from}`)
      const to = Math.min(whole.length, from + 1 + Math.floor(stream.next() * 200))
      const holed = new Uint8Array(whole.length - (to - from))
      holed.set(whole.subarray(0, from))
      holed.set(whole.subarray(to), from)
      refusedOrRead(holed, `hole ${from}-${to}`)
    }
  })
})
