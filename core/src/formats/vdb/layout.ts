// OpenVDB files (the open format of openvdb.org; written as file version 224): a head, then per grid its metadata, transform, the tree's topology and its leaves' values, all little-endian.
// The tree is the usual one: a root of 4096^3 nodes of 128^3 nodes of leaves of 8^3 voxels; within a node z runs fastest.

export const MAGIC = 0x56444220
export const VERSION = 224
/** Oldest version that is read: masks before the values, compression set grid by grid. */
export const OLDEST = 222
export const COMPRESS = { zip: 1, activeMask: 2, blosc: 4 } as const
export const LEAF = 8
export const LEAF_VOXELS = 512
/** Log2 of children along an edge, of the two inner levels from the root down; and of voxels along the edges of their children. */
export const LEVELS = [
  { edge: 5, child: 7 },
  { edge: 4, child: 3 },
] as const

/** What stands before a run of values: which of the inactive ones are written, and how. */
export const INACTIVE = {
  background: 0,
  minusBackground: 1,
  one: 2,
  maskAndNone: 3,
  maskAndOne: 4,
  maskAndTwo: 5,
  all: 6,
} as const

/** One grid: the leaves that hold something, and constant blocks. */
export interface VdbGrid {
  name: string
  kind: 'float' | 'vector'
  /** 'fog volume', 'staggered', 'level set' or 'unknown'. */
  class: string
  half: boolean
  /** Rows of the 4 x 4 from index to world, points as rows: world = (i, j, k, 1) x m. */
  transform: readonly number[]
  background: readonly number[]
  leaves: VdbLeaf[]
  /** Active blocks of one value: low corner, edge in voxels. */
  tiles: { origin: readonly [number, number, number]; edge: number; value: readonly number[] }[]
  metadata: Record<string, string | number | boolean>
}
export interface VdbLeaf {
  origin: readonly [number, number, number]
  /** A bit a voxel, 64 bytes. */
  active: Uint8Array
  /** LEAF_VOXELS x components, z fastest. */
  values: Float32Array
}

export const components = (kind: VdbGrid['kind']): number => (kind === 'vector' ? 3 : 1)
export const bit = (mask: Uint8Array, n: number): boolean => ((mask[n >> 3] ?? 0) & (1 << (n & 7))) !== 0
export function countBits(mask: Uint8Array): number {
  let count = 0
  for (const byte of mask) for (let b = byte; b; b &= b - 1) count++
  return count
}
