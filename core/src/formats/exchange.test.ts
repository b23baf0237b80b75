import { describe, expect, it } from 'vitest'
import { type Camera, distort, type MatchScene, projectPoint, straighten } from '../data/index.ts'
import { length, panTiltRoll, subtract, type Vec3 } from '../math/index.ts'
import {
  CAMERA_FILES,
  parseUsd,
  readCameraFile,
  readCameraUsd,
  readExr,
  writeCameraCsv,
  writeLensMap,
  writeMatchGltf,
  writeMatchUsd,
  writeTracksCsv,
} from './index.ts'

const plate = { width: 1280, height: 720, first: 1001, last: 1004, rate: 24 }
const camera = (n: number): Camera => ({
  position: [0.1 * n, 1.6, 5 - 0.2 * n],
  rotation: panTiltRoll(0.2 + 0.01 * n, -0.1, 0.03),
  focalPx: 1097 + n,
  centre: [641.5, 357.25],
  k1: -0.052,
  k2: 0.009,
  width: 1280,
  height: 720,
})
const cameras = [0, 1, 2, 3].map((n) => ({ frame: 1001 + n, camera: camera(n) }))
const scene: MatchScene = {
  name: 'Kiln "Yard" 7',
  rate: 24,
  first: 1001,
  cameras,
  points: [
    { track: 3, at: [1, 0, -2], px: 0.1 },
    { track: 9, at: [0.5, 1, -3], px: 0.2 },
  ],
  tracks: [
    {
      name: '3',
      track: { id: 3, first: 1, weight: 1, places: Float64Array.of(10, 20, Number.NaN, Number.NaN, 12.125, 22) },
    },
  ],
  objects: [
    {
      name: 'Cone 1',
      positions: [
        [0, 0, 0],
        [1, 0, 0],
        [0, 1, 0],
      ],
      triangles: [[0, 1, 2]],
    },
  ],
}
const bytes = (text: string): Uint8Array => new TextEncoder().encode(text)
/** Largest distance between places that two cameras see, px. */
const apart = (a: Camera | undefined, b: Camera): number =>
  Math.max(
    ...(
      [
        [0, 0, 0],
        [1, 2, -3],
        [-2, 0.5, -1],
      ] as Vec3[]
    ).map((p) => {
      const [u, v] = [a && projectPoint(a, p), projectPoint(b, p)]
      return u && v ? Math.hypot(u.x - v.x, u.y - v.y) : Infinity
    }),
  )

describe('a camera out and in again', () => {
  it.each([
    ['y', 1],
    ['z', 0.01],
    ['y', 0.01],
    ['z', 1],
  ] as const)('sees the same through USD and a table, up %s, %s m a unit', (up, metres) => {
    const axes = { up, metres }
    for (const [file, text] of [
      ['a.usda', writeMatchUsd(scene, axes)],
      ['a.csv', writeCameraCsv(scene, axes)],
    ] as const) {
      const read = readCameraFile(bytes(text), file, plate)
      expect(read.notes).toEqual([])
      for (const [n, { frame, camera: back }] of read.frames.entries()) {
        expect(frame).toBe(1001 + n)
        expect(apart(back, camera(n))).toBeLessThan(1e-3)
      }
    }
  })
  it('goes through glTF with points, tracks and test objects beside it', () => {
    const text = writeMatchGltf({
      ...scene,
      cameras: cameras.map((one) => ({ ...one, camera: { ...one.camera, focalPx: 1097 } })),
    })
    const read = readCameraFile(bytes(text), 'a.gltf', plate)
    expect(apart(read.frames[2]?.camera, { ...camera(2), focalPx: 1097 })).toBeLessThan(0.01)
    const gltf = JSON.parse(text) as {
      meshes: { name: string; primitives: { mode: number }[]; extras?: { tracks: number[] } }[]
      scenes: { nodes: number[]; extras: { tracks: { places: unknown[] }[] } }[]
      nodes: object[]
    }
    expect(gltf.meshes.map(({ name, primitives }) => [name, primitives[0]?.mode])).toEqual([
      ['points', 0],
      ['Cone 1', 4],
    ])
    expect(gltf.meshes[0]?.extras?.tracks).toEqual([3, 9])
    expect(gltf.scenes[0]?.extras.tracks[0]?.places).toEqual([[10, 20], null, [12.125, 22]])
    expect(gltf.scenes[0]?.nodes.length).toBe(gltf.nodes.length)
  })
  it('begins at another first frame, and is put on the plate’s when it comes back, which is said', () => {
    for (const [file, text] of [
      ['a.usda', writeMatchUsd(scene, undefined, -1000)],
      ['a.csv', writeCameraCsv(scene, undefined, -1000)],
      ['a.gltf', writeMatchGltf(scene, -1000)],
    ] as const) {
      const read = readCameraFile(bytes(text), file, plate)
      expect(read.notes).toEqual([
        `${file} is numbered from 1, outside the plate’s frames: its first was put on frame 1001.`,
      ])
      expect(length(subtract(read.frames[3]?.camera.position ?? [0, 0, 0], camera(3).position))).toBeLessThan(1e-5)
    }
  })
  it('takes scale, axis and frame offset as a person says them, and reports another rate', () => {
    const text = writeCameraCsv({ ...scene, rate: 25 })
    const read = readCameraFile(bytes(text), 'a.csv', plate, { scale: 100, offset: 1, up: 'z' })
    expect(read.notes[0]).toMatch(/a\.csv runs at 25 frames a second, the plate at 24/)
    expect(read.frames[1]?.camera.position[1]).toBeCloseTo(500, 6)
    expect(read.frames[1]?.camera.position[2]).toBeCloseTo(-160, 6)
  })
  it('takes a table with turns in degrees and a lens in millimetres', () => {
    const { camera: read } = readCameraFile(
      bytes('Frame,X,Y,Z,rx,ry,rz,focal_mm,aperture_mm\n1001,0,1,2,0,90,0,24,36\n'),
      'b.csv',
      plate,
    ).frames[0] ?? { camera: undefined }
    expect(read?.focalPx).toBeCloseTo((1280 * 24) / 36, 9)
    const seen = projectPoint(read as Camera, [-3, 1, 2])
    expect([seen?.x, seen?.y].map((v) => v?.toFixed(9))).toEqual(['640.000000000', '360.000000000'])
  })
})

