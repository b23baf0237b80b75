import { type Camera, type Mesh, projectPoint } from '../data/index.ts'
import { add, rotate, type Vec3 } from '../math/index.ts'
import type { WorldPose } from '../settings/index.ts'

/** How far along the view a mesh is at the middle of each pixel, m; Infinity where it is not seen. Its triangles' edges are taken straight in the picture; those that reach behind the camera are left out. */
export function meshDepths({ positions, indices }: Mesh, pose: WorldPose, camera: Camera): Float32Array {
  const { width, height } = camera
  const depths = new Float32Array(width * height).fill(Infinity)
  const seen = Array.from({ length: positions.length / 3 }, (_, n) => {
    const local: Vec3 = [positions[3 * n] as number, positions[3 * n + 1] as number, positions[3 * n + 2] as number]
    return projectPoint(camera, add(pose.position, rotate(pose.rotation, local)))
  })
  for (let n = 0; n < indices.length; n += 3) {
    const [a, b, c] = [seen[indices[n] as number], seen[indices[n + 1] as number], seen[indices[n + 2] as number]]
    if (!a || !b || !c) continue
    const whole = (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x)
    if (whole === 0) continue
    const [x0, x1] = [
      Math.max(0, Math.ceil(Math.min(a.x, b.x, c.x) - 0.5)),
      Math.min(width - 1, Math.floor(Math.max(a.x, b.x, c.x) - 0.5)),
    ]
    const [y0, y1] = [
      Math.max(0, Math.ceil(Math.min(a.y, b.y, c.y) - 0.5)),
      Math.min(height - 1, Math.floor(Math.max(a.y, b.y, c.y) - 0.5)),
    ]
    for (let y = y0; y <= y1; y++)
      for (let x = x0; x <= x1; x++) {
        const [px, py] = [x + 0.5, y + 0.5]
        const u = ((px - a.x) * (c.y - a.y) - (py - a.y) * (c.x - a.x)) / whole
        const v = ((b.x - a.x) * (py - a.y) - (b.y - a.y) * (px - a.x)) / whole
        if (u < 0 || v < 0 || u + v > 1) continue
        // Inverse depth is linear over the picture.
        const depth = 1 / ((1 - u - v) / a.depth + u / b.depth + v / c.depth)
        if (depth < (depths[y * width + x] as number)) depths[y * width + x] = depth
      }
  }
  return depths
}
