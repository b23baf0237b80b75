import { type Camera, distort, straighten } from '../../data/index.ts'
import type { Deflate } from '../deflate.ts'
import { writeExr } from '../exr/write.ts'

/**
 * A lens's bend as a float OpenEXR of the plate's size, for any program that can look a picture up by another. At each pixel's centre:
 * straighten.x .y: where in the plate that pixel of the straightened picture is found; bend.x .y: where in the straightened picture that pixel of the plate is found.
 * Both as shares of width and height from the top left, so that they hold at every size; below 0 and above 1 lie beyond the picture's edge.
 */
export function writeLensMap(camera: Camera, deflate?: Deflate): Uint8Array<ArrayBuffer> {
  const { width, height, focalPx, centre } = camera
  const planes = {
    'bend.x': new Float32Array(width * height),
    'bend.y': new Float32Array(width * height),
    'straighten.x': new Float32Array(width * height),
    'straighten.y': new Float32Array(width * height),
  }
  for (let j = 0; j < height; j++)
    for (let i = 0; i < width; i++) {
      const n = j * width + i
      const [x, y] = [(i + 0.5 - centre[0]) / focalPx, (j + 0.5 - centre[1]) / focalPx]
      for (const [name, [u, v]] of [
        ['straighten', distort(camera, x, y)],
        ['bend', straighten(camera, x, y)],
      ] as const) {
        planes[`${name}.x`][n] = (centre[0] + u * focalPx) / width
        planes[`${name}.y`][n] = (centre[1] + v * focalPx) / height
      }
    }
  return writeExr(
    {
      width,
      height,
      channels: Object.entries(planes).map(([name, data]) => ({ name, type: 'float' as const, data })),
      attributes: {},
    },
    deflate,
  )
}