describe('a camera in USD written elsewhere', () => {
  const layer = (inside: string, head = 'upAxis = "Z"\n metersPerUnit = 1'): Uint8Array =>
    bytes(`#usda 1.0\n(\n ${head}\n timeCodesPerSecond = 24\n startTimeCode = 1001\n endTimeCode = 1004\n)\n${inside}`)
  it('moves with its parents, by translation, turns in any order, an orientation, between samples', () => {
    const { frames } = readCameraUsd(
      layer(`
def Xform "yard" (kind = "group"
  variants = { string look = "dusk" })
{
  double3 xformOp:translate = (10, 0, 0)
  float xformOp:rotateZ = 90
  uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:rotateZ"]
  def Scope "empty" {}
  variantSet "look" = { "dusk" { color3f tint = (1, 1, 1) } "rain" ( doc = "wet" ) { } }
  def Camera "eye"
  {
    float focalLength = 18 # wide
    float horizontalAperture = 36
    float verticalAperture = 20.25
    rel proxy = </yard/empty>
    asset note = @other.usd@
    float3 xformOp:rotateXYZ.timeSamples = { 1001: (90, 0, 0), 1003: (90, 0, 20), }
    double3 xformOp:translate = (0, -4, 1.5)
    uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:rotateXYZ"]
  }
}`),
      'x.usda',
      plate,
    )
    expect(frames.length).toBe(4)
    // Turned a quarter with its parent, four units before it: at x = 14, then in Y up.
    expect(frames[0]?.camera.position.map((v) => Number(v.toFixed(6)))).toEqual([14, 1.5, 0])
    expect(frames[0]?.camera.focalPx).toBe(640)
    const middle = projectPoint(frames[0]?.camera as Camera, [4, 1.5, 0])
    expect(middle?.x).toBeCloseTo(640, 6)
    expect(middle?.y).toBeCloseTo(360, 6)
    // Half way between the samples it has turned by ten degrees about the world's upright axis, to the left.
    const turned = projectPoint(frames[1]?.camera as Camera, [4, 1.5, 0])
    expect(turned?.x).toBeCloseTo(640 + 640 * Math.tan(Math.PI / 18), 3)
  })
  it('keeps to its own turn where its parents are reset, and takes a scale of the whole as size', () => {
    const camera = (ops: string): Uint8Array =>
      layer(
        `def Xform "a" {\n double3 xformOp:translate = (5, 5, 5)\n float3 xformOp:scale = (2, 2, 2)\n uniform token[] xformOpOrder = ["xformOp:translate", "xformOp:scale"]\n def Camera "c" {\n quatf xformOp:orient = (1, 0, 0, 0)\n double3 xformOp:translate = (1, 2, 3)\n uniform token[] xformOpOrder = [${ops}]\n}\n}`,
        'upAxis = "Y"\n metersPerUnit = 1',
      )
    expect(
      readCameraUsd(camera('"!resetXformStack!", "xformOp:translate", "xformOp:orient"'), 'x.usda', plate).frames[0]
        ?.camera.position,
    ).toEqual([1, 2, 3])
    const { camera: inside } = readCameraUsd(camera('"xformOp:translate", "xformOp:orient"'), 'x.usda', plate)
      .frames[0] ?? { camera: undefined }
    expect(inside?.position).toEqual([7, 9, 11])
    expect(inside?.rotation).toEqual([0, 0, 0, 1])
  })
  it.each([
    ['hello', /is not USD ASCII/],
    ['PXR-USDC', /is binary USD/],
    ['#usda 1.0\ndef Camera "c" {', /ends too early/],
    ['#usda 1.0\ndef Xform "c" {}', /holds no camera/],
    [
      '#usda 1.0\ndef Camera "c" { matrix4d xformOp:bend = 1\n uniform token[] xformOpOrder = ["xformOp:bend"] }',
      /moves a prim by “bend”/,
    ],
    ['#usda 1.0\n$', /at line 2/],
  ])('is refused by name: %s', (text, says) =>
    expect(() => readCameraUsd(bytes(text), 'bad.usda', plate)).toThrow(says),
  )
  it('is not held up by deep nesting', () =>
    expect(() => parseUsd(`#usda 1.0\n${'def Xform "a" {'.repeat(5000)}`, 'deep.usda')).toThrow(/nested too deeply/))
})

