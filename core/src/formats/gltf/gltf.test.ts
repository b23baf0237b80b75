import { describe, expect, it } from 'vitest'
import { encodeBase64 } from '../../base/index.ts'
import { panTiltRoll, rotate } from '../../math/index.ts'
import { readCameraGltf } from './cameraReader.ts'

// Cameras as other programs write them: no lens of ours, parents, keys in between frames, binary files.
const plate = { width: 1280, height: 720, first: 101, last: 104, rate: 10 }

interface Parts {
  nodes: unknown[]
  times?: number[]
  values?: number[]
  path?: string
  interpolation?: string
  node?: number
}
function file(
  { nodes, times, values, path = 'translation', interpolation, node = 0 }: Parts,
  binary = false,
): Uint8Array {
  const floats = new Float32Array([...(times ?? []), ...(values ?? [])])
  const bytes = new Uint8Array(floats.buffer)
  const width = path === 'rotation' ? 4 : 3
  const gltf = {
    asset: { version: '2.0' },
    nodes,
    cameras: [{ type: 'perspective', perspective: { yfov: 0.8, znear: 0.1 } }],
    ...(times
      ? {
          buffers: [
            {
              byteLength: bytes.length,
              ...(binary ? {} : { uri: `data:application/octet-stream;base64,${encodeBase64(bytes)}` }),
            },
          ],
          bufferViews: [
            { buffer: 0, byteLength: times.length * 4 },
            { buffer: 0, byteOffset: times.length * 4, byteLength: times.length * width * 4 },
          ],
          accessors: [
            { bufferView: 0, componentType: 5126, count: times.length, type: 'SCALAR' },
            { bufferView: 1, componentType: 5126, count: times.length, type: width === 4 ? 'VEC4' : 'VEC3' },
          ],
          animations: [
            { samplers: [{ input: 0, output: 1, interpolation }], channels: [{ sampler: 0, target: { node, path } }] },
          ],
        }
      : {}),
  }
  const text = new TextEncoder().encode(JSON.stringify(gltf))
  if (!binary) return text
  const padded = Math.ceil(text.length / 4) * 4
  const all = new Uint8Array(12 + 8 + padded + 8 + bytes.length).fill(0x20)
  const view = new DataView(all.buffer)
  view.setUint32(0, 0x46546c67, true)
  view.setUint32(4, 2, true)
  view.setUint32(8, all.length, true)
  view.setUint32(12, padded, true)
  view.setUint32(16, 0x4e4f534a, true)
  all.set(text, 20)
  view.setUint32(20 + padded, bytes.length, true)
  view.setUint32(24 + padded, 0x004e4942, true)
  all.set(bytes, 28 + padded)
  return all
}
const positions = (bytes: Uint8Array): number[] =>
  readCameraGltf(bytes, 'x.gltf', plate).frames.map(({ camera }) => Number(camera.position[0].toFixed(4)))

describe('a camera written elsewhere', () => {
  it('has its focal length from the field of view, its centre in the middle, no distortion', () => {
    const { camera } = readCameraGltf(file({ nodes: [{ camera: 0 }] }), 'x.gltf', plate).frames[0] ?? {
      camera: undefined,
    }
    expect(camera?.focalPx).toBeCloseTo(360 / Math.tan(0.4), 6)
    expect(camera).toMatchObject({ centre: [640, 360], k1: 0, k2: 0 })
  })
  it('runs straight between keys, holds with STEP, and stays at its last key', () => {
    const nodes = [{ camera: 0 }]
    const [times, values] = [
      [0, 0.2],
      [0, 0, 0, 4, 0, 0],
    ]
    expect(positions(file({ nodes, times, values }))).toEqual([0, 2, 4, 4])
    expect(positions(file({ nodes, times, values, interpolation: 'STEP' }))).toEqual([0, 0, 4, 4])
  })
  it('turns the short way between keys', () => {
    const [a, b] = [panTiltRoll(0, 0, 0), panTiltRoll(0.4, 0, 0)]
    const bytes = file({
      nodes: [{ camera: 0 }],
      times: [0, 0.2],
      values: [...a, ...b.map((part) => -part)],
      path: 'rotation',
    })
    const { camera } = readCameraGltf(bytes, 'x.gltf', plate).frames[1] ?? { camera: undefined }
    const seen = rotate(camera?.rotation ?? [0, 0, 0, 1], [0, 0, -1])
    expect(seen[0]).toBeCloseTo(-Math.sin(0.2), 3)
  })
  it('moves with its parents', () => {
    const turn = panTiltRoll(Math.PI / 2, 0, 0)
    const nodes = [
      { children: [1], rotation: turn, translation: [10, 0, 0] },
      { camera: 0, translation: [0, 0, -3] },
    ]
    const { camera } = readCameraGltf(file({ nodes }), 'x.gltf', plate).frames[0] ?? { camera: undefined }
    ;[7, 0, 0].forEach((part, axis) => expect(camera?.position[axis]).toBeCloseTo(part, 5))
    expect(
      positions(file({ nodes: [{ children: [1] }, { camera: 0 }], times: [0, 0.3], values: [0, 0, 0, 3, 0, 0] })),
    ).toEqual([0, 1, 2, 3])
  })
  it('may come as one binary file', () => {
    expect(positions(file({ nodes: [{ camera: 0 }], times: [0, 0.3], values: [1, 0, 0, 4, 0, 0] }, true))).toEqual([
      1, 2, 3, 4,
    ])
  })
  it('is refused by name where it can’t be read', () => {
    expect(() => positions(file({ nodes: [{ camera: 0, matrix: Array.from({ length: 16 }, () => 0) }] }))).toThrow(
      /x\.gltf turns a node by a matrix/,
    )
    expect(() => positions(file({ nodes: [{ camera: 0, children: [1] }, { children: [0] }] }))).toThrow(
      /x\.gltf has nodes that hold one another/,
    )
    expect(() => positions(file({ nodes: [{ camera: 3 }] }))).toThrow(/no perspective camera/)
  })
})
