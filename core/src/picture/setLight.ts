import type { Camera } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'
import type { Scene } from './scene.ts'

/** Surface points at every `stride`-th pixel, for relight. Wanted only where a receiving piece shows. */
export function surfacePoints(
  scene: Scene,
  camera: Camera,
  surfaces: Float32Array,
  triangles: Int32Array,
  stride: number,
  rays: (x: number, y: number) => Vec3,
): { points: Float32Array; columns: number; rows: number } {
  const columns = Math.ceil(camera.width / stride) + 1
  const rows = Math.ceil(camera.height / stride) + 1
  const points = new Float32Array(columns * rows * 8)
  for (let r = 0; r < rows; r++)
    for (let c = 0; c < columns; c++) {
      const x = Math.min(camera.width - 1, c * stride)
      const y = Math.min(camera.height - 1, r * stride)
      const pixel = y * camera.width + x
      const triangle = triangles[pixel * 2 + 1] ?? -1
      const piece = scene.pieces[scene.pieceOf[triangle] ?? -1]
      if (triangle < 0 || !piece?.receives) continue
      const distance = surfaces[pixel * 2] ?? 0
      const along = rays(x + 0.5, y + 0.5)
      const n = scene.normals[triangle] ?? [0, 1, 0]
      const facing = along[0] * n[0] + along[1] * n[1] + along[2] * n[2] > 0 ? -1 : 1
      points.set(
        [
          camera.position[0] + along[0] * distance,
          camera.position[1] + along[1] * distance,
          camera.position[2] + along[2] * distance,
          0,
          n[0] * facing,
          n[1] * facing,
          n[2] * facing,
          1,
        ],
        (r * columns + c) * 8,
      )
    }
  return { points, columns, rows }
}

/** Spreads light from the sparse points to all pixels: bilinear among the points that lie on the same piece. */
export function spreadLight(
  scene: Scene,
  camera: Camera,
  triangles: Int32Array,
  sparse: Float32Array,
  columns: number,
  stride: number,
  light: Float32Array,
  shadow: Float32Array,
): void {
  const { width, height } = camera
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const pixel = y * width + x
      const piece = scene.pieceOf[triangles[pixel * 2 + 1] ?? -1] ?? -1
      shadow[pixel] = 1
      if (!scene.pieces[piece]?.receives) continue
      const c = Math.floor(x / stride)
      const r = Math.floor(y / stride)
      const fx = x / stride - c
      const fy = y / stride - r
      let weight = 0
      let [red, green, blue, through] = [0, 0, 0, 0]
      for (let n = 0; n < 4; n++) {
        const px = Math.min(width - 1, (c + (n & 1)) * stride)
        const py = Math.min(height - 1, (r + (n >> 1)) * stride)
        if ((scene.pieceOf[triangles[(py * width + px) * 2 + 1] ?? -1] ?? -1) !== piece) continue
        const w = (n & 1 ? fx : 1 - fx) * (n >> 1 ? fy : 1 - fy) + 1e-4
        const o = ((r + (n >> 1)) * columns + c + (n & 1)) * 4
        weight += w
        red += w * (sparse[o] ?? 0)
        green += w * (sparse[o + 1] ?? 0)
        blue += w * (sparse[o + 2] ?? 0)
        through += w * (sparse[o + 3] ?? 0)
      }
      if (weight === 0) continue
      light[pixel * 3] = red / weight
      light[pixel * 3 + 1] = green / weight
      light[pixel * 3 + 2] = blue / weight
      shadow[pixel] = through / weight
    }
}
