import { BufferAttribute, BufferGeometry } from 'three'
import { MeshBVH } from 'three-mesh-bvh'
import type { Crew } from '../base/index.ts'
import { type Mesh, triangleNormal } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'

/** A set piece as the picture sees it. */
export interface ScenePiece {
  mesh: Mesh
  /** Hides what is behind it. */
  holdsOut: boolean
  /** Shows the effect's light and the smoke's shadow on the plate. */
  receives: boolean
}

/** Set pieces laid out on the heap for the ray kernels. nodes = 0: nothing there. */
export interface Scene {
  nodes: number
  positions: number
  indices: number
  /** Per triangle: its piece and its unit normal. */
  pieceOf: Int32Array
  normals: Vec3[]
  pieces: readonly ScenePiece[]
}

/** Builds the ray tree over all pieces that hold out or receive and lays it on the crew's heap. */
export function uploadScene(crew: Crew, pieces: readonly ScenePiece[]): Scene {
  const used = pieces.filter((piece) => piece.holdsOut || piece.receives)
  const vertices = used.reduce((sum, piece) => sum + piece.mesh.positions.length, 0)
  if (vertices === 0) return { nodes: 0, positions: 0, indices: 0, pieceOf: new Int32Array(0), normals: [], pieces }
  const positions = new Float32Array(vertices)
  const owner = new Int32Array(vertices / 3)
  const indices: number[] = []
  let at = 0
  for (const piece of used) {
    positions.set(piece.mesh.positions, at)
    owner.fill(pieces.indexOf(piece), at / 3, (at + piece.mesh.positions.length) / 3)
    for (const index of piece.mesh.indices) indices.push(index + at / 3)
    at += piece.mesh.positions.length
  }
  const geometry = new BufferGeometry()
  geometry.setAttribute('position', new BufferAttribute(positions, 3))
  geometry.setIndex(new BufferAttribute(Uint32Array.from(indices), 1))
  // The tree reorders the index, so triangles are asked for their piece only afterwards.
  const tree = new MeshBVH(geometry, { targetLeafSize: 4 })
  const root = MeshBVH.serialize(tree, { cloneBuffers: false }).roots[0]
  const order = Uint32Array.from(geometry.index?.array ?? indices)
  if (!root) throw new Error('three-mesh-bvh built no tree')
  const place = (bytes: Uint8Array): number => {
    const pointer = crew.heap.alloc(bytes.byteLength)
    crew.heap.u8(pointer, bytes.byteLength).set(bytes)
    return pointer
  }
  const mesh = { positions, indices: order }
  const triangles = order.length / 3
  return {
    nodes: place(new Uint8Array(root)),
    positions: place(new Uint8Array(positions.buffer)),
    indices: place(new Uint8Array(order.buffer)),
    pieceOf: Int32Array.from({ length: triangles }, (_, n) => owner[order[n * 3] ?? 0] ?? -1),
    normals: Array.from({ length: triangles }, (_, n) => triangleNormal(mesh, n)),
    pieces,
  }
}
