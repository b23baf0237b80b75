import type { Quaternion, Vec3 } from '../math/index.ts'
import type { Material } from './surface.ts'

// A mesh as a file brings it: parts on nodes that may move, be skinned and be animated; pictures still packed.

/** A picture as its file has it (PNG, JPEG, WebP). */
export interface PackedPicture {
  bytes: Uint8Array
  mediaType: string
}

/** How a picture is read on a surface. */
export interface PictureUse {
  /** Number of the picture. */
  picture: number
  wrap: readonly ['repeat' | 'hold' | 'mirror', 'repeat' | 'hold' | 'mirror']
}

/** A material whose pictures are still packed. */
export interface AssetMaterial extends Omit<Material, 'baseMap' | 'normalMap' | 'surfaceMap' | 'emissionMap'> {
  name: string
  baseMap?: PictureUse
  normalMap?: PictureUse
  surfaceMap?: PictureUse
  emissionMap?: PictureUse
}

/** What ties a part to joints: four joints a vertex with their weights, and each joint's inverse bind matrix (16 floats, columns first). */
export interface AssetSkin {
  joints: readonly number[]
  inverse: Float32Array
  vertexJoints: Uint16Array
  vertexWeights: Float32Array
}

/** Triangles of one material on one node. */
export interface AssetPart {
  node: number
  material: number
  positions: Float32Array
  indices: Uint32Array
  normals?: Float32Array
  uvs?: Float32Array
  /** r g b a as linear bytes. */
  colours?: Uint8Array
  skin?: AssetSkin
}

export interface AssetNode {
  /** -1: none. A parent comes before its children. */
  parent: number
  translation: Vec3
  rotation: Quaternion
  scale: Vec3
}

/** How one thing of a node changes. values: so many numbers a key (cubic: three times as many, tangents round each). */
export interface AssetChannel {
  node: number
  of: 'translation' | 'rotation' | 'scale'
  way: 'step' | 'straight' | 'cubic'
  times: Float32Array
  values: Float32Array
}

export interface AssetAnimation {
  name: string
  seconds: number
  channels: readonly AssetChannel[]
}

export interface MeshAsset {
  nodes: readonly AssetNode[]
  parts: readonly AssetPart[]
  materials: readonly AssetMaterial[]
  pictures: readonly PackedPicture[]
  animations: readonly AssetAnimation[]
}

export const triangleCount = ({ parts }: Pick<MeshAsset, 'parts'>): number =>
  parts.reduce((sum, { indices }) => sum + indices.length / 3, 0)
