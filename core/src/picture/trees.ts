import { MESH_BLOCK_BYTES, writeMeshBlock } from '@lantern/kernels'
import { type Crew, LanternError } from '../base/index.ts'
import type { SurfaceMesh } from '../data/index.ts'
import type { Vec3 } from '../math/index.ts'

// Trees over the triangles of a mesh (kernels/assembly/tree.ts). They depend on nothing but the mesh, so they are kept by its key from frame to frame.

const NODE = 128
const PRIMITIVE = 32
const [PACKET, MOVING_PACKET] = [160, 304]
/** Triangles of a leaf, and room for the bins. */
const LEAF = 4
const BINS = 48 * 48
export const MOST_TRIANGLES = 5e6

/** A mesh ready for rays: everything as the kernels read it, apart from the heap. */
export interface MeshTree {
  nodes: Uint8Array
  packets: Uint8Array
  indices: Uint32Array
  normals?: Int16Array
  uvs?: Float32Array
  colours?: Uint8Array
  parts?: Uint16Array
  deforms: boolean
  /** Bounds over all its positions, m. */
  low: Vec3
  high: Vec3
  bytes: number
}

/** A tree over boxes of 32 bytes at `primitives`: pointers to its nodes, leaves and order, and how many nodes and leaves there are. Lies on the heap. */
export function buildTree(crew: Crew, primitives: number, count: number, leaf: number) {
  const { heap } = crew
  const order = heap.alloc(count * 4)
  const nodes = heap.alloc(count * NODE)
  const leaves = heap.alloc(count * 8)
  const bins = heap.alloc(BINS)
  const used = heap.alloc(8)
  crew.run('buildTree', { primitives, order, count, nodes, leaf, leaves, bins, used }, 1)
  const [nodeCount = 0, leafCount = 0] = heap.i32(used, 2)
  return { order, nodes, leaves, nodeCount, leafCount }
}

/** Unit normals as octahedral pairs (Cigolle et al. 2014). */
export function octahedral(normals: Float32Array): Int16Array {
  const out = new Int16Array((normals.length / 3) * 2)
  for (let n = 0; n < normals.length / 3; n++) {
    const [x, y, z] = [normals[n * 3] ?? 0, normals[n * 3 + 1] ?? 0, normals[n * 3 + 2] ?? 0]
    const sum = Math.abs(x) + Math.abs(y) + Math.abs(z) || 1
    let [u, v] = [x / sum, y / sum]
    if (z < 0) [u, v] = [(1 - Math.abs(v)) * (u < 0 ? -1 : 1), (1 - Math.abs(u)) * (v < 0 ? -1 : 1)]
    out[n * 2] = Math.round(u * 32767)
    out[n * 2 + 1] = Math.round(v * 32767)
  }
  return out
}

function boundsOf({ positions, closing }: SurfaceMesh): { low: Vec3; high: Vec3 } {
  const low: [number, number, number] = [Infinity, Infinity, Infinity]
  const high: [number, number, number] = [-Infinity, -Infinity, -Infinity]
  for (const set of closing ? [positions, closing] : [positions])
    for (let n = 0; n < set.length; n++) {
      const value = set[n] ?? 0
      const axis = n % 3
      if (value < (low[axis] ?? 0)) low[axis] = value
      if (value > (high[axis] ?? 0)) high[axis] = value
    }
  return { low, high }
}

/** Builds the tree of a mesh. The heap is left as it was found. Throws LanternError 'mesh-size' beyond MOST_TRIANGLES. */
export function meshTree(crew: Crew, mesh: SurfaceMesh): MeshTree {
  const { heap } = crew
  const count = mesh.indices.length / 3
  if (count > MOST_TRIANGLES)
    throw new LanternError(
      'mesh-size',
      `This mesh has ${(count / 1e6).toFixed(1)} million triangles; ${MOST_TRIANGLES / 1e6} million is the most.`,
      'Thin it first.',
    )
  const mark = heap.mark()
  try {
    const put = (values: Float32Array | Uint32Array): number => {
      const at = heap.alloc(values.byteLength)
      heap.u8(at, values.byteLength).set(new Uint8Array(values.buffer, values.byteOffset, values.byteLength))
      return at
    }
    const [positions, indices] = [put(mesh.positions), put(mesh.indices)]
    const closing = mesh.closing ? put(mesh.closing) : 0
    const primitives = heap.alloc(Math.max(1, count) * PRIMITIVE)
    crew.run('triangleBoxes', { positions, closing, indices, primitives }, count, 4096)
    const { order, nodes, leaves, nodeCount, leafCount } = buildTree(crew, primitives, count, LEAF)
    const size = closing ? MOVING_PACKET : PACKET
    const packets = heap.alloc(Math.max(1, leafCount) * size)
    crew.run('packLeaves', { leaves, order, positions, closing, indices, packets }, leafCount, 1024)
    const tree = {
      nodes: heap.u8(nodes, nodeCount * NODE).slice(),
      packets: heap.u8(packets, leafCount * size).slice(),
      indices: mesh.indices,
      normals: mesh.normals && octahedral(mesh.normals),
      uvs: mesh.uvs,
      colours: mesh.colours,
      parts: mesh.parts,
      deforms: closing !== 0,
      ...boundsOf(mesh),
    }
    const bytes = [tree.nodes, tree.packets, tree.indices, tree.normals, tree.uvs, tree.colours, tree.parts].reduce(
      (sum, part) => sum + (part?.byteLength ?? 0),
      0,
    )
    return { ...tree, bytes }
  } finally {
    heap.release(mark)
  }
}

/** Lays a tree on the heap and returns its block. */
export function uploadTree(crew: Crew, tree: MeshTree): number {
  const { heap } = crew
  const put = (values: ArrayBufferView | undefined): number => {
    if (!values) return 0
    const at = heap.alloc(Math.max(4, values.byteLength))
    heap.u8(at, values.byteLength).set(new Uint8Array(values.buffer, values.byteOffset, values.byteLength))
    return at
  }
  const block = heap.alloc(MESH_BLOCK_BYTES)
  writeMeshBlock(heap, block, {
    nodes: put(tree.nodes),
    packets: put(tree.packets),
    indices: put(tree.indices),
    normals: put(tree.normals),
    uvs: put(tree.uvs),
    colours: put(tree.colours),
    parts: put(tree.parts),
    deforms: Number(tree.deforms),
  })
  return block
}

/** Trees by mesh key, the ones used longest ago dropped beyond so many bytes. */
export interface TreeStore {
  of(key: string, make: () => MeshTree): MeshTree
}

export function treeStore(mostBytes = 1.5e9): TreeStore {
  const trees = new Map<string, MeshTree>()
  let bytes = 0
  return {
    of(key, make) {
      const tree = trees.get(key) ?? make()
      if (!trees.delete(key)) bytes += tree.bytes
      trees.set(key, tree)
      for (const [other, old] of trees) {
        if (bytes <= mostBytes || other === key) break
        trees.delete(other)
        bytes -= old.bytes
      }
      return tree
    },
  }
}
