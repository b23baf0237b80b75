import type { Quaternion, Vec3 } from '../math/index.ts'
import type { Camera } from './camera.ts'
import type { FloatImage } from './image.ts'
import type { Mesh } from './mesh.ts'

/** A picture on a surface: r g b a as bytes, rows from the top. */
export interface Texture {
  width: number
  height: number
  data: Uint8Array
  /** Whether its bytes are sRGB (colours) or plain numbers (normals, roughness). */
  srgb: boolean
  /** How it goes on past its edge, across and down. */
  wrap: readonly ['repeat' | 'hold' | 'mirror', 'repeat' | 'hold' | 'mirror']
}

/** How a surface looks, as glTF 2.0 has it (metallic-roughness). Colours are linear. */
export interface Material {
  base: readonly [number, number, number, number]
  emission: readonly [number, number, number]
  /** m before the set within which it fades out, as clouds and flames meet what they touch. */
  fade?: number
  metal: number
  roughness: number
  normalScale: number
  /** opaque: alpha counts for nothing; a number: seen where alpha is not below it; blend: see-through by it. */
  alpha: 'opaque' | 'blend' | number
  doubleSided: boolean
  baseMap?: Texture
  normalMap?: Texture
  /** Roughness in green, metal in blue. */
  surfaceMap?: Texture
  emissionMap?: Texture
  /** A frame of the plate (3 channels of light) that is projected on it: through that frame's camera, on the thing as it stood then. */
  plate?: {
    image: FloatImage
    camera: Camera
    pose: { rotation: Quaternion; place: Vec3; scale: number }
  }
}

export const PLAIN: Material = {
  base: [0.5, 0.5, 0.5, 1],
  emission: [0, 0, 0],
  metal: 0,
  roughness: 0.8,
  normalScale: 1,
  alpha: 'opaque',
  doubleSided: true,
}

/** A mesh with what its look hangs on. Without normals it is faceted. */
export interface SurfaceMesh extends Mesh {
  /** x y z a vertex, unit. */
  normals?: Float32Array
  /** u v a vertex; (0, 0) is a texture's top left. */
  uvs?: Float32Array
  /** r g b a a vertex, linear, as bytes. */
  colours?: Uint8Array
  /** Material of each triangle. */
  parts?: Uint16Array
  /** Positions when the shutter closes, where the mesh moves by itself. */
  closing?: Float32Array
}