describe('tables', () => {
  it('hold tracks frame by frame, gaps left out, with the error of their point', () => {
    expect(writeTracksCsv(scene).split('\n')).toEqual([
      'track,frame,x,y,error_px',
      '3,1002,10,20,0.100',
      '3,1004,12.125,22,0.100',
      '',
    ])
    expect(writeTracksCsv(scene, -1001)).toContain('3,1,10,20')
  })
  it.each([
    ['frame,x,y\n1,2,3\n', /no column “z”/],
    ['frame,x,y,z,qx,qy,qz,qw\n', /no column “focal_px”/],
    ['frame,x,y,z,qx,qy,qz,qw,focal_px\n1,2,3,four,0,0,0,1,900\n', /no number under “z” in its row 1/],
    ['frame,x,y,z,qx,qy,qz,qw,focal_px\n1,2,3,4,0,0,0,1,-9\n', /no focal length above nothing/],
    ['frame,x,y,z,qx,qy,qz,qw,focal_px\n', /holds no frame/],
  ])('are refused by column and row: %s', (text, says) =>
    expect(() => readCameraFile(bytes(text), 'bad.csv', plate)).toThrow(says),
  )
  it('are told apart by their ending', () =>
    expect(() => readCameraFile(bytes('x'), 'camera.txt', plate)).toThrow(
      expect.objectContaining({ code: 'camera-file', remedy: `Write it as ${CAMERA_FILES.join(', ')}.` }),
    ))
})

describe('a map of the lens', () => {
  it('leads from the plate to the straightened picture and back', () => {
    const lens = { ...camera(0), width: 320, height: 180, focalPx: 274, centre: [160, 90] as const }
    const { channels } = readExr(writeLensMap(lens))
    const plane = (name: string): Float32Array => channels.find((one) => one.name === name)?.data ?? new Float32Array()
    for (const [i, j] of [
      [0, 0],
      [160, 90],
      [319, 40],
      [33, 171],
    ] as const) {
      const n = j * 320 + i
      const [u, v] = distort(lens, (i + 0.5 - 160) / 274, (j + 0.5 - 90) / 274)
      expect(plane('straighten.x')[n]).toBeCloseTo((160 + 274 * u) / 320, 5)
      expect(plane('straighten.y')[n]).toBeCloseTo((90 + 274 * v) / 180, 5)
      const [s, t] = straighten(lens, (i + 0.5 - 160) / 274, (j + 0.5 - 90) / 274)
      expect(plane('bend.x')[n]).toBeCloseTo((160 + 274 * s) / 320, 5)
      expect(plane('bend.y')[n]).toBeCloseTo((90 + 274 * t) / 180, 5)
    }
  })
})
