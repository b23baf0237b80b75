import { encodeBase64 } from '../../base/index.ts'
import type { Camera } from '../../data/index.ts'
import { atan } from '../../math/index.ts'

/**
 * A camera path as glTF 2.0 JSON text: one node with a perspective camera and STEP-sampled translation and rotation, one key per frame, at time (frame - first) / rate.
 * camera.extras.lens carries what glTF has no place for: picture size, focal length and centre in px, k1, k2, first frame, rate.
 */
export function writeCameraGltf(
  name: string,
  path: readonly { frame: number; camera: Camera }[],
  rate: number,
): string {
  const start = path[0]
  if (!start) throw new TypeError('a camera path needs a frame')
  const count = path.length
  const floats = new Float32Array(count * 8)
  path.forEach(({ frame, camera }, n) => {
    floats[n] = (frame - start.frame) / rate
    floats.set(camera.position, count + n * 3)
    floats.set(camera.rotation, count * 4 + n * 4)
  })
  const { camera } = start
  const halfAngle = camera.height / 2 / camera.focalPx
  const yfov = 2 * atan(halfAngle)
  const document = {
    asset: { version: '2.0', generator: 'Coal Lantern' },
    scene: 0,
    scenes: [{ nodes: [0] }],
    nodes: [{ name, camera: 0, translation: [...camera.position], rotation: [...camera.rotation] }],
    cameras: [
      {
        type: 'perspective',
        name,
        perspective: { yfov, aspectRatio: camera.width / camera.height, znear: 0.05, zfar: 1000 },
        extras: {
          lens: {
            width: camera.width,
            height: camera.height,
            focalPx: camera.focalPx,
            centre: camera.centre,
            k1: camera.k1,
            k2: camera.k2,
            first: start.frame,
            rate,
          },
        },
      },
    ],
    buffers: [
      {
        byteLength: floats.byteLength,
        uri: `data:application/octet-stream;base64,${encodeBase64(new Uint8Array(floats.buffer))}`,
      },
    ],
    bufferViews: [{ buffer: 0, byteOffset: 0, byteLength: floats.byteLength }],
    accessors: [
      {
        bufferView: 0,
        byteOffset: 0,
        componentType: 5126,
        count,
        type: 'SCALAR',
        min: [0],
        max: [Math.fround((count - 1) / rate)],
      },
      { bufferView: 0, byteOffset: count * 4, componentType: 5126, count, type: 'VEC3' },
      { bufferView: 0, byteOffset: count * 16, componentType: 5126, count, type: 'VEC4' },
    ],
    animations: [
      {
        name,
        samplers: [
          { input: 0, output: 1, interpolation: 'STEP' },
          { input: 0, output: 2, interpolation: 'STEP' },
        ],
        channels: [
          { sampler: 0, target: { node: 0, path: 'translation' } },
          { sampler: 1, target: { node: 0, path: 'rotation' } },
        ],
      },
    ],
  }
  return JSON.stringify(document, null, 1)
}
