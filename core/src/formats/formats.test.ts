import { EXRLoader } from 'three/examples/jsm/loaders/EXRLoader.js'
import { describe, expect, it } from 'vitest'
import { LanternError, random } from '../base/index.ts'
import { type Camera, fromHalf, TILE, toHalf } from '../data/index.ts'
import { panTiltRoll } from '../math/index.ts'
import {
  decodeBase64,
  encodeBase64,
  readCameraGltf,
  readExr,
  readGasFrame,
  writeCameraGltf,
  writeExr,
  writeGasFrame,
} from './index.ts'

const plane = (width: number, height: number, seed: number): Float32Array => {
  const stream = random(seed)
  return Float32Array.from({ length: width * height }, () => fromHalf(toHalf(stream.next() * 3 - 0.5)))
}

describe('OpenEXR', () => {
  const [width, height] = [37, 41]
  const image = {
    width,
    height,
    attributes: { software: 'test' },
    channels: ['fire.R', 'A', 'smoke.G', 'depth.Z'].map((name, n) => ({
      name,
      type: n === 3 ? ('float' as const) : ('half' as const),
      data: plane(width, height, n),
    })),
  }
  const bytes = writeExr(image)

  it('comes back value for value, channels sorted by name', () => {
    const back = readExr(bytes)
    expect(back.channels.map(({ name }) => name)).toEqual(['A', 'depth.Z', 'fire.R', 'smoke.G'])
    expect(back.attributes.software).toBe('test')
    for (const { name, data } of image.channels)
      expect(back.channels.find((channel) => channel.name === name)?.data).toEqual(data)
  })
  it('is read alike by a reader that we did not write', () => {
    const rgba = {
      ...image,
      channels: ['R', 'G', 'B', 'A'].map((name, n) => ({
        name,
        type: 'half' as const,
        data: plane(width, height, n + 9),
      })),
    }
    const parsed = new EXRLoader().parse(writeExr(rgba).buffer)
    expect([parsed.width, parsed.height]).toEqual([width, height])
    const texels = parsed.data as Uint16Array
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++)
        for (let c = 0; c < 4; c++)
          expect(fromHalf(texels[((height - 1 - y) * width + x) * 4 + c] ?? 0)).toBe(
            rgba.channels[c]?.data[y * width + x],
          )
  })
  it('refuses what is none, cut off or absurd, with the file’s name', () => {
    expect(() => readExr(new Uint8Array([1, 2, 3]), 'a.exr')).toThrow(/a\.exr is not an OpenEXR file/)
    for (const cut of [9, 60, 300, bytes.length - 40])
      expect(() => readExr(bytes.slice(0, cut), 'b.exr')).toThrow(LanternError)
    const huge = bytes.slice()
    const at = Buffer.from(huge).indexOf('dataWindow') + 'dataWindow\0box2i\0'.length + 4
    new DataView(huge.buffer).setInt32(at + 8, 40000, true)
    expect(() => readExr(huge, 'c.exr')).toThrow(/40001 by/)
  })
})

describe('a kept gas frame', () => {
  const frame = {
    box: { cell: 0.05, origin: [-8, 0, 3] as const, size: [16, 8, 24] as const },
    ambient: 288,
    tiles: Int32Array.of(1, 4),
    channels: Array.from({ length: 7 }, (_, n) =>
      Uint16Array.from({ length: 2 * TILE ** 3 }, (_, i) => (i * (n + 3)) % 30000),
    ),
  }
  it('comes back as it was', () => {
    expect(readGasFrame(writeGasFrame(frame))).toEqual(frame)
  })
  it('of before burnt fuel was kept has none', () => {
    const old = { ...frame, channels: frame.channels.slice(0, 6) }
    const read = readGasFrame(writeGasFrame(old))
    expect(read.channels.slice(0, 6)).toEqual(old.channels)
    expect(read.channels[6]?.every((half) => half === 0)).toBe(true)
  })
  it('is refused when damaged, wherever it is cut or flipped', () => {
    const bytes = writeGasFrame(frame)
    // What a half can't hold is held at its most.
    const beyond = { ...frame, channels: frame.channels.map((channel) => channel.slice()) }
    beyond.channels[0]?.set([0x7c00, 0xfc00, 0x7e00])
    expect([...(readGasFrame(writeGasFrame(beyond)).channels[0] ?? [])].slice(0, 3)).toEqual([0x7bff, 0xfbff, 0])
    for (const cut of [0, 5, 30, bytes.length - 10]) expect(() => readGasFrame(bytes.slice(0, cut))).toThrow(/damaged/)
    const flipped = bytes.slice()
    flipped[20] = 0
    expect(() => readGasFrame(flipped)).toThrow(/damaged/)
  })
})

describe('a camera as glTF', () => {
  const path = Array.from({ length: 5 }, (_, n): { frame: number; camera: Camera } => ({
    frame: 1001 + n,
    camera: {
      position: [n * 0.1, 1.6, 9 - n],
      rotation: panTiltRoll(0.1 * n, 0.05, 0.01),
      focalPx: 1040,
      centre: [641, 359],
      k1: -0.05,
      k2: 0.01,
      width: 1280,
      height: 720,
    },
  }))
  const plate = { width: 1280, height: 720, first: 1001, last: 1005, rate: 24 }
  const bytes = new TextEncoder().encode(writeCameraGltf('yard', path, 24))

  it('comes back within 1e-5, lens and all', () => {
    const { frames } = readCameraGltf(bytes, 'yard.gltf', plate)
    frames.forEach(({ frame, camera }, n) => {
      const truth = path[n]?.camera
      expect(frame).toBe(1001 + n)
      for (let axis = 0; axis < 3; axis++)
        expect(Math.abs((camera.position[axis] ?? 0) - (truth?.position[axis] ?? 1))).toBeLessThan(1e-5)
      for (let part = 0; part < 4; part++)
        expect(Math.abs((camera.rotation[part] ?? 0) - (truth?.rotation[part] ?? 1))).toBeLessThan(1e-5)
      expect(camera).toMatchObject({ focalPx: 1040, centre: [641, 359], k1: -0.05, k2: 0.01 })
    })
  })
  it('fits a plate of half the size', () => {
    expect(readCameraGltf(bytes, 'yard.gltf', { ...plate, width: 640, height: 360 }).frames[0]?.camera).toMatchObject({
      focalPx: 520,
      centre: [320.5, 179.5],
    })
  })
  it('names the file and what is wrong with it', () => {
    expect(() => readCameraGltf(new TextEncoder().encode('hello'), 'x.gltf', plate)).toThrow(/x\.gltf is not a glTF/)
    expect(() => readCameraGltf(new TextEncoder().encode('{"asset":{"version":"2.0"}}'), 'y.gltf', plate)).toThrow(
      /y\.gltf holds no perspective camera/,
    )
    const cut = JSON.parse(new TextDecoder().decode(bytes)) as { buffers: { uri: string }[] }
    if (cut.buffers[0]) cut.buffers[0].uri = 'data:application/octet-stream;base64,AAAA'
    expect(() => readCameraGltf(new TextEncoder().encode(JSON.stringify(cut)), 'z.gltf', plate)).toThrow(
      /ends too early/,
    )
  })
})

it('base64 goes there and back for every length', () => {
  for (let n = 0; n < 9; n++) {
    const bytes = Uint8Array.from({ length: n }, (_, i) => (i * 97 + n) & 255)
    expect(encodeBase64(bytes)).toBe(Buffer.from(bytes).toString('base64'))
    expect(decodeBase64(encodeBase64(bytes))).toEqual(bytes)
  }
  expect(decodeBase64('*')).toBeUndefined()
})
