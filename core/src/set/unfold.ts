import type { Mesh, SurfaceMesh } from '../data/index.ts'
import { triangleNormal } from '../data/index.ts'
import { atan2, type Vec3 } from '../math/index.ts'

// Where a picture lies on drawn geometry: in metres over its faces, so that a brick is as large on every side.

/** How a picture is laid round: over six sides, or along a cylinder's round. radius: metres. */
export type Unfolding = { kind: 'sides' } | { kind: 'round'; radius: number; gap: number; copies: number }

/** Metres across and down at a place of a triangle that looks that way. */
function placeOn(at: Vec3, normal: Vec3, way: Unfolding): [number, number] {
  const [x, y, z] = [Math.abs(normal[0]), Math.abs(normal[1]), Math.abs(normal[2])]
  if (y >= x && y >= z) return [at[0], Math.sign(normal[1] || 1) * at[2]]
  if (way.kind === 'round') {
    const copy = Math.min(way.copies - 1, Math.max(0, Math.round(way.gap > 0 ? at[0] / way.gap : 0)))
    return [way.radius * atan2(at[0] - copy * way.gap, at[2]), -at[1]]
  }
  if (x >= z) return [-Math.sign(normal[0]) * at[2], -at[1]]
  return [Math.sign(normal[2]) * at[0], -at[1]]
}

/**
 * A mesh with corners of its own for every triangle and where a picture of so many metres lies on it (box mapping by each triangle's own side).
 * Normals stay. A triangle never crosses the seam of a round.
 */
export function unfolded(
  mesh: Mesh & { normals?: Float32Array },
  [across, down]: readonly [number, number],
  way: Unfolding = { kind: 'sides' },
): SurfaceMesh {
  const corners = mesh.indices.length
  const positions = new Float32Array(corners * 3)
  const uvs = new Float32Array(corners * 2)
  const normals = mesh.normals && new Float32Array(corners * 3)
  const seam = way.kind === 'round' ? 2 * Math.PI * way.radius : 0
  for (let t = 0; t < corners / 3; t++) {
    const normal = triangleNormal(mesh, t)
    let begin: number | undefined
    for (let c = 0; c < 3; c++) {
      const n = t * 3 + c
      const v = (mesh.indices[n] ?? 0) * 3
      const at: Vec3 = [mesh.positions[v] ?? 0, mesh.positions[v + 1] ?? 0, mesh.positions[v + 2] ?? 0]
      positions.set(at, n * 3)
      normals?.set(mesh.normals?.subarray(v, v + 3) ?? [], n * 3)
      let [u, w] = placeOn(at, normal, way)
      begin ??= u
      if (seam > 0 && Math.abs(u - begin) > seam / 2) u += u < begin ? seam : -seam
      uvs.set([u / across, w / down], n * 2)
    }
  }
  return {
    positions,
    uvs,
    indices: Uint32Array.from({ length: corners }, (_, n) => n),
    ...(normals ? { normals } : {}),
  }
}
