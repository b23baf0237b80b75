import { describe, expect, it } from 'vitest'
import { LanternError, random } from '../base/index.ts'
import { type Camera, type MatchScene, type PlateReport, type ReadingFrames, type Solve, TILE } from '../data/index.ts'
import {
  readCameraFile,
  readCameraGltf,
  readExr,
  readGasFrame,
  readReading,
  readReport,
  readSolve,
  readTracks,
  writeCameraCsv,
  writeCameraGltf,
  writeExr,
  writeGasFrame,
  writeMatchUsd,
  writeReading,
  writeReport,
  writeSolve,
  writeTracks,
} from './index.ts'

// Whatever happened to a file on its way: it is read, or refused with a clear error, and never anything else.
const ROUNDS = 250
const plate = { width: 64, height: 36, first: 1, last: 4, rate: 24 }
const camera: Camera = {
  position: [0, 1, 2],
  rotation: [0, 0, 0, 1],
  focalPx: 60,
  centre: [32, 18],
  k1: 0,
  k2: 0,
  width: 64,
  height: 36,
}
const plane = Float32Array.from({ length: 20 * 18 }, (_, n) => n % 7)

const SOLVE: Solve = {
  kind: 'moving',
  width: 64,
  height: 36,
  first: 1001,
  focalPx: 50,
  k1: 0.1,
  k2: -0.2,
  medianPx: 0.1,
  rmsPx: 0.2,
  framePx: [0.1, null],
  cameras: [{ position: [0, 1, 2], rotation: [0, 0, 0, 1] }, null],
  points: [{ track: 3, at: [1, 2, 3], px: 0.5 }],
  tracks: 2,
  parallax: 4,
  doubts: [{ what: 'a', remedy: 'b' }],
}

const SCENE: MatchScene = {
  name: 'yard',
  rate: 24,
  first: 1,
  cameras: [1, 2, 3, 4].map((frame) => ({ frame, camera })),
  points: [{ track: 3, at: [1, 2, 3], px: 0.1 }],
  tracks: [],
  objects: [
    {
      name: 'Cone',
      positions: [
        [0, 0, 0],
        [1, 0, 0],
        [0, 1, 0],
      ],
      triangles: [[0, 1, 2]],
    },
  ],
}
const READING: ReadingFrames = {
  first: 1001,
  frames: [{ mean: [0.1, 0.2, 0.3, 0.2], peak: [1, 1, 1, 1], percentile: [0.5, 0.5, 0.5, 0.5] }, null],
}
const REPORT: PlateReport = {
  first: 1001,
  drift: [0.1, null],
  driftFrom: 'tracks',
  grain: { floor: [1e-6, 1e-6, 1e-6], slope: [1e-4, 1e-4, 1e-4], spread: 0.1 },
  risePx: 1.2,
  edges: 40,
  black: [0, 0, 0],
  white: [1, 1, 1],
  shutter: null,
  sensor: { knee: 0.7, top: 8 },
  halo: null,
}

const kinds: readonly [string, Uint8Array, (bytes: Uint8Array) => unknown][] = [
  [
    'OpenEXR',
    writeExr({
      width: 20,
      height: 18,
      attributes: { note: 'yard' },
      channels: ['R', 'G'].map((name) => ({ name, type: 'half', data: plane })),
    }),
    (bytes) => readExr(bytes, 'x.exr'),
  ],
  [
    'kept gas',
    writeGasFrame({
      box: { cell: 0.1, origin: [0, 0, 0], size: [16, 8, 8] },
      ambient: 290,
      tiles: Int32Array.of(0, 1),
      channels: Array.from({ length: 6 }, () => new Uint16Array(2 * TILE ** 3)),
    }),
    readGasFrame,
  ],
  [
    'kept tracks',
    writeTracks([
      { id: 3, first: 1, weight: 1, places: Float64Array.of(1, 2, 3, 4) },
      { id: 4, first: 0, weight: 2, places: Float64Array.of(5, 6) },
    ]),
    readTracks,
  ],
  ['kept solve', writeSolve(SOLVE), readSolve],
  ['USD camera', new TextEncoder().encode(writeMatchUsd(SCENE)), (bytes) => readCameraFile(bytes, 'x.usda', plate)],
  ['camera table', new TextEncoder().encode(writeCameraCsv(SCENE)), (bytes) => readCameraFile(bytes, 'x.csv', plate)],
  ['kept reading', writeReading(READING), readReading],
  [
    'glTF',
    new TextEncoder().encode(
      writeCameraGltf(
        'yard',
        [1, 2, 3, 4].map((frame) => ({ frame, camera })),
        24,
      ),
    ),
    (bytes) => readCameraGltf(bytes, 'x.gltf', plate),
  ],
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
      for (let flips = 1 + Math.floor(stream.next() * 6); flips > 0; flips--)
        bytes[Math.floor(stream.next() * bytes.length)] = Math.floor(stream.next() * 256)
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

it('kept tracks, solves, readings and reports come back as they were', () => {
  const tracks = [
    { id: 3, first: 1, weight: 1, places: Float64Array.of(1.25, 1 / 3, 3, 4) },
    { id: 4, first: 0, weight: 2, places: Float64Array.of(5, 6) },
  ]
  expect(readTracks(writeTracks(tracks))).toEqual(tracks)
  expect(readTracks(writeTracks([]))).toEqual([])
  expect(readSolve(writeSolve(SOLVE))).toEqual(SOLVE)
  expect(readReading(writeReading(READING))).toEqual(READING)
  expect(readReport(writeReport(REPORT))).toEqual(REPORT)
  expect(() => readReport(writeReading(READING))).toThrow(/kept plate report is damaged/)
})
