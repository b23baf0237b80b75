import { describe, expect, it } from 'vitest'
import { readCameraFile } from './index.ts'

// Files made to take long, or to be taken for what they are not: refused, or read in the time that their bytes are worth.
const plate = { width: 64, height: 36, first: 1, last: 200, rate: 24 }
const bytes = (text: string): Uint8Array => new TextEncoder().encode(text)
const camera = { type: 'perspective', perspective: { yfov: 0.8 } }
const gltf = (more: object): Uint8Array =>
  bytes(JSON.stringify({ asset: { version: '2.0' }, cameras: [camera], nodes: [{ camera: 0 }], ...more }))
const animated = (accessor: object, view: object, channels = 1): Uint8Array =>
  gltf({
    buffers: [{ uri: `data:;base64,${'A'.repeat(4000)}`, byteLength: 3000 }],
    bufferViews: [{ buffer: 0, byteLength: 3000, ...view }],
    accessors: [{ bufferView: 0, componentType: 5126, type: 'SCALAR', count: 4, ...accessor }],
    animations: [
      {
        samplers: [{ input: 0, output: 0 }],
        channels: Array.from({ length: channels }, () => ({ sampler: 0, target: { node: 0, path: 'translation' } })),
      },
    ],
  })

describe('a camera file that was made to harm', () => {
  it.each([
    ['all keys in one place', animated({ count: 5_000_000 }, { byteStride: 0 }), /lie on one another/],
    ['more keys than bytes', animated({ count: 5_000_000 }, {}), /ends too early/],
    [
      '20,000 nodes in a chain',
      gltf({
        nodes: [...Array.from({ length: 20_000 }, (_, n) => (n === 0 ? { camera: 0 } : { children: [n - 1] }))],
      }),
      /a thousand in a chain/,
    ],
    [
      'nodes that hold one another',
      gltf({ nodes: [{ camera: 0, children: [1] }, { children: [0] }] }),
      /hold one another/,
    ],
    ['a field of view beyond sight', gltf({ cameras: [{ ...camera, perspective: { yfov: 6 } }] }), /no sound camera/],
  ])('%s is refused', (_, file, message) => {
    expect(() => readCameraFile(file, 'c.gltf', plate)).toThrow(message)
  })
  it('reads an accessor once, however many channels name it', () => {
    expect(readCameraFile(animated({}, {}, 50_000), 'c.gltf', plate).frames).toHaveLength(200)
  })
  const usd = (samples: string, more = ''): Uint8Array =>
    bytes(
      `#usda 1.0\n(${more})\ndef Camera "c" {\n double3 xformOp:translate.timeSamples = {${samples}}\n uniform token[] xformOpOrder = ["xformOp:translate"]\n}\n`,
    )
  it('reads 200,000 keys of USD in the time of reading them', () => {
    const keys = Array.from({ length: 200_000 }, (_, n) => `${(n / 1000).toFixed(3)}: (${n}, 0, 0)`).join(', ')
    const { frames } = readCameraFile(usd(keys), 'c.usda', { ...plate, last: 150 })
    expect(frames[100]?.camera.position[0]).toBeCloseTo(1010, 6)
  })
  it.each([
    ['a place beyond numbers', usd('1: (1e999, 0, 0)')],
    ['a place that is none', usd('1: (nan, 0, 0)')],
  ])('refuses %s in USD', (_, file) => {
    expect(() => readCameraFile(file, 'c.usda', plate)).toThrow(/no sound camera/)
  })
  it('refuses an endless span of USD, and a table whose picture has no width', () => {
    expect(() =>
      readCameraFile(usd('1: (0, 0, 0)', 'startTimeCode = 0 endTimeCode = 999999'), 'c.usda', plate),
    ).toThrow(/no sensible span/)
    expect(() =>
      readCameraFile(bytes('frame,x,y,z,qx,qy,qz,qw,focal_px,width\n1,0,0,0,0,0,0,1,60,0\n'), 'c.csv', plate),
    ).toThrow(/no sound camera/)
  })
})
