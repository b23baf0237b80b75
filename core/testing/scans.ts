import type { SurfaceMesh } from '../src/data/index.ts'
import { cos, noise3, sin, type Vec3 } from '../src/math/index.ts'

/** A bumpy ball of about 1 m as a scanner gives it: 2 · across · (down − 1) triangles, with a seam of doubled corners and pictures' coordinates. */
export function scanMesh(across = 100, down = 100): SurfaceMesh {
  const place = (i: number, j: number): Vec3 => {
    const [fall, round] = [(Math.PI * j) / down, (2 * Math.PI * (i % across)) / across]
    const way: Vec3 = [sin(fall) * cos(round), cos(fall), sin(fall) * sin(round)]
    const bumps = (pitch: number, seed: number): number => noise3(seed, way[0] * pitch, way[1] * pitch, way[2] * pitch)
    const radius = 1 + 0.15 * bumps(2, 1) + 0.05 * bumps(9, 2) + 0.015 * bumps(40, 3)
    return [way[0] * radius, way[1] * radius, way[2] * radius]
  }
  const positions: number[] = []
  const uvs: number[] = []
  const indices: number[] = []
  const at = (i: number, j: number): number => j * (across + 1) + i
  for (let j = 0; j <= down; j++)
    for (let i = 0; i <= across; i++) {
      positions.push(...place(j === 0 || j === down ? 0 : i, j))
      uvs.push(i / across, j / down)
    }
  for (let j = 0; j < down; j++)
    for (let i = 0; i < across; i++) {
      const [a, b, c, d] = [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)]
      if (j > 0) indices.push(a, b, c)
      if (j < down - 1) indices.push(a, c, d)
    }
  return { positions: Float32Array.from(positions), uvs: Float32Array.from(uvs), indices: Uint32Array.from(indices) }
}
