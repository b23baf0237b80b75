import { add, cross, normalise, type Quaternion, rotate, subtract, type Vec3 } from '../math/index.ts'

/** Triangles: positions x, y, z per vertex in metres, three indices per triangle, counter-clockwise from outside. */
export interface Mesh {
  positions: Float32Array
  indices: Uint32Array
}

/** A closed box of 12 triangles. half: half the edge lengths, metres. */
export function boxMesh(centre: Vec3, half: Vec3, rotation: Quaternion): Mesh {
  const positions = new Float32Array(24)
  for (let i = 0; i < 8; i++) {
    const corner: Vec3 = [i & 1 ? half[0] : -half[0], i & 2 ? half[1] : -half[1], i & 4 ? half[2] : -half[2]]
    positions.set(add(centre, rotate(rotation, corner)), i * 3)
  }
  return {
    positions,
    indices: new Uint32Array([
      0, 2, 3, 0, 3, 1, 4, 5, 7, 4, 7, 6, 0, 1, 5, 0, 5, 4, 2, 6, 7, 2, 7, 3, 0, 4, 6, 0, 6, 2, 1, 3, 7, 1, 7, 5,
    ]),
  }
}

/** A flat rectangle in its local x and z, normal up its local y. */
export function planeMesh(centre: Vec3, halfX: number, halfZ: number, rotation: Quaternion): Mesh {
  const positions = new Float32Array(12)
  const corners: Vec3[] = [
    [-halfX, 0, -halfZ],
    [halfX, 0, -halfZ],
    [-halfX, 0, halfZ],
    [halfX, 0, halfZ],
  ]
  corners.forEach((corner, i) => positions.set(add(centre, rotate(rotation, corner)), i * 3))
  return { positions, indices: new Uint32Array([0, 2, 1, 1, 2, 3]) }
}

export function triangleNormal(mesh: Mesh, triangle: number): Vec3 {
  const at = (n: number): Vec3 => {
    const v = (mesh.indices[triangle * 3 + n] ?? 0) * 3
    return [mesh.positions[v] ?? 0, mesh.positions[v + 1] ?? 0, mesh.positions[v + 2] ?? 0]
  }
  return normalise(cross(subtract(at(1), at(0)), subtract(at(2), at(0))))
}
